"""Placing by mouse and keyboard: docking, spreading, baking, isolating."""

from __future__ import annotations

import json
import re
import urllib.request
from typing import Any
from urllib.error import HTTPError

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.ui.hands import Hands
from tests.within import whole


@pytest.fixture
def yard(bare: Hands) -> Hands:
    """The bare level in the stage Build, with a wedge and a box in it."""
    step(bare, "add_shape", shape={"kind": "wedge", "width": 4.0, "height": 2.0, "depth": 3.0}, position=[2, 0, 0])
    step(bare, "add_shape", shape={"kind": "box", "width": 1.0, "height": 1.0, "depth": 2.0}, position=[-3, 0, 1])
    expect(bare.page.get_by_role("treegrid", name="Level").get_by_role("row")).to_have_count(2)
    bare.page.keyboard.press("Alt+2")
    bare.page.keyboard.press("Shift+L")
    expect(bare.viewport).to_have_attribute("data-to-come", "0")
    bare.settle(4)
    return bare


def send(hands: Hands, route: str, body: dict[str, Any]) -> dict[str, Any]:
    request = urllib.request.Request(
        whole(f"{hands.url}/api/levels/{hands.level_id}/{route}"),
        json.dumps(body).encode(),
        {"Content-Type": "application/json"},
    )
    with urllib.request.urlopen(request) as reply:
        found: dict[str, Any] = json.load(reply)
    return found


ENDS = ("grip", "landing")


def step(hands: Hands, tool: str, *selection: str, **params: Any) -> dict[str, Any]:
    """A step taken by somebody else; the page follows. Work that commits in between is let go first."""
    for _ in range(20):
        revision = hands.level()["revision"]
        body = {"tool": tool, "params": params, "selection": selection, "revision": revision}
        try:
            return send(hands, "steps", body)
        except HTTPError as error:
            if error.code != 409 or json.load(error)["code"] != "stale_revision":
                raise
    raise AssertionError("Others commit all the time.")


def corner(hands: Hands, x: float, y: float, z: float, kind: str = "vertex") -> None:
    """Point at a corner until it is offered, and click it."""
    hands.page.mouse.move(*hands.seen(x, y, z))
    expect(hands.page.locator("output")).to_contain_text(kind)
    hands.page.mouse.down()
    hands.page.mouse.up()


