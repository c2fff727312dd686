"""Shape: faces are picked in the view and worked on, and all that shows the piece follows."""

from __future__ import annotations

import re
from typing import Any

import pytest
from playwright.sync_api import Locator, expect

from tests.ui.hands import Hands
from tests.ui.test_build import step


@pytest.fixture
def wall(bare: Hands) -> Hands:
    """A divided wall that stands twice, seen from its front, open in Shape."""
    shape = {"kind": "box", "width": 4.0, "height": 3.0, "depth": 0.6, "along_x": 4, "along_y": 3}
    step(bare, "add_shape", shape=shape, name="Wall")
    step(bare, "place_piece", bare.row("Wall", "piece")["id"], position=[9, 0, 0])
    page = bare.page
    page.keyboard.press("Alt+3")
    bare.in_list("Wall")
    bare.viewport.focus()
    page.keyboard.press("l")
    expect(bare.viewport).to_have_attribute("data-to-come", "0")
    bare.settle(30)
    expect(bare.page.get_by_role("toolbar", name="Open piece")).to_contain_text("2 uses")
    return bare


def card(hands: Hands, name: str) -> Locator:
    return hands.page.get_by_role("region", name=name, exact=True)


def tool(hands: Hands, name: str) -> Locator:
    return hands.tool(name)


def facts(hands: Hands) -> dict[str, Any]:
    found: dict[str, Any] = hands.row("Wall", "piece")["facts"]
    return found


def test_a_door_is_pushed_in_by_four_actions_and_both_walls_have_it(wall: Hands) -> None:
    page, begun = wall.page, wall.level()["revision"]
    before = facts(wall)
    wall.click_at(-0.5, 0.4, 0.3)  # 1
    expect(card(wall, "Shape")).to_contain_text(re.compile("1 of [0-9]+ faces"))
    tool(wall, "Inset").click()  # 2
    depth = card(wall, "Inset").get_by_role("textbox", name="Depth")
    depth.fill("-0.30")  # 3
    depth.press("Enter")  # 4
    wall.saved(begun + 1)
    now = facts(wall)
    assert now["closed"]
    assert now["faces"] == before["faces"] + 4
    assert now["low"] == before["low"] and now["high"] == before["high"]
    # what was picked is picked still: by two more the panel is a step deeper
    expect(card(wall, "Shape")).to_contain_text("1 of ")
    tool(wall, "Extrude").click()
    deep = card(wall, "Extrude").get_by_role("textbox", name="Depth")
    deep.fill("-0.10")
    deep.press("Enter")
    wall.saved(begun + 2)
    assert facts(wall)["faces"] == before["faces"] + 8
    # the last step stays adjustable
    last = card(wall, "Last step").get_by_role("textbox", name="Depth")
    last.fill("-0.20")
    last.press("Enter")
    wall.saved(begun + 3)
    wall.viewport.focus()
    for back in (4, 5):
        page.keyboard.press("Control+z")
        wall.saved(begun + back)
    assert facts(wall) == before


def test_half_a_gate_is_edited_and_the_other_half_follows(wall: Hands) -> None:
    page, begun = wall.page, wall.level()["revision"]
    before = facts(wall)
    tool(wall, "Live half").click()  # 1
    card(wall, "Live half").get_by_role("button", name="Live half", exact=True).click()  # 2
    wall.saved(begun + 1)
    live = page.get_by_role("group", name="Follows live")
    expect(live).to_contain_text("Mirrored")
    # a click on the half that follows picks the face that it is the image of
    wall.click_at(-0.5, 1.5, 0.3)  # 3
    expect(card(wall, "Shape")).to_contain_text("1 of 19 faces")
    at = (0.5, 1.5, 0.3)
    reach = 0.8 * wall.handle_scale(at)
    wall.drag(wall.seen(at[0], at[1], at[2] + reach), wall.seen(at[0], at[1], at[2] + reach + 0.5))  # 4
    wall.saved(begun + 2)
    now = facts(wall)
    assert now["closed"] and now["faces"] == before["faces"]
    assert now["high"][2] > before["high"][2] + 0.2
    assert now["low"][:2] == before["low"][:2] and now["high"][:2] == before["high"][:2]
    # shown smoother, with the few faces still picked; and as it was by one action each
    tool(wall, "Live smooth").click()
    card(wall, "Live smooth").get_by_role("button", name="Live smooth", exact=True).click()
    wall.saved(begun + 3)
    expect(live).to_contain_text("smooth 2")
    expect(card(wall, "Shape")).to_contain_text("1 of 19 faces")
    assert facts(wall)["faces"] > 15 * before["faces"]
    live.get_by_role("button", name="One level less").click()
    wall.saved(begun + 4)
    live.get_by_role("button", name="Make real").click()
    wall.saved(begun + 5)
    expect(live).to_have_count(0)
    wall.viewport.focus()
    for back in range(5):
        page.keyboard.press("Control+z")
        wall.saved(begun + 6 + back)
    assert facts(wall) == before


