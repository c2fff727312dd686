"""Tasks of everyday, with as few actions as they take: a press, a click, a drag, or something typed is one."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from able_brick.core.edit.remove import flip
from able_brick.core.files.scene import Material, Scene, ScenePart
from able_brick.core.files.write import write_file
from able_brick.core.shapes.box import box
from tests.core.mend.test_faults import again, all_apart
from tests.ui.hands import Hands
from tests.ui.test_build import step


class Counting:
    """The hands, and how often they did something."""

    def __init__(self, hands: Hands) -> None:
        self.hands, self.page, self.actions = hands, hands.page, 0

    def press(self, key: str) -> None:
        self.actions += 1
        self.page.keyboard.press(key)

    def type(self, text: str) -> None:
        """Into what has the keyboard; a step to the next field belongs to it."""
        self.actions += 1
        self.page.keyboard.type(text)

    def click(self, x: float, y: float, z: float) -> None:
        self.actions += 1
        self.hands.click_at(x, y, z)

    def button(self, name: str) -> None:
        self.actions += 1
        self.hands.tool(name).click()


@pytest.fixture
def yard(bare: Hands) -> Counting:
    """A crate in an empty level, seen from above, selected."""
    step(bare, "add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 0.5}, name="Slab")
    bare.page.keyboard.press("Alt+2")
    bare.in_list("Slab")
    bare.page.keyboard.press("Shift+2")
    expect(bare.viewport).to_have_attribute("data-at-rest", "true")
    return Counting(bare)


def test_six_copies_at_a_typed_distance(yard: Counting) -> None:
    start = yard.hands.revision()
    yard.press("Control+d")
    expect(yard.page.get_by_role("region", name="Duplicate").get_by_role("textbox", name="Distance")).to_be_focused()
    yard.type("2.5; 6")
    yard.press("Enter")
    yard.hands.saved(start + 1)
    places = sorted(r["position"][0] for r in yard.hands.level()["changed"] if r["kind"] == "placement")
    assert places == [0, 2.5, 5, 7.5, 10, 12.5, 15]
    assert yard.actions <= 3


def test_a_spiral_of_stepped_copies(yard: Counting) -> None:
    start = yard.hands.revision()
    yard.press("Shift+O")
    card = yard.page.get_by_role("region", name="Stepped copies")
    expect(card.get_by_role("textbox", name="Copies")).to_be_focused()
    yard.type("12; 0 0.2 0; 0 30 0")
    expect(card.get_by_role("alert")).to_have_count(0)
    yard.press("Tab")
    expect(card.get_by_role("textbox", name="Turn vector Y")).to_have_value("30")
    yard.click(0.98, 1.0, 0.23)
    yard.hands.saved(start + 1)
    assert len([r for r in yard.hands.level()["changed"] if r["kind"] == "placement"]) == 13
    assert yard.actions <= 4


def test_a_wall_along_a_curved_path(yard: Counting) -> None:
    start = yard.hands.revision()
    yard.button("Draw course")
    for x, z in ((-6, 4), (0, 2), (6, 5)):
        yard.click(x, 0, z)
        yard.hands.settle(4)
    # what is laid is seen while it is drawn
    expect(yard.page.locator("output")).to_contain_text("items")
    yard.press("Enter")
    yard.hands.saved(start + 1)
    course = yard.hands.row("Slab course", "course")
    assert course["bend"]
    assert yard.hands.count(course["id"]) >= 6
    assert yard.actions <= 5
    yard.page.keyboard.press("Control+z")
    yard.hands.saved(start + 2)
    assert not [r for r in yard.hands.level()["changed"] if r["kind"] in ("course", "path")], "one step for both"


def test_a_ladder_of_four_kept_as_a_recipe(yard: Counting) -> None:
    page: Page = yard.page
    start = yard.hands.revision()
    step(yard.hands, "add_shape", shape={"kind": "sphere"}, name="Buoy")
    yard.hands.in_list("Buoy")
    page.keyboard.press("Alt+4")
    expect(page.get_by_role("region", name="Ladder")).to_be_visible()
    yard.press("y")
    card = page.get_by_role("region", name="Make ladder")
    card.get_by_role("button", name="One more rung").click()
    yard.actions += 1
    card.get_by_role("textbox", name="Recipe").fill("Buoys")
    yard.actions += 1
    yard.press("Enter")
    expect(page.get_by_text("The recipe Buoys is kept in the project.")).to_be_visible()
    yard.hands.saved(start + 2)
    assert len(yard.hands.row("Buoy", "piece")["ladder"]["rungs"]) == 4
    # and what it made can be made otherwise
    last = yard.hands.last()
    expect(last.get_by_role("textbox", name=re.compile("^Rung 4"))).to_be_visible()
    assert yard.actions <= 4


def test_two_forms_are_one_closed_mesh(yard: Counting) -> None:
    step(yard.hands, "place_piece", "piece-1", position=[2, 0, 0])
    expect(yard.page.get_by_role("treegrid", name="Level").get_by_role("row")).to_have_count(2)
    start = yard.hands.revision()
    yard.press("Control+a")
    expect(yard.page.get_by_role("region", name="Selection")).to_contain_text("2 selected")
    yard.button("Fuse")
    expect(yard.page.get_by_role("region", name="Fuse").get_by_role("textbox", name="Within")).to_be_focused()
    yard.press("Enter")
    yard.hands.saved(start + 1)
    (piece,) = [r for r in yard.hands.level()["changed"] if r["kind"] == "piece" and "fused" in r["name"]]
    assert piece["facts"]["closed"]
    assert piece["facts"]["faces"] == 10
    assert yard.actions <= 3
    # and are two again
    yard.page.keyboard.press("Control+z")
    yard.hands.saved(start + 2)
    assert len([r for r in yard.hands.level()["changed"] if r["kind"] == "placement"]) == 2


def test_a_region_of_faces_is_taken_out_as_a_piece(yard: Counting) -> None:
    page = yard.page
    start = yard.hands.revision()
    page.keyboard.press("Alt+3")
    expect(page.get_by_role("region", name="Shape", exact=True)).to_be_visible()
    page.keyboard.press("f")
    yard.hands.settle(6)
    yard.click(0.6, 1.0, 0.1)
    expect(page.get_by_role("region", name="Shape", exact=True)).to_contain_text("1 of 6 faces")
    yard.button("Detach")
    page.get_by_role("region", name="Detach").get_by_role("button", name="Detach").click()
    yard.actions += 1
    yard.hands.saved(start + 1)
    assert yard.hands.row("Slab part", "piece")["facts"]["faces"] == 1
    assert yard.hands.row("Slab part", "placement")["position"] == [0, 0, 0]
    assert yard.hands.row("Slab", "piece")["facts"]["faces"] == 5
    assert yard.actions <= 3


def test_two_forms_become_one_and_a_doorway_is_cut_in_three_actions(yard: Counting) -> None:
    block = {"kind": "box", "width": 1.0, "height": 2.0, "depth": 1.5}
    step(yard.hands, "add_shape", shape=block, name="Block", position=[1.2, 0, 0])
    expect(yard.page.get_by_role("treegrid", name="Level").get_by_role("row", name="Block")).to_be_visible()
    # the slab's bottom stays whole in that of the block
    for tool, triangles in (("Unite", 32), ("Subtract", 12)):
        start = yard.hands.revision()
        yard.actions = 0
        yard.click(-0.5, 1.0, 0.0)
        expect(yard.page.get_by_role("heading", name="Slab")).to_be_visible()
        yard.page.keyboard.down("Shift")
        yard.click(1.3, 2.0, 0.5)
        yard.page.keyboard.up("Shift")
        expect(yard.page.get_by_role("heading", name="2 selected")).to_be_visible()
        yard.button(tool)
        yard.hands.saved(start + 1)
        assert yard.actions <= 3
        (slab,) = (r for r in yard.hands.level()["changed"] if r["kind"] == "placement")
        assert slab["name"] == "Slab"
        facts = yard.hands.row("Slab", "piece")["facts"]
        assert facts["closed"]
        assert facts["triangles"] == triangles
        yard.page.keyboard.press("Control+z")
        yard.hands.saved(start + 2)
        expect(yard.page.get_by_role("treegrid", name="Level").get_by_role("row", name="Block")).to_be_visible()


def test_everything_wrong_with_a_broken_file_is_mended_in_three_actions(bare: Hands, tmp_path: Path) -> None:
    page, yard = bare.page, Counting(bare)
    form = flip(box(2.0, 1.0, 1.0, divisions=(2, 1, 1)), np.array([1, 6])).mesh
    broken = all_apart(again(form, np.array([3])), np.random.default_rng(1))
    file = tmp_path / "broken.obj"
    scene = Scene((ScenePart("Broken", broken, (Material("oak"),)),))
    file.write_bytes(write_file("broken.obj", scene)["broken.obj"])
    start = bare.revision()
    page.get_by_label("File to bring in").set_input_files(file)
    page.get_by_role("dialog", name="Bring in broken.obj").get_by_role("button", name=re.compile("^Add")).click()
    bare.saved(start + 1)
    yard.press("Alt+3")
    page.get_by_role("button", name="Check", exact=True).click()
    yard.actions += 1
    card = page.get_by_role("region", name="Check", exact=True)
    expect(card).to_contain_text("3 faults")
    # a look at a place is no part of the way
    card.get_by_role("button", name="Go to: Against each other").click()
    expect(page.get_by_role("region", name="Shape", exact=True)).to_contain_text("6 of ")
    card.get_by_role("button", name="Mend all that is safe").click()
    yard.actions += 1
    bare.saved(start + 2)
    expect(card).to_contain_text("nothing is wrong")
    facts = bare.row("Broken", "piece")["facts"]
    assert (facts["closed"], facts["faces"]) == (True, 10)
    assert yard.actions <= 3
