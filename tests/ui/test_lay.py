"""Walls, fences, rings and stairs by mouse and keyboard; actions are counted."""

from __future__ import annotations

import json
import re
import urllib.request
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Locator, expect

from tests.thorough import long
from tests.ui.hands import Hands
from tests.ui.test_build import step
from tests.within import whole


class Actions:
    """Clicks, drags, and what is typed at one go."""

    def __init__(self, hands: Hands) -> None:
        self.hands, self.page, self.taken = hands, hands.page, 0

    def click(self, what: Locator) -> None:
        self.taken += 1
        what.click()

    def press(self, keys: str) -> None:
        self.taken += 1
        self.page.keyboard.press(keys)

    def at(self, x: float, y: float, z: float) -> None:
        self.taken += 1
        self.hands.click_at(x, y, z)
        self.hands.settle(4)

    def drag(self, a: tuple[float, float, float], b: tuple[float, float, float]) -> None:
        self.taken += 1
        self.hands.drag(self.hands.seen(*a), self.hands.seen(*b))
        self.hands.settle(4)

    def fill(self, card: Locator, **values: str) -> None:
        """What is typed from field to field with the keyboard."""
        self.taken += 1
        for label, value in values.items():
            card.get_by_role("textbox", name=label.replace("_", " "), exact=True).fill(value)

    def choose(self, card: Locator, label: str, option: str) -> None:
        self.taken += 2
        card.get_by_role("button", name=re.compile(f"{label}$")).click()
        self.page.get_by_role("listbox", name=label).get_by_role("option", name=option, exact=True).click()


@pytest.fixture
def yard(bare: Hands) -> Hands:
    """A wall, a post and a wedge on the shelf, seen from above in the stage Build."""
    for name, size in (("Wall", (4.0, 3.0, 0.6)), ("Post", (0.5, 4.0, 0.5)), ("Gate", (3.0, 2.0, 0.3))):
        width, height, depth = size
        shape = {"kind": "box", "width": width, "height": height, "depth": depth}
        step(bare, "add_shape", shape=shape, name=name, position=[0, 0, -30])
    wedge = {"kind": "wedge", "width": 2.0, "height": 1.0, "depth": 1.0}
    step(bare, "add_shape", shape=wedge, name="Wedge", position=[0, 0, -34])
    expect(bare.page.get_by_role("treegrid", name="Level").get_by_role("row")).to_have_count(4)
    bare.page.keyboard.press("Alt+2")
    bare.page.keyboard.press("Shift+2")
    bare.page.keyboard.press("Shift+L")
    expect(bare.viewport).to_have_attribute("data-to-come", "0")
    bare.settle(6)
    return bare


def tool(hands: Hands, name: str) -> Locator:
    return hands.tool(name)


def card(hands: Hands, name: str) -> Locator:
    return hands.page.get_by_role("region", name=name, exact=True)