def test_faces_are_taken_in_let_go_and_deleted_by_keys(wall: Hands) -> None:
    page, begun = wall.page, wall.level()["revision"]
    shape = card(wall, "Shape")
    wall.click_at(-0.5, 0.4, 0.3)
    wall.viewport.focus()
    page.keyboard.press("+")
    expect(shape).to_contain_text(re.compile("(9|6) of "))
    page.keyboard.press("Escape")
    expect(shape).to_contain_text("Click a face")
    at = wall.seen(-0.5, 0.4, 0.3)
    page.mouse.dblclick(*at)
    expect(shape).to_contain_text("12 of ")
    page.keyboard.down("Alt")
    page.mouse.click(*at)
    page.keyboard.up("Alt")
    expect(shape).to_contain_text("11 of ")
    count = facts(wall)["faces"]
    page.keyboard.press("Delete")
    wall.saved(begun + 1)
    assert facts(wall)["faces"] == count - 11
    assert len([r for r in wall.level()["changed"] if r["kind"] == "placement"]) == 2
    page.keyboard.press("Control+z")
    wall.saved(begun + 2)
    assert facts(wall)["faces"] == count


def test_a_canopy_by_extrusions_and_tapers_in_seven_actions(wall: Hands) -> None:
    page, begun = wall.page, wall.level()["revision"]
    page.mouse.dblclick(*wall.seen(-0.5, 0.4, 0.3))
    expect(card(wall, "Shape")).to_contain_text("12 of ")
    for k in range(3):
        tool(wall, "Extrude").click()  # 1, 4, 6
        size = card(wall, "Extrude").get_by_role("textbox", name="End size")
        if k == 0:
            size.fill("75")  # 2
        else:
            expect(size).to_have_value("75")
        size.press("Enter")  # 3, 5, 7
        wall.saved(begun + k + 1)
    assert facts(wall)["closed"]
    assert facts(wall)["high"][2] == pytest.approx(1.2, abs=1e-9)


def test_a_box_takes_faces_through_or_from_the_front(wall: Hands) -> None:
    shape = card(wall, "Shape")
    whole = facts(wall)["faces"]
    wall.viewport.focus()
    wall.page.keyboard.press("Shift+3")
    wall.settle(20)
    context = (wall.seen(-2.4, -0.3, 0.3), wall.seen(2.4, 3.3, 0.3))
    wall.drag(*context)
    expect(shape).to_contain_text(f"{whole} of {whole} faces")
    shape.get_by_text("Front only", exact=True).click()
    wall.drag(*context)
    expect(shape).not_to_contain_text(f"{whole} of {whole} faces")
    expect(shape).to_contain_text(re.compile(f"[1-9][0-9]* of {whole} faces"))
    shape.get_by_text("Through", exact=True).click()


@pytest.fixture
def hut(bare: Hands) -> Hands:
    """A box of 6 × 3 × 4 m that stands twice, open in Shape."""
    step(bare, "add_shape", shape={"kind": "box", "width": 6.0, "height": 3.0, "depth": 4.0}, name="Wall")
    step(bare, "place_piece", bare.row("Wall", "piece")["id"], position=[20, 0, 0])
    page = bare.page
    page.keyboard.press("Alt+3")
    bare.in_list("Wall")
    bare.viewport.focus()
    page.keyboard.press("l")
    expect(bare.viewport).to_have_attribute("data-to-come", "0")
    bare.settle(30)
    return bare


