"""Groups, handles in other axes, sizing, walking and measuring, by mouse and keyboard."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from playwright.sync_api import expect
from scipy.spatial.transform import Rotation

from tests.thorough import long
from tests.ui.hands import Hands
from tests.ui.test_build import step


@pytest.fixture
def pair(bare: Hands) -> Hands:
    """Two boxes in a group, within another group, and a third box; the view at all of them."""
    box = {"kind": "box", "width": 1.0, "height": 1.0, "depth": 1.0}
    step(bare, "add_shape", shape=box, name="Crate", position=[0, 0, 0])
    step(bare, "place_piece", "piece-1", position=[2, 0, 0])
    step(bare, "place_piece", "piece-1", position=[6, 0, 0])
    step(bare, "make_group", "placement-1", "placement-2", name="Stack", pivot="first")
    step(bare, "make_group", "group-1", "placement-3", name="Yard", pivot="first")
    step(bare, "add_shape", shape=box, name="Post", position=[0, 0, 5])
    expect(bare.page.get_by_role("treegrid", name="Level").get_by_role("row", name="Post")).to_be_visible()
    bare.page.keyboard.press("Alt+2")
    bare.page.keyboard.press("Shift+L")
    bare.settle(10)
    expect(bare.viewport).to_have_attribute("data-to-come", "0")
    bare.settle(4)
    return bare


def pick(hands: Hands, label: str, option: str) -> None:
    """Choose in a list that opens."""
    hands.page.get_by_role("button", name=label).click()
    hands.page.get_by_role("option", name=option, exact=True).click()
    hands.settle(3)


def pull(hands: Hands, at: list[float], way: list[float], metres: float, grip: float = 0.55) -> None:
    """Take a shaft of the handles at a place and drag it by metres."""
    scale = hands.handle_scale((at[0], at[1], at[2]))
    start = hands.seen(*(p + grip * scale * w for p, w in zip(at, way, strict=True)))
    end = hands.seen(*(p + (grip * scale + metres) * w for p, w in zip(at, way, strict=True)))
    hands.drag(start, end)


def test_a_nested_group_is_opened_changed_inside_and_left(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    card = page.get_by_role("region", name="Selection")
    # a click means the outermost group, a double click goes inside, one more level each time
    crate = pair.seen(2, 0.5, 0.5)
    page.mouse.click(*crate)
    expect(card.get_by_role("heading", name="Yard")).to_be_visible()
    page.mouse.dblclick(*crate)
    trail = page.get_by_role("navigation", name="Open group")
    expect(trail).to_contain_text("Yard")
    expect(card.get_by_role("heading", name="Stack")).to_be_visible()
    pair.settle(4)
    page.mouse.dblclick(*crate)
    expect(trail).to_contain_text("Stack")
    expect(card.get_by_role("heading", name="Crate 2")).to_be_visible()
    pair.settle(4)
    # what is outside is not selected by a click
    page.mouse.click(*pair.seen(0, 0.5, 5.5))
    expect(card).to_contain_text("Nothing selected")
    pair.in_list("Crate 2")
    pair.number(card, "Position Y", "1")
    pair.saved(start + 1)
    moved = pair.row("Crate 2", "placement")
    assert (moved["position"], moved["group"]) == ([2, 1, 0], "group-1")
    assert pair.row("Crate", "placement")["position"] == [0, 0, 0]
    pair.viewport.focus()
    for left in ("Yard", None):
        page.keyboard.press("Escape")  # the selection
        page.keyboard.press("Escape")  # the group
        if left:
            expect(trail).to_contain_text(left)
            expect(trail).not_to_contain_text("Stack")
    expect(trail).to_have_count(0)


def test_a_group_is_made_moved_and_dissolved_by_keys(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    page.keyboard.press("Control+a")
    page.keyboard.press("g")
    pair.saved(start + 1)
    card = page.get_by_role("region", name="Selection")
    expect(card).to_contain_text("group of 2")
    pair.number(card, "Pivot at Z", "3")
    pair.saved(start + 2)
    assert [pair.row(n, "placement")["position"][2] for n in ("Crate", "Crate 2", "Post")] == pytest.approx(
        [0.5, 0.5, 5.5], abs=1e-12
    )
    pair.viewport.focus()
    page.keyboard.press("Shift+G")
    pair.saved(start + 3)
    assert pair.row("Yard")["group"] is None
    expect(card).to_contain_text("2 selected")


def test_things_are_dragged_into_groups_and_out_in_the_list(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    rows = page.get_by_role("treegrid", name="Level")
    rows.get_by_role("row", name="Post").drag_to(rows.get_by_role("row", name="Yard"))
    pair.saved(start + 1)
    assert pair.row("Post", "placement")["group"] == "group-2"
    expect(rows.get_by_role("row")).to_have_count(1)
    rows.get_by_role("row", name="Yard").get_by_role("button", name="Expand").click()
    expect(rows.get_by_role("row")).to_have_count(4)
    # hide, lock and rename stand in the rows
    row = rows.get_by_role("row", name=re.compile("^Post"))
    row.hover()
    row.get_by_role("button", name="Lock Post").click()
    pair.saved(start + 2)
    row.get_by_role("button", name="Unlock Post").click()
    pair.saved(start + 3)
    row.get_by_text("Post").dblclick()
    name = page.get_by_role("dialog", name="Name of Post").get_by_role("textbox")
    name.fill("Mooring post")
    name.press("Enter")
    pair.saved(start + 4)
    assert pair.row("Mooring post", "placement")


def test_a_group_orbits_a_picked_point_and_its_child_turns_on_its_own(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    page.mouse.click(*pair.seen(2, 0.5, 0.5))
    pick(pair, "Pivot of the handles", "Pick a point …")
    corner = [0.5, 1, 5.5]
    page.mouse.move(*pair.seen(*corner))
    expect(page.locator("output")).to_contain_text("this vertex")
    page.mouse.down()
    page.mouse.up()
    pair.settle(4)
    expect(page.get_by_role("button", name="Back to the middle")).to_be_visible()
    # the dial about Y, by a typed angle
    scale = pair.handle_scale((corner[0], corner[1], corner[2]))
    page.mouse.move(*pair.seen(corner[0] + 0.86 * scale * math.sin(0.5), 1, corner[2] + 0.86 * scale * math.cos(0.5)))
    expect(page.locator("output")).to_contain_text("Turn about Y")
    page.keyboard.type("90")
    page.keyboard.press("Enter")
    pair.saved(start + 1)
    told = pair.level()["history"]["last"]["params"]
    assert (told["angle"], told["about_what"]) == (90, "picked")

    def round_corner(p: list[float]) -> list[float]:
        return [corner[0] + (p[2] - corner[2]), p[1], corner[2] - (p[0] - corner[0])]

    for name, at in (("Crate", [0, 0, 0]), ("Crate 2", [2, 0, 0]), ("Crate 3", [6, 0, 0])):
        assert pair.row(name, "placement")["position"] == pytest.approx(round_corner(at), abs=1e-9)
    # a child keeps its own pivot: turned alone, it stays where it is
    crate = pair.row("Crate 2", "placement")
    rows = page.get_by_role("treegrid", name="Level")
    for name in ("Yard", "Stack"):
        rows.get_by_role("row", name=name).get_by_role("button", name="Expand").click()
    pair.in_list("Crate 2")
    card = page.get_by_role("region", name="Selection")
    pair.number(card, "Turn Y", "35")
    pair.saved(start + 2)
    after = pair.row("Crate 2", "placement")
    assert after["position"] == crate["position"]
    assert after["turn"] == pytest.approx([0, math.sin(math.radians(17.5)), 0, math.cos(math.radians(17.5))], abs=1e-12)


def test_a_turned_piece_moves_along_its_own_axis(pair: Hands) -> None:
    page = pair.page
    step(pair, "set_pose", "placement-4", turn=[0, 30, 0])
    start = pair.level()["revision"]
    pair.in_list("Post")
    pick(pair, "Axes of the handles", "Piece")
    way = [math.cos(math.radians(30)), 0.0, -math.sin(math.radians(30))]
    pull(pair, [0, 0, 5], way, 2.1)
    pair.saved(start + 1)
    told = pair.level()["history"]["last"]
    assert told["tool"] == "move"
    assert (told["params"]["axes"], told["params"]["by"]) == ("piece", [2, 0, 0])
    assert pair.row("Post", "placement")["position"] == pytest.approx([2 * way[0], 0, 5 + 2 * way[2]], abs=1e-9)
    expect(page.get_by_role("region", name="Last step")).to_contain_text("Move")


def test_a_dragged_corner_snaps_to_a_corner_and_meets_it(pair: Hands) -> None:
    # the crate's front is off the grid
    step(pair, "set_pose", "placement-1", position=[0, 0, 0.13])
    step(pair, "set_pose", "placement-4", position=[0.1, 0, 5.23])
    start = pair.level()["revision"]
    pair.in_list("Post")
    pick(pair, "Axes of the handles", "World")
    pull(pair, [0.1, 0, 5.23], [0, 0, -1], 4.13, grip=-0.55)
    pair.saved(start + 1)
    assert pair.row("Post", "placement")["position"] == pytest.approx([0.1, 0, 1.13], abs=1e-12)


def test_a_piece_is_sized_by_a_tab_from_the_opposite_side(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    pair.in_list("Post")
    page.keyboard.press("z")
    expect(page.get_by_role("button", name="Size Z", exact=True).first).to_have_attribute("data-on", "true")
    pair.settle(4)
    pair.drag(pair.seen(0.5, 0.5, 5), pair.seen(1.55, 0.5, 5))
    pair.saved(start + 1)
    post = pair.row("Post", "placement")
    assert post["size"] == [2, 1, 1]
    assert post["position"] == [0.5, 0, 5], "the side at x = −0.5 stays"
    expect(page.get_by_role("region", name="Selection")).to_contain_text("Unbaked size: 2 × 1 × 1")
    page.keyboard.press("z")


def test_an_edit_of_a_linked_piece_is_seen_on_all_until_one_is_made_independent(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    rows = page.get_by_role("treegrid", name="Level")
    rows.get_by_role("row", name="Yard").get_by_role("button", name="Expand").click()
    pair.in_list("Crate 3")
    card = page.get_by_role("region", name="Selection")
    expect(card.get_by_role("button", name=re.compile("3 linked"))).to_be_visible()
    pair.number(card, "Height", "2")
    pair.saved(start + 1)
    assert pair.row("Crate", "piece")["facts"]["high"][1] == 2
    card.get_by_role("button", name="Make independent").click()
    pair.saved(start + 2)
    own = pair.row("Crate 3", "placement")["piece"]
    assert own != "piece-1"
    assert pair.row("Crate 2", "placement")["piece"] == "piece-1"
    expect(card.get_by_role("button", name=re.compile("linked"))).to_have_count(0)
    pair.number(card, "Height", "3")
    pair.saved(start + 3)
    assert pair.row("Crate", "piece")["facts"]["high"][1] == 2, "the others keep their height"


def test_a_box_takes_what_is_behind_or_only_what_is_seen(pair: Hands) -> None:
    page = pair.page
    step(pair, "place_piece", "piece-2", position=[0, 0, 1.2])
    page.keyboard.press("Shift+3")
    pair.settle(4)
    # seen from the front the post at z = 5 hides the one at z = 1.2
    corners = [pair.seen(-0.9, 1.4, 5), pair.seen(0.9, -0.4, 5)]
    card = page.get_by_role("region", name="Selection")
    pair.drag(*corners)
    expect(card).to_contain_text("2 selected")
    page.get_by_role("radio", name="Front only").click()
    pair.settle(3)
    pair.drag(*corners)
    expect(card.get_by_role("heading", name="Post", exact=True)).to_be_visible()


def test_a_piece_is_placed_at_typed_coordinates_by_keys_alone(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    pair.tile("Crate").focus()
    page.keyboard.press("Space")
    expect(page.get_by_role("region", name="Selection").get_by_role("heading", name="Crate")).to_be_visible()
    page.keyboard.press("Control+k")
    finder = page.get_by_role("searchbox", name="Find a tool")
    expect(finder).to_be_focused()
    finder.fill("puts the piece into")
    expect(page.get_by_role("listbox", name="Tools").get_by_role("option")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.locator("output")).to_contain_text("Click to place Crate")
    page.keyboard.type("4*1.2; 0.5; -3")
    page.keyboard.press("Enter")
    pair.saved(start + 1)
    assert pair.row("Crate 4", "placement")["position"] == [pytest.approx(4.8, abs=1e-12), 0.5, -3]


def test_distances_are_measured_kept_and_a_player_fits(pair: Hands) -> None:
    page = pair.page
    start = pair.level()["revision"]
    pair.viewport.focus()
    page.keyboard.press("m")
    card = page.get_by_role("region", name="Measure")
    for at, word in (([0.5, 1, 0.5], "from this vertex"), ([0.5, 1, 5.5], "to this vertex")):
        page.mouse.move(*pair.seen(*at))
        expect(page.locator("output")).to_contain_text(word)
        page.mouse.down()
        page.mouse.up()
        pair.settle(4)
    expect(card).to_contain_text("5.000 m")
    expect(card).to_contain_text("0.000 m")
    card.get_by_role("button", name="Fits a player?").click()
    expect(card.get_by_role("status")).to_contain_text(re.compile("Fits|Does not fit"))
    card.get_by_role("button", name="Keep in sight").click()
    pair.saved(start + 1)
    kept = pair.row("Measure", "measure")
    assert np.linalg.norm(np.subtract(kept["end"], kept["start"])) == pytest.approx(5, abs=1e-9)


def test_a_lock_gate_turns_about_its_hinge(page: object, server: object) -> None:
    hands = Hands(page, server.url)  # type: ignore[arg-type, attr-defined]
    hands.page.keyboard.press("Alt+2")
    rows = hands.page.get_by_role("treegrid", name="Level")
    rows.get_by_role("row", name="Lock gates").get_by_role("button", name="Expand").click()
    hands.in_list("North gate")
    hands.page.keyboard.press("l")
    hands.settle(8)
    start = hands.level()["revision"]
    gate, leaf, beam = hands.row("North gate"), hands.row("North leaf"), hands.row("North beam")
    # the group's pivot is the hinge, and the handles stand there
    x, y, z = hinge = gate["position"]
    assert leaf["position"] == hinge
    pick(hands, "Axes of the handles", "World")
    scale = hands.handle_scale((x, y, z))
    hands.page.mouse.move(*hands.seen(x + 0.86 * scale * math.sin(0.5), y, z + 0.86 * scale * math.cos(0.5)))
    expect(hands.page.locator("output")).to_contain_text("Turn about Y")
    hands.page.keyboard.type("35")
    hands.page.keyboard.press("Enter")
    hands.saved(start + 1)
    c, s = math.cos(math.radians(35)), math.sin(math.radians(35))

    def turned(p: list[float]) -> list[float]:
        dx, dz = p[0] - x, p[2] - z
        return [x + c * dx + s * dz, p[1], z - s * dx + c * dz]

    for before in (leaf, beam):
        after = hands.row(before["name"])
        assert after["position"] == pytest.approx(turned(before["position"]), abs=1e-9)
        spin = Rotation.from_quat(after["turn"]) * Rotation.from_quat(before["turn"]).inv()
        assert spin.as_rotvec(degrees=True) == pytest.approx([0, 35, 0], abs=1e-9)
    assert hands.row("North leaf")["position"] == hinge, "the hinge stays"
    assert hands.row("South leaf")["turn"] != hands.row("North leaf")["turn"]


def eye(hands: Hands) -> list[float]:
    return [float(v) for v in (hands.viewport.get_attribute("data-eye") or "").split()]


@long
def test_walking_over_the_footbridge(page: object, server: object) -> None:
    hands = Hands(page, server.url)  # type: ignore[arg-type, attr-defined]
    keyboard = hands.page.keyboard
    keyboard.press("Alt+2")
    hands.in_list("Footbridge 10 m")
    keyboard.press("l")
    hands.settle(4)
    keyboard.press("Shift+5")
    player = hands.page.get_by_role("toolbar", name="Player")
    expect(player).to_be_visible()
    hands.settle(4)
    top = eye(hands)
    assert top[1] > 3.5, "on the bridge"
    hands.page.get_by_role("button", name="Look north").click()
    hands.viewport.focus()
    heights = [top[1]]
    for _ in range(60):
        keyboard.down("w")
        hands.settle(6)
        keyboard.up("w")
        heights.append(eye(hands)[1])
        if eye(hands)[2] < -7:
            break
    x, y, z = eye(hands)
    assert z < -7, "across, on the far bank"
    assert y == pytest.approx(1.34 + 1.7, abs=0.06)
    assert abs(x - top[0]) < 0.6, "between the railings"
    assert max(heights) > y + 0.7
    keyboard.press("Escape")
    expect(player).to_have_count(0)
    expect(hands.page.get_by_role("radio", name="Free")).to_be_checked()