def test_a_corner_is_docked_to_a_corner_and_meets_it_exactly(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    yard.in_list("Box")
    page.keyboard.press("k")
    expect(page.locator("output")).to_contain_text("Point at what the grip is to be")
    corner(yard, -2.5, 1, 2)
    expect(page.locator("output")).to_contain_text("lands")
    # the view may be turned between the picks
    page.mouse.move(*yard.seen(0, 0, 3))
    page.mouse.down(button="right")
    page.mouse.move(yard.seen(0, 0, 3)[0] + 20, yard.seen(0, 0, 3)[1] + 10)
    page.mouse.up(button="right")
    yard.settle()
    corner(yard, 0, 0, 1.5)
    yard.saved(start + 1)
    last = yard.level()["history"]["last"]["params"]
    box, wedge = yard.row("Box", "placement"), yard.row("Wedge", "placement")
    assert (last["grip"]["thing"], last["landing"]["thing"]) == (box["id"], wedge["id"])
    ends = []
    for end, row in (("grip", box), ("landing", wedge)):
        at = last[end]
        near = [0, 0, 1.5]
        where = {"thing": row["id"], "item": 0, "face": at["face"], "point": near, "reach": 0.01}
        ends.append(send(yard, "feature", where))
    assert [e["kind"] for e in ends] == ["vertex", "vertex"]
    assert [e["index"] for e in ends] == [last["grip"]["index"], last["landing"]["index"]]
    assert ends[0]["point"] == ends[1]["point"] == [0.0, 0.0, 1.5]
    # the tool stays for the next one until Escape
    expect(page.locator("output")).to_contain_text("Point at what the grip is to be")
    page.keyboard.press("Escape")
    expect(page.locator("output")).to_have_count(0)


def test_a_box_is_laid_flat_on_a_slope_with_a_gap(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    yard.in_list("Box")
    page.keyboard.press("k")
    corner(yard, -3, 0.5, 2, "face")
    page.keyboard.press("f")
    expect(page.locator("output")).to_contain_text("F: do not turn")
    slope = [2, 1, 0]
    corner(yard, *slope, "face")
    yard.saved(start + 1)
    page.keyboard.press("Escape")
    card = yard.last()
    yard.number(card, "Gap", "0.25")
    yard.saved(start + 2)
    yard.number(card, "Quarter turns", "1")
    yard.saved(start + 3)
    last = yard.level()["history"]["last"]["params"]
    found = []
    for end in ("grip", "landing"):
        at = last[end]
        where = {"thing": at["thing"], "item": at["item"], "face": at["face"], "point": slope, "reach": 0.0}
        found.append(send(yard, "feature", where))
    grip, landing = found
    normal = np.array(landing["normal"])
    assert 0.3 < normal[1] < 0.95, "the landing slopes"
    assert np.abs(np.array(grip["normal"]) + normal).max() < 1e-9
    assert np.abs(np.subtract(grip["point"], landing["point"]) - 0.25 * normal).max() < 1e-9
    yard.viewport.focus()
    page.keyboard.press("Control+z")
    yard.saved(start + 4)


def test_a_slope_and_a_hinge_take_three_actions_each(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    yard.viewport.focus()
    # with nothing selected, what is gripped is what is docked; a face on a face lies flat
    page.keyboard.press("k")
    corner(yard, -3, 0.5, 2, "face")
    corner(yard, 2, 1, 0, "face")
    yard.saved(start + 1)
    last = yard.level()["history"]["last"]
    assert (last["tool"], last["params"]["contact"]) == ("dock", True)
    assert last["selection"] == [yard.row("Box", "placement")["id"]]
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    yard.saved(start + 2)
    yard.settle(4)
    # a pivot: select, P, click the place
    yard.in_list("Box")
    page.keyboard.press("p")
    expect(page.locator("output")).to_contain_text("for the pivot")
    corner(yard, -2.5, 1, 2)
    yard.saved(start + 3)
    assert yard.row("Box", "piece")["pivot"] == [0.5, 1, 1]
    assert yard.row("Box", "placement")["position"] == [-2.5, 1, 2], "the piece stays"
    expect(page.get_by_role("region", name="Set pivot")).to_have_count(0)


def test_a_pivot_is_docked_onto_a_point_of_a_path(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    step(yard, "draw_path", points=[{"position": [-1.3, 0, 2.7]}, {"position": [0.5, 0.21, 3]}], smooth=False)
    expect(page.get_by_role("treegrid", name="Level").get_by_role("row", name="Path")).to_be_visible()
    yard.viewport.focus()
    page.keyboard.press("k")
    prompt = page.locator("output")
    page.mouse.move(*yard.seen(-3, 1, 1.2))
    expect(prompt).to_contain_text("grip this face")
    page.keyboard.press("p")
    expect(prompt).to_contain_text("grip this pivot")
    page.mouse.down()
    page.mouse.up()
    expect(prompt).to_contain_text("lands")
    page.mouse.click(*yard.seen(0.5, 0.21, 3))
    yard.saved(start + 2)
    assert yard.row("Box", "placement")["position"] == [0.5, 0.21, 3]
    assert yard.level()["history"]["last"]["params"]["grip"]["kind"] == "pivot"


def test_a_whole_path_is_moved_and_turned_by_its_handles(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    step(yard, "draw_path", points=[{"position": [-2, 0, 3]}, {"position": [2, 0, 3]}], smooth=False)
    path = yard.row("Path", "path")
    step(yard, "lay_course", path["id"], piece=yard.row("Box", "piece")["id"], fit="number", number=3)
    yard.in_list("Path")
    for handle, value, after in (
        ((0.75, 0, 0), "2", [[0, 0, 3], [4, 0, 3]]),
        ((0, 0, 0.75), "to 5", [[0, 0, 5], [4, 0, 5]]),
    ):
        points = [p["position"] for p in yard.row("Path", "path")["points"]]
        middle = tuple(np.mean(points, axis=0))
        size = yard.handle_scale(middle)
        page.mouse.move(*yard.seen(*(np.array(middle) + size * np.array(handle))))
        expect(page.locator("output")).to_contain_text("Move along")
        before = yard.level()["revision"]
        page.keyboard.type(value)
        page.keyboard.press("Enter")
        yard.saved(before + 1)
        assert [p["position"] for p in yard.row("Path", "path")["points"]] == after
        yard.settle(4)
    # its points lie over the handles, and are dragged as before
    page.keyboard.press("Shift+L")
    yard.settle(4)
    end = yard.seen(4, 0, 5)
    yard.drag(end, (end[0] + 60, end[1]))
    yard.saved(start + 5)
    (first, last) = yard.row("Path", "path")["points"]
    assert first["position"] == [0, 0, 5]
    assert last["position"] != [4, 0, 5]
    # what is laid along it does not keep a whole selection from being moved
    page.keyboard.press("Control+a")
    expect(page.get_by_role("region", name="Selection")).to_contain_text("4 selected")
    before = {r["name"]: r["position"] for r in yard.level()["changed"] if r["kind"] == "placement"}
    yard.tool("Move").click()
    yard.number(page.get_by_role("region", name="Move"), "By X", "1.5")
    yard.saved(start + 6)
    for name, (x, y, z) in before.items():
        assert yard.row(name, "placement")["position"] == [x + 1.5, y, z]
    assert yard.row("Path", "path")["points"][0]["position"] == [1.5, 0, 5]


def test_two_quick_presses_are_a_grip_and_a_landing(yard: Hands) -> None:
    start = yard.level()["revision"]
    yard.viewport.focus()
    yard.page.keyboard.press("k")
    yard.page.mouse.click(*yard.seen(-2.5, 1, 2))
    yard.page.mouse.click(*yard.seen(0, 0, 1.5))
    yard.saved(start + 1)
    told = yard.level()["history"]["last"]["params"]
    assert (told["grip"]["kind"], told["landing"]["kind"]) == ("vertex", "vertex")
    assert told["grip"]["thing"] == yard.row("Box", "placement")["id"]


def test_a_boom_is_shortened_and_its_fittings_follow_in_six_actions(bare: Hands) -> None:
    page = bare.page
    boom = {"kind": "box", "width": 10.0, "height": 0.3, "depth": 0.3}
    step(bare, "add_shape", shape=boom, name="Boom", position=[0, 2, 0])
    fitting = {"kind": "box", "width": 0.5, "height": 0.5, "depth": 0.5}
    made = step(bare, "add_shape", shape=fitting, name="Fitting", position=[-5, 2.3, 0])
    piece = next(r["id"] for r in made["changed"] if r["kind"] == "piece")
    step(bare, "place_piece", piece, position=[5, 2.3, 0])
    expect(page.get_by_role("treegrid", name="Level").get_by_role("row")).to_have_count(3)
    page.keyboard.press("Alt+2")
    page.keyboard.press("Shift+3")
    page.keyboard.press("Shift+L")
    bare.settle(4)
    expect(bare.viewport).to_have_attribute("data-to-come", "0")
    bare.settle(4)
    start = bare.level()["revision"]
    card = page.get_by_role("region", name="Selection")
    # 1, 2, 3: the boom, its size, baked
    page.mouse.click(*bare.seen(1.5, 2.15, 0.15))
    expect(card.get_by_role("heading", name="Boom")).to_be_visible()
    bare.number(card, "Size X", "0.6")
    bare.saved(start + 1)
    card.get_by_role("button", name="Bake size").click()
    bare.saved(start + 2)
    # 4, 5, 6: a box round the fittings only, the tool, the factor
    bare.drag(bare.seen(-5.6, 2.95, 0), bare.seen(5.6, 2.2, 0))
    expect(card.get_by_role("heading", name="2 selected")).to_be_visible()
    bare.tool("Spread").click()
    bare.number(page.get_by_role("region", name="Spread"), "Factor", "0.6")
    bare.saved(start + 3)
    piece = bare.row("Boom", "piece")
    assert np.subtract(piece["facts"]["high"], piece["facts"]["low"]).tolist() == [6.0, 0.3, 0.3]
    assert bare.row("Boom", "placement")["size"] == [1, 1, 1]
    ends = [r for r in bare.level()["changed"] if r["kind"] == "placement" and r["name"] != "Boom"]
    assert sorted(r["position"] for r in ends) == [[-3.0, 2.3, 0.0], [3.0, 2.3, 0.0]]
    assert all(r["size"] == [1, 1, 1] for r in ends)


def test_things_are_spread_and_sizes_baked_from_their_cards(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    box, wedge = yard.row("Box", "placement"), yard.row("Wedge", "placement")
    page.keyboard.press("Control+a")
    yard.tool("Spread").click()
    card = page.get_by_role("region", name="Spread")
    yard.number(card, "Factor", "0.6")
    yard.saved(start + 1)
    now = [yard.row(n, "placement")["position"] for n in ("Box", "Wedge")]
    apart = np.subtract(box["position"], wedge["position"])
    assert np.abs(np.subtract(*now) - 0.6 * apart).max() < 1e-12
    step(yard, "set_pose", box["id"], size=[2, 1, 1])
    yard.in_list("Box")
    selection = page.get_by_role("region", name="Selection")
    expect(selection).to_contain_text("Unbaked size: 2 × 1 × 1")
    selection.get_by_role("button", name="Bake size").click()
    yard.saved(start + 3)
    assert yard.row("Box", "placement")["size"] == [1, 1, 1]
    expect(selection).not_to_contain_text("Unbaked size")
    expect(selection).to_contain_text("2.00 × 1.00 × 2.00 m")
    expect(yard.last().get_by_role("button", name=re.compile("Result"))).to_be_visible()


def test_things_are_hidden_locked_and_isolated(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    box = yard.seen(-3, 0.5, 2)
    yard.in_list("Wedge")
    page.keyboard.press("i")
    expect(page.get_by_role("button", name="Isolated I")).to_be_visible()
    yard.settle()
    page.mouse.click(*box)
    expect(page.get_by_role("region", name="Selection")).to_contain_text("Nothing selected")
    page.keyboard.press("i")
    yard.settle()
    page.mouse.click(*box)
    card = page.get_by_role("region", name="Selection")
    expect(card.get_by_role("heading", name="Box", exact=True)).to_be_visible()
    card.get_by_role("button", name="Lock", exact=True).click()
    yard.saved(start + 1)
    page.keyboard.press("Escape")
    page.mouse.click(*box)
    expect(card).to_contain_text("Nothing selected")
    yard.in_list("Box locked")
    page.keyboard.press("Delete")
    expect(page.get_by_role("alert")).to_contain_text("Box is locked. Unlock in the level list first.")
    card.get_by_role("button", name="Unlock").click()
    yard.saved(start + 2)
    page.keyboard.press("h")
    yard.saved(start + 3)
    expect(card).to_contain_text("Nothing selected")
    page.mouse.click(*box)
    expect(card).to_contain_text("Nothing selected")
    page.keyboard.press("Shift+H")
    yard.saved(start + 4)
    page.keyboard.press("j")
    expect(page.get_by_role("radio", name="Glass")).to_be_checked()
    page.keyboard.press("j")
    expect(page.get_by_role("radio", name="Edges", exact=True)).to_be_checked()


def test_a_box_turns_about_a_corner_that_is_picked(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    yard.in_list("Box")
    yard.tool("Turn").click()
    card = page.get_by_role("region", name="Turn")
    card.get_by_role("button", name=re.compile("About$")).click()
    page.get_by_role("option", name="Picked", exact=True).click()
    corner(yard, -2.5, 1, 2)
    expect(card.get_by_role("button", name="Picked", exact=True)).to_contain_text("Vertex of Box")
    yard.number(card, "Angle", "35")
    yard.saved(start + 1)
    box = yard.row("Box", "placement")
    away = np.array([-3, 1, 1]) - [-2.5, 1, 2]  # from the corner to above the pivot
    c, s = np.cos(np.radians(35)), np.sin(np.radians(35))
    turned = [c * away[0] + s * away[2], away[1], -s * away[0] + c * away[2]]
    assert np.abs(np.array(box["position"]) + np.array([0, 1, 0]) - turned - [-2.5, 1, 2]).max() < 1e-9


def test_a_corner_lands_anywhere_on_an_edge(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    yard.in_list("Box")
    page.keyboard.press("k")
    corner(yard, -2.5, 1, 2)
    prompt = page.locator("output")
    expect(prompt).to_contain_text("lands")
    page.mouse.move(*yard.seen(2.91, 0.01, 1.5))
    expect(prompt).to_contain_text("land on this place on the edge, 1.1 m from its end")
    page.mouse.down()
    page.mouse.up()
    yard.saved(start + 1)
    last = yard.level()["history"]["last"]["params"]
    assert (last["landing"]["kind"], last["contact"]) == ("on edge", False)
    near = {"item": 0, "point": [2.9, 0, 1.5], "reach": 0.01, "along": True}
    grip, landing = (send(yard, "feature", {**near, **{k: last[end][k] for k in ("thing", "face")}}) for end in ENDS)
    assert (grip["kind"], landing["kind"]) == ("vertex", "on edge")
    assert grip["point"] == landing["point"] == pytest.approx([2.9, 0, 1.5])


def test_pivots_are_measured_between_and_turned_about(yard: Hands) -> None:
    page = yard.page
    start = yard.level()["revision"]
    yard.viewport.focus()
    page.keyboard.press("m")
    prompt = page.locator("output")
    page.mouse.move(*yard.seen(-3, 1, 1.2))
    expect(prompt).to_contain_text("from this face centre")
    page.keyboard.press("p")
    for at, word in (((-3, 1, 1.2), "from this pivot"), ((2.2, 0.5, 1.5), "to this pivot")):
        corner(yard, *at, word)
        yard.settle(4)
    expect(page.get_by_role("region", name="Measure")).to_contain_text(f"{26**0.5:.3f} m")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    yard.in_list("Box")
    yard.tool("Turn").click()
    card = page.get_by_role("region", name="Turn")
    card.get_by_role("button", name=re.compile("About$")).click()
    page.get_by_role("option", name="Picked", exact=True).click()
    page.mouse.move(*yard.seen(2.2, 0.5, 1.5))
    expect(prompt).to_contain_text("P: take pivots")
    page.keyboard.press("p")
    corner(yard, 2.2, 0.5, 1.5, "this pivot")
    expect(card.get_by_role("button", name="Picked", exact=True)).to_contain_text("Pivot of Wedge")
    yard.number(card, "Angle", "90")
    yard.saved(start + 1)
    # from (-5, 1) seen from the wedge's pivot, a quarter to the left
    assert yard.row("Box", "placement")["position"] == pytest.approx([3, 0, 5], abs=1e-9)