def enter(hands: Hands, name: str, **numbers: str) -> int:
    """Open a tool, type its numbers, take it: the actions that this is."""
    tool(hands, name).click()
    opened = card(hands, name)
    field = opened.get_by_role("textbox").first
    for label, value in numbers.items():
        field = opened.get_by_role("textbox", name=label.replace("_", " "))
        field.fill(value)
    before = hands.level()["revision"]
    field.press("Enter")
    hands.saved(before + 1)
    expect(hands.viewport).to_have_attribute("data-to-come", "0")
    hands.settle(12)
    return 2 + len(numbers)


def picked(hands: Hands, words: str) -> None:
    expect(card(hands, "Shape")).to_contain_text(words)


def test_a_small_house_from_one_box_in_25_actions(hut: Hands) -> None:
    page = hut.page
    begun = hut.level()["revision"]
    page.keyboard.press("e")
    hut.click_at(3, 3, 0.6)
    picked(hut, "1 of 12 edges")
    actions = 2 + enter(hut, "Add loops")
    picked(hut, "4 of 20 edges")
    hut.click_at(3, 1, 2)
    picked(hut, "1 of 20 edges")
    tool(hut, "Add loops").click()
    loops = card(hut, "Add loops")
    loops.get_by_text("Metres", exact=True).click()
    place = loops.get_by_role("textbox", name="Distance")
    place.fill("-0.40")
    place.press("Enter")
    hut.saved(begun + 2)
    hut.settle(12)
    actions += 5
    hut.click_at(0, 3, 0)
    picked(hut, "1 of ")
    height = card(hut, "Shape").get_by_role("textbox", name="Y")
    height.fill("4.2")
    height.press("Enter")
    hut.saved(begun + 3)
    expect(hut.viewport).to_have_attribute("data-to-come", "0")
    hut.settle(12)
    actions += 3
    hut.viewport.focus()
    page.keyboard.press("f")
    hut.click_at(3, 0.8, 1.2)
    picked(hut, "1 of 16 faces")
    page.keyboard.down("Shift")
    hut.click_at(3, 0.8, -1.2)
    page.keyboard.up("Shift")
    picked(hut, "2 of ")
    actions += 3 + enter(hut, "Inset")
    hut.viewport.focus()
    page.keyboard.press("Shift+3")
    hut.settle(20)
    hut.drag(hut.seen(-3.4, 2.55, 2), hut.seen(3.4, 3.1, 2))
    picked(hut, "2 of ")
    actions += 2 + enter(hut, "Extrude")
    hut.click_at(0, 1, 2)
    picked(hut, "1 of ")
    actions += 1 + enter(hut, "Inset", Depth="-0.30")
    assert actions == 25
    now = facts(hut)
    assert now["closed"]
    assert now["high"] == pytest.approx([3, 4.2, 2.3])
    assert now["low"] == pytest.approx([-3, 0, -2.3])
    page.get_by_role("button", name="Check", exact=True).click()
    check = card(hut, "Check")
    expect(check).to_contain_text("nothing is wrong")
    expect(check.get_by_role("button", name="Bent faces")).to_have_count(0)
    expect(check.get_by_role("button", name="N-gons")).to_be_disabled()
    check.get_by_role("button", name="Sharp edges").click()
    picked(hut, " edges")
    # the other one is the same piece
    assert hut.level()["summary"]["triangles"] == 2 * now["triangles"]
    hut.viewport.focus()
    for back in range(6):
        page.keyboard.press("Control+z")
        hut.saved(begun + 7 + back)
    assert facts(hut)["faces"] == 6
    picked(hut, "1 of 12 edges")


def test_a_bevel_is_made_finer_afterwards(hut: Hands) -> None:
    page = hut.page
    begun = hut.level()["revision"]
    page.keyboard.press("e")
    hut.click_at(3, 3, 0.6)
    page.mouse.dblclick(*hut.seen(3, 3, 0.6))
    shape = card(hut, "Shape")
    hut.click_at(1, 3, 2)
    shape.get_by_role("button", name="More").click()
    shape.get_by_role("button", name="All", exact=True).click()
    picked(hut, "12 of 12 edges")
    enter(hut, "Bevel", Width="0.3", Segments="2")
    assert facts(hut)["faces"] == 54
    last = card(hut, "Last step").get_by_role("textbox", name="Segments")
    last.fill("4")
    last.press("Enter")
    hut.saved(begun + 2)
    assert facts(hut)["faces"] == 150
    assert facts(hut)["closed"]
    picked(hut, "144 of 150 faces")


