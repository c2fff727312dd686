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
    expect(card(bare, "Shape")).to_contain_text("stands 2 times")
    return bare


def card(hands: Hands, name: str) -> Locator:
    return hands.page.get_by_role("region", name=name, exact=True)


def tool(hands: Hands, name: str) -> Locator:
    return card(hands, "Tools").get_by_role("button", name=re.compile(f"^{name}( |$)"))


def facts(hands: Hands) -> dict[str, Any]:
    found: dict[str, Any] = hands.row("Wall", "piece")["facts"]
    return found


def test_a_door_is_pushed_in_by_four_actions_and_both_walls_have_it(wall: Hands) -> None:
    page, begun = wall.page, wall.level()["revision"]
    before = facts(wall)
    wall.click_at(-0.5, 0.4, 0.3)  # 1
    expect(card(wall, "Shape")).to_contain_text(re.compile("^.*1 of [0-9]+ faces", re.S))
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


def test_a_canopy_by_extrusions_and_tapers_by_turns(wall: Hands) -> None:
    page, begun = wall.page, wall.level()["revision"]
    page.mouse.dblclick(*wall.seen(-0.5, 0.4, 0.3))
    expect(card(wall, "Shape")).to_contain_text("12 of ")
    for k in range(2):
        tool(wall, "Extrude").click()
        depth = card(wall, "Extrude").get_by_role("textbox", name="Depth")
        depth.fill("0.5")
        depth.press("Enter")
        wall.saved(begun + 2 * k + 1)
        tool(wall, "Taper").click()
        card(wall, "Taper").get_by_role("button", name="Taper", exact=True).click()
        wall.saved(begun + 2 * k + 2)
    assert facts(wall)["closed"]
    assert facts(wall)["high"][2] == pytest.approx(1.3, abs=1e-9)


def test_a_box_takes_faces_through_or_from_the_front(wall: Hands) -> None:
    shape = card(wall, "Shape")
    whole = facts(wall)["faces"]
    wall.viewport.focus()
    wall.page.keyboard.press("Shift+3")
    wall.settle(20)
    around = (wall.seen(-2.4, -0.3, 0.3), wall.seen(2.4, 3.3, 0.3))
    wall.drag(*around)
    expect(shape).to_contain_text(f"{whole} of {whole} faces")
    shape.get_by_text("Front only", exact=True).click()
    wall.drag(*around)
    expect(shape).not_to_contain_text(f"{whole} of {whole} faces")
    expect(shape).to_contain_text(re.compile(f"[1-9][0-9]* of {whole} faces"))
    shape.get_by_text("Through", exact=True).click()