def rows(hands: Hands, thing: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = hands.level()["items"][thing]
    return found


def look_at(hands: Hands) -> None:
    """A plan of the yard where there is room to draw."""
    step(hands, "draw_path", points=[{"position": [-16, 0, -12]}, {"position": [16, 0, 12]}], name="Frame")
    hands.in_list("Frame")
    hands.page.keyboard.press("l")
    hands.settle(30)
    hands.page.keyboard.press("Delete")
    hands.settle(10)


def test_a_wall_along_an_s_path_is_closed_gets_a_gate_follows_its_path_and_is_undone(yard: Hands) -> None:
    look_at(yard)
    page, begun = yard.page, yard.level()["revision"]
    do = Actions(yard)
    do.click(tool(yard, "Draw path"))
    do.at(-14, 0, -8)
    do.at(-4, 0, -2)
    do.at(4, 0, 6)
    do.at(14, 0, 8)
    page.keyboard.press("Enter")
    yard.saved(begun + 1)
    do.click(tool(yard, "Lay course"))
    laying = card(yard, "Lay course")
    laying.get_by_role("button", name=re.compile("Piece$")).click()
    page.get_by_role("listbox", name="Piece").get_by_role("option", name="Wall", exact=True).click()
    expect(laying).to_contain_text("ends closed exactly")
    page.get_by_role("button", name="Lay course").last.click()
    yard.saved(begun + 2)
    course = yard.row("Wall course", "course")
    assert course["bend"]
    runs = rows(yard, course["id"])
    count = runs[0]["count"]

    # a gate in the place of one item, by a click on it
    yard.tool("Swap items").click()
    swap = card(yard, "Swap items")
    swap.get_by_role("button", name=re.compile("Piece$")).click()
    page.get_by_role("listbox", name="Piece").get_by_role("option", name="Gate", exact=True).click()
    where = yard.level()["paths"][course["path"]]["line"]
    middle = where[len(where) // 2]
    page.mouse.move(*yard.seen(middle[0], 3.0, middle[2]))
    expect(page.locator("output")).to_contain_text("Click to take this")
    page.mouse.down()
    page.mouse.up()
    yard.saved(begun + 3)
    others = yard.row("Wall course", "course")["others"]
    assert [o["piece"] for o in others] == [yard.row("Gate", "piece")["id"]]

    # a point of the path dragged: everything follows
    yard.in_list("Path")
    before = {r["mesh"] for r in rows(yard, course["id"])}
    x, _, z = yard.row("Path", "path")["points"][1]["position"]
    yard.drag(yard.seen(x, 0, z), yard.seen(x - 2, 0, z + 4))
    yard.saved(begun + 4)
    after = rows(yard, course["id"])
    assert {r["mesh"] for r in after} != before
    assert abs(after[0]["count"] - count) <= 2
    assert sum(1 for r in after if r["piece"] == yard.row("Gate", "piece")["id"]) == 1

    # made real, and all of it undone
    yard.in_list("Wall course")
    tool(yard, "Make real").click()
    yard.saved(begun + 5)
    assert yard.row("Wall course", "piece")["facts"]["closed"]
    yard.viewport.focus()
    for k in range(5):
        page.keyboard.press("Control+z")
        yard.saved(begun + 6 + k)
    assert not [r for r in yard.level()["changed"] if r["kind"] in ("path", "course")]


def test_a_curved_wall_takes_eight_actions(yard: Hands) -> None:
    look_at(yard)
    begun = yard.level()["revision"]
    do = Actions(yard)
    do.click(tool(yard, "Draw path"))
    do.at(-12, 0, 0)
    do.at(0, 0, 6)
    do.at(12, 0, 0)
    do.press("Enter")
    yard.saved(begun + 1)
    do.click(tool(yard, "Lay course"))
    laying = card(yard, "Lay course")
    do.click(laying.get_by_role("button", name="Lay course"))
    yard.saved(begun + 2)
    assert "closed exactly" in yard.level()["history"]["last"]["note"]
    do.click(tool(yard, "Make real"))
    yard.saved(begun + 3)
    assert yard.row("Wall course", "piece")["facts"]["closed"]
    assert do.taken <= 8


def test_six_copies_take_three_actions_and_one_more_goes_on(yard: Hands) -> None:
    begun = yard.level()["revision"]
    do = Actions(yard)
    yard.in_list("Post")
    do.taken += 1
    do.press("Control+d")
    copies = card(yard, "Duplicate")
    do.fill(copies, Distance="1.5", Copies="6")
    copies.get_by_role("textbox", name="Copies").press("Enter")
    yard.saved(begun + 1)
    assert do.taken <= 3
    assert yard.row("Post 7")["position"] == [9.0, 0.0, -30.0]
    yard.in_list("Post 7")
    yard.viewport.focus()
    for k in range(5):
        yard.page.keyboard.press("o")
        yard.saved(begun + 2 + k)
    assert yard.row("Post 12")["position"] == [16.5, 0.0, -30.0]
    for k in range(6):
        yard.page.keyboard.press("Control+z")
        yard.saved(begun + 7 + k)
    assert len([r for r in yard.level()["changed"] if r["kind"] == "placement"]) == 4


def test_a_spiral_stair_takes_four_actions(yard: Hands) -> None:
    step(yard, "place_piece", yard.row("Post", "piece")["id"], position=[-6, 0, -30])
    # the view looks at all of it only once the post has come
    expect(yard.page.get_by_role("treegrid", name="Level").get_by_role("row")).to_have_count(5)
    yard.page.keyboard.press("Shift+L")
    expect(yard.viewport).to_have_attribute("data-to-come", "0")
    yard.settle(30)
    begun = yard.level()["revision"]
    do = Actions(yard)
    yard.in_list("Gate")
    do.taken += 1
    yard.viewport.focus()
    do.press("Shift+O")
    stair = card(yard, "Stepped copies")
    do.taken += 1
    stair.get_by_role("textbox", name="Copies").fill("11")
    stair.get_by_role("textbox", name="Offset Y").fill("0.18")
    stair.get_by_role("textbox", name="Turn vector Y").fill("20")
    stair.get_by_role("textbox", name="Turn vector Y").press("Tab")
    at = yard.seen(-6, 4, -30)
    do.taken += 1
    yard.page.mouse.move(*at)
    expect(yard.page.locator("output")).to_contain_text("face centre")
    yard.page.mouse.down()
    yard.page.mouse.up()
    yard.saved(begun + 1)
    assert do.taken <= 4
    steps = [r for r in yard.level()["changed"] if r["kind"] == "placement" and r["name"].startswith("Gate")]
    away = [np.hypot(r["position"][0] + 6, r["position"][2] + 30) for r in steps]
    assert away == pytest.approx([6.0] * 12, abs=1e-6)
    assert sorted(r["position"][1] for r in steps) == pytest.approx([0.18 * k for k in range(12)])


def test_a_ring_of_lamps_and_a_mirrored_gate(yard: Hands) -> None:
    begun = yard.level()["revision"]
    yard.in_list("Post")
    tool(yard, "Array").click()
    ring = card(yard, "Array")
    ring.get_by_text("Ring", exact=True).click()
    ring.get_by_role("textbox", name="Items").fill("8")
    ring.get_by_role("textbox", name="Radius").fill("5")
    ring.get_by_role("textbox", name="Radius").press("Enter")
    yard.saved(begun + 1)
    made = yard.row("Post row", "array")
    places = np.array(rows(yard, made["id"])[0]["rows"])[:, :3]
    assert np.linalg.norm(places - places.mean(axis=0), axis=1) == pytest.approx(np.full(8, 5.0), abs=1e-9)

    yard.in_list("Wedge")
    yard.viewport.focus()
    yard.page.keyboard.press("Shift+M")
    mirror = card(yard, "Mirror")
    mirror.get_by_role("button", name="Z", exact=True).click()
    mirror.get_by_role("button", name="X", exact=True).click()
    mirror.get_by_role("button", name="Mirror").click()
    yard.saved(begun + 2)
    image = yard.row("Wedge 2", "placement")
    assert min(image["size"]) > 0


def test_the_ends_of_an_array_are_pulled_and_typed(yard: Hands) -> None:
    look_at(yard)
    page = yard.page
    made = step(yard, "add_shape", shape={"kind": "box", "width": 1.0, "height": 1.0, "depth": 1.0}, name="Kerb")
    placed = made["select"][0]
    begun = step(yard, "line_array", placed, form="line", count=3, spacing=2.0)["revision"]
    yard.in_list("Kerb row")
    yard.viewport.focus()
    yard.settle(10)

    def pull(of: str, by: float) -> None:
        array = yard.row("Kerb row", "array")["id"]
        with urllib.request.urlopen(whole(f"{yard.url}/api/levels/{yard.level_id}/ends/{array}")) as reply:
            ends = json.load(reply)["ends"]
        end = next(e for e in ends if e["of"] == of)
        at, way = np.array(end["at"]), np.array(end["way"])
        yard.drag(yard.seen(*at), yard.seen(*(at + by * way)))

    pull("count", 4.0)
    yard.saved(begun + 1)
    assert yard.row("Kerb row", "array")["count"] == 5
    yard.settle(30)
    pull("spacing", 4.0)
    yard.saved(begun + 2)
    row = yard.row("Kerb row", "array")
    assert row["count"] == 5
    assert row["spacing"] == pytest.approx(3.0, abs=0.051)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    yard.saved(begun + 4)
    assert yard.row("Kerb row", "array")["count"] == 3


@long
def test_a_starter_takes_two_drags_and_its_points_are_turned_and_leant(yard: Hands) -> None:
    look_at(yard)
    page, begun = yard.page, yard.level()["revision"]
    page.keyboard.press("Control+k")
    page.keyboard.type("Start a path")
    page.keyboard.press("Enter")
    box = card(yard, "Start a path")
    expect(box).to_be_visible()
    yard.drag(yard.seen(-10, 0, -5), yard.seen(0, 0, -5))
    side = yard.seen(0, 0, -1)
    page.mouse.move(*side)
    yard.settle(10)
    page.mouse.click(*side)
    yard.saved(begun + 1)
    made = yard.row("S path", "path")
    first, last = (np.array(made["points"][k]["position"]) for k in (0, -1))
    assert last - first == pytest.approx([10, 0, 4], abs=0.51)
    assert first == pytest.approx([-10, 0, -5], abs=0.26)

    expect(box).to_have_count(0)
    yard.in_list("S path")
    two = [made["points"][k]["position"] for k in (1, 2)]
    page.mouse.click(*yard.seen(*two[0]))
    page.keyboard.down("Shift")
    page.mouse.click(*yard.seen(*two[1]))
    page.keyboard.up("Shift")
    chosen = card(yard, "Selection")
    chosen.get_by_role("textbox", name="Turn").fill("90")
    chosen.get_by_role("textbox", name="Turn").press("Enter")
    yard.saved(begun + 2)
    now = np.array([yard.row("S path")["points"][k]["position"] for k in (1, 2)])
    before = np.array(two)
    assert now.mean(axis=0) == pytest.approx(before.mean(axis=0), abs=1e-6)
    x, _, z = before[1] - before[0]
    assert now[1] - now[0] == pytest.approx([z, 0, -x], abs=1e-6)
    dial = chosen.get_by_role("slider", name="Lean by hand")
    dial.focus()
    page.keyboard.press("ArrowRight")
    yard.saved(begun + 3)
    assert [yard.row("S path")["points"][k]["roll"] for k in (0, 1, 2)] == [0, 5, 5]
    at = dial.bounding_box()
    assert at
    middle = (at["x"] + at["width"] / 2, at["y"] + at["height"] / 2)
    yard.drag((middle[0], middle[1] - 16), (middle[0] + 16, middle[1]))
    yard.saved(begun + 4)
    assert yard.row("S path")["points"][1]["roll"] == 95
    height = chosen.get_by_role("group", name="Middle").get_by_role("textbox").nth(1)
    height.fill("1.5")
    height.press("Enter")
    yard.saved(begun + 5)
    assert [yard.row("S path")["points"][k]["position"][1] for k in (0, 1, 2)] == pytest.approx([0, 1.5, 1.5])


def test_a_path_is_drawn_over_what_stands_there(yard: Hands) -> None:
    look_at(yard)
    page = yard.page
    shape = {"kind": "box", "width": 4.0, "height": 2.0, "depth": 4.0}
    begun = step(yard, "add_shape", shape=shape, name="Mound", position=[-4, 0, 8])["revision"]
    yard.settle(20)
    page.keyboard.press("Control+k")
    page.keyboard.type("Draw path")
    page.keyboard.press("Enter")
    yard.viewport.focus()
    page.keyboard.press("u")
    for at in ((-12, 0, 8), (-4, 2, 8), (4, 0, 8)):
        place = yard.seen(*at)
        page.mouse.move(*place)
        page.mouse.click(*place)
    page.keyboard.press("Enter")
    yard.saved(begun + 1)
    path = next(r for r in yard.level()["changed"] if r["kind"] == "path" and r["name"].startswith("Path"))
    assert [p["position"][1] for p in path["points"]] == pytest.approx([0, 2, 0], abs=1e-5)
    page.keyboard.press("Control+z")
    yard.saved(begun + 2)


def test_a_fence_with_corner_posts_and_a_gate_takes_eight_settings(yard: Hands) -> None:
    look_at(yard)
    begun = yard.level()["revision"]
    corners = [{"position": p, "sharp": True} for p in ([-12, 0, -6], [10, 0, -6], [10, 0, 8])]
    made = step(yard, "draw_path", points=corners, name="Fence line")
    assert made["revision"] == begun + 1
    yard.in_list("Fence line")
    do = Actions(yard)
    do.click(tool(yard, "Lay course"))
    laying = card(yard, "Lay course")
    do.choose(laying, "Corner", "Post")
    do.click(laying.get_by_role("button", name="Lay course"))
    yard.saved(begun + 2)
    course = yard.row("Wall course", "course")
    posts = [r for r in rows(yard, course["id"]) if r["piece"] == yard.row("Post", "piece")["id"]]
    assert sum(len(r["rows"]) for r in posts) == 3, "at both ends and in the corner"

    do.click(tool(yard, "Swap items"))
    do.choose(card(yard, "Swap items"), "Piece", "Gate")
    page = yard.page
    page.mouse.move(*yard.seen(0, 3.0, -6))
    expect(page.locator("output")).to_contain_text("Click to take this")
    do.taken += 1
    page.mouse.down()
    page.mouse.up()
    yard.saved(begun + 3)
    gates = [r for r in rows(yard, course["id"]) if r["piece"] == yard.row("Gate", "piece")["id"]]
    assert sum(len(r["rows"]) for r in gates) == 1
    assert do.taken <= 8