def test_a_facet_of_twelve_triangles_is_pulled_as_one(hut: Hands) -> None:
    page = hut.page
    hut.click_at(1, 3, 1)
    picked(hut, "1 of 6 faces")
    enter(hut, "Poke")
    hut.viewport.focus()
    page.keyboard.press("r")
    hut.click_at(2, 3, 0.3)
    picked(hut, "4 of 9 faces")
    enter(hut, "Poke")
    hut.viewport.focus()
    page.keyboard.press("f")
    hut.click_at(2, 3, 0.1)
    picked(hut, "1 of 17 faces")
    page.keyboard.press("r")
    picked(hut, "12 of 17 faces")
    hut.click_at(1, 1, 2)
    picked(hut, "1 of 17 faces")
    hut.click_at(2, 3, 0.1)
    picked(hut, "12 of 17 faces")
    enter(hut, "Extrude", Depth="0.5")
    assert facts(hut)["high"][1] == pytest.approx(3.5)
    assert facts(hut)["closed"]


def test_a_vertex_slides_along_its_edge(hut: Hands) -> None:
    page = hut.page
    begun = hut.level()["revision"]
    page.keyboard.press("v")
    hut.click_at(3, 3, 2)
    picked(hut, "1 of 8 vertices")
    bar = page.get_by_role("toolbar", name="Handles")
    bar.get_by_role("button", name="Moves keep to").click()
    page.get_by_role("option", name="Edges").click()
    # the paddle of Y is grabbed by pointing at it and typing
    scale = hut.handle_scale((3, 3, 2))
    page.mouse.move(*hut.seen(3, 3 + 1.37 * scale, 2))
    expect(page.locator("output")).to_contain_text("Move along Y")
    page.keyboard.type("-0.25")
    page.keyboard.press("Enter")
    hut.saved(begun + 1)
    expect(card(hut, "Shape").get_by_role("textbox", name="Y")).to_have_value("2.75")
    # dragged along X by the hand, it stays on the edge there
    bar.get_by_role("button", name="Moves keep to").click()
    page.get_by_role("option", name="Free").click()
    expect(hut.viewport).to_have_attribute("data-to-come", "0")
    hut.settle(20)
    scale = hut.handle_scale((3, 2.75, 2))
    paddle = hut.seen(3 + 1.37 * scale, 2.75, 2)
    hut.drag(paddle, hut.seen(3 + 1.37 * scale + 1.0, 2.75, 2))
    hut.saved(begun + 2)
    assert facts(hut)["high"][0] == pytest.approx(4.0, abs=0.15)
    # by steps of a tenth of the grid
    assert facts(hut)["high"][0] / 0.05 == pytest.approx(round(facts(hut)["high"][0] / 0.05), abs=1e-6)


def test_the_grow_paddle_pulls_a_face_out(hut: Hands) -> None:
    page = hut.page
    begun = hut.level()["revision"]
    hut.click_at(1.5, 3, 1)
    picked(hut, "1 of 6 faces")
    hut.settle(6)
    scale = hut.handle_scale((0, 3, 0)) / 92
    paddle = hut.seen(0, 3 + 176 * scale, 0)
    page.mouse.move(*paddle)
    expect(page.locator("output")).to_contain_text("Pull out")
    hut.drag(paddle, hut.seen(0, 3 + 176 * scale + 1.0, 0), moves=10)
    hut.saved(begun + 1)
    assert facts(hut)["faces"] == 10
    assert facts(hut)["high"][1] == pytest.approx(4.0, abs=0.2)


def test_a_cut_is_clicked_from_edge_to_edge(hut: Hands) -> None:
    page = hut.page
    begun = hut.level()["revision"]
    tool(hut, "Cut across").click()
    for at in ((3, 1.5, 2), (-3, 1.5, 2)):
        page.mouse.move(*hut.seen(*at))
        expect(page.locator("output")).to_contain_text("50 %")
        hut.click_at(*at)
    page.keyboard.press("Enter")
    hut.saved(begun + 1)
    assert facts(hut)["faces"] == 7
    picked(hut, "1 of ")


def test_an_element_docks_onto_another_piece_bit_for_bit(hut: Hands) -> None:
    page = hut.page
    step(hut, "add_shape", shape={"kind": "box", "width": 0.7, "height": 4.1, "depth": 0.9}, position=[4.3, 0, 2.1])
    expect(hut.viewport).to_have_attribute("data-to-come", "0")
    begun = hut.level()["revision"]
    hut.viewport.focus()
    page.keyboard.press("v")
    hut.click_at(3, 3, 2)
    picked(hut, "1 of 8 vertices")
    page.keyboard.press("k")
    page.mouse.move(*hut.seen(4.65, 4.1, 2.55))
    expect(page.locator("output")).to_contain_text("vertex")
    page.mouse.down()
    page.mouse.up()
    hut.saved(begun + 1)
    high = facts(hut)["high"]
    assert [float(v) for v in high] == [4.3 + 0.35, 4.1, 2.1 + 0.45]


def test_a_vertex_that_is_dragged_by_the_hub_lands_on_a_corner_exactly(hut: Hands) -> None:
    page = hut.page
    step(hut, "add_shape", shape={"kind": "box", "width": 0.7, "height": 4.1, "depth": 0.9}, position=[4.3, 0, 2.1])
    expect(hut.viewport).to_have_attribute("data-to-come", "0")
    begun = hut.level()["revision"]
    hut.viewport.focus()
    page.keyboard.press("v")
    hut.click_at(3, 3, 2)
    picked(hut, "1 of 8 vertices")
    hub, corner = hut.seen(3, 3, 2), hut.seen(4.65, 4.1, 2.55)
    page.mouse.move(*hub)
    expect(page.locator("output")).to_contain_text("Move freely")
    page.mouse.down()
    page.mouse.move((hub[0] + corner[0]) / 2, (hub[1] + corner[1]) / 2, steps=4)
    page.mouse.move(*corner, steps=4)
    expect(page.locator("output")).to_contain_text("caught a vertex")
    page.mouse.up()
    hut.saved(begun + 1)
    assert [float(v) for v in facts(hut)["high"]] == [4.3 + 0.35, 4.1, 2.1 + 0.45]


def test_a_free_outline_picks_through_glass(hut: Hands) -> None:
    page = hut.page
    page.get_by_text("Glass", exact=True).click()
    hut.viewport.focus()
    page.keyboard.press("Shift+3")
    hut.settle(20)
    page.keyboard.press("v")
    way = [hut.seen(*p) for p in ((-3.5, 3.5, 2), (-2, 3.5, 2), (-2, -0.5, 2), (-3.5, -0.5, 2))]
    page.mouse.move(*way[0])
    page.mouse.down()
    page.mouse.move(way[0][0] + 8, way[0][1] + 1)
    page.keyboard.press("q")
    for at in way[1:]:
        page.mouse.move(*at, steps=4)
        hut.settle()
    page.mouse.up()
    picked(hut, "4 of 8 vertices")


def test_a_double_click_opens_a_piece_where_it_stands(hut: Hands) -> None:
    page = hut.page
    bar = page.get_by_role("toolbar", name="Open piece")
    expect(bar).to_contain_text("2 uses")
    bar.get_by_role("button", name="leaves").click()
    expect(bar).to_have_count(0)
    page.keyboard.press("Alt+2")
    page.mouse.dblclick(*hut.seen(0, 1, 2))
    expect(bar).to_contain_text("Wall")


def test_a_piece_that_stands_nowhere_is_shaped_on_its_sheet(hut: Hands) -> None:
    page = hut.page
    for row in [r for r in hut.level()["changed"] if r["kind"] == "placement"]:
        step(hut, "delete", row["id"])
    hut.tile("Wall").click()
    bar = page.get_by_role("toolbar", name="Open piece")
    expect(bar).to_contain_text("0 uses")
    hut.viewport.focus()
    page.keyboard.press("l")
    hut.settle(30)
    hut.click_at(1, 3, 1)
    picked(hut, "1 of 6 faces")
    enter(hut, "Extrude", Depth="0.5")
    assert facts(hut)["high"][1] == pytest.approx(3.5)
    hut.last().get_by_role("button", name="Earlier steps on this piece").click()
    expect(page.get_by_role("list", name="Earlier steps on this piece")).to_contain_text("Draw a shape")
