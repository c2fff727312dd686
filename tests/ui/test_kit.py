"""The kit by mouse and keyboard: shapes drawn, dimensions dragged, pivots picked, files dropped in, the shelf kept."""

from __future__ import annotations

import base64
import json
import re
import urllib.request
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect
from scipy.spatial.transform import Rotation

from able_brick.core.files.scene import Material, Scene, ScenePart
from able_brick.core.files.write import write_file
from able_brick.core.shapes.plane import plane
from tests.core.test_formats import OBJ
from tests.thorough import by_day
from tests.ui.conftest import Server
from tests.ui.hands import Hands, poses_of
from tests.within import whole


@pytest.fixture
def hands(page: Page, server: Server) -> Hands:
    made = Hands(page, server.url)
    page.keyboard.press("Alt+1")
    made.settle()
    return made


@pytest.fixture
def kit(bare: Hands) -> Hands:
    """The bare level in the stage Kit."""
    bare.page.keyboard.press("Alt+1")
    bare.settle()
    return bare


def board(page: Page, shape: str) -> None:
    page.get_by_role("region", name="Draw a piece").get_by_role("button", name=shape, exact=True).click()


def base(hands: Hands, x: float, z: float, x1: float, z1: float, y: float = 0.0) -> None:
    """Drag the first stage from one place of the ground to another."""
    hands.drag(hands.seen(x, y, z), hands.seen(x1, y, z1), moves=3)
    hands.settle(4)


def typed(hands: Hands, text: str) -> None:
    hands.page.keyboard.type(text)
    hands.page.keyboard.press("Enter")
    hands.settle()


def point(hands: Hands, x: float, y: float, z: float) -> None:
    """Move to a place and click there: what the stage shows is accepted."""
    at = hands.seen(x, y, z)
    hands.page.mouse.move(*at, steps=3)
    hands.settle(4)
    hands.page.mouse.click(*at)
    hands.settle()


def shape_of(hands: Hands, name: str) -> dict[str, Any]:
    found: dict[str, Any] = hands.row(name, "piece")["dimensions"]["shape"]
    return found


#: Each shape: how its base is dragged, what its later stages are typed or pointed, what must come out.
DRAWN: list[tuple[str, list[str], dict[str, float]]] = [
    ("Box", ["1.75"], {"width": 2.0, "depth": 2.0, "height": 1.75}),
    ("Plane", ["2"], {"width": 2.0, "depth": 2.0}),
    ("Wedge", ["0.8"], {"width": 2.0, "depth": 2.0, "height": 0.8}),
    ("Pyramid", ["2*1.25"], {"width": 2.0, "height": 2.5}),
    ("Cylinder", ["3"], {"radius": 3.0, "height": 3.0}),
    ("Cone", ["2.2"], {"radius": 3.0, "height": 2.2}),
    ("Sphere", ["3"], {"radius": 3.0}),
    ("Capsule", ["7"], {"radius": 3.0, "height": 7.0}),
    ("Tube", ["0.25", "1.5"], {"radius": 3.0, "thickness": 0.25, "height": 1.5}),
    ("Torus", ["0.4"], {"radius": 3.0, "section": 0.4}),
    ("Helix", ["0.5", "2.5", "0.1"], {"radius": 3.0, "pitch": 0.5, "turns": 2.5, "section": 0.1}),
    ("Arch", ["1.2", "0.3"], {"span": 2.0, "depth": 2.0, "rise": 1.2, "thickness": 0.3}),
    ("Doorway", ["3", "0.1 0.9 0 2.1"], {"width": 2.0, "height": 3.0, "offset": 0.1, "opening_width": 0.9}),
    ("Stairs", ["1.8"], {"width": 2.0, "depth": 2.0, "height": 1.8}),
    ("Spiral stairs", ["0.5", "3.6"], {"radius": 3.0, "core": 0.5, "height": 3.6}),
    ("Lettering", ["0.75"], {"height": 0.75}),
]


def test_every_shape_is_drawn_by_mouse_and_typed(kit: Hands) -> None:
    page = kit.page
    for k, (title, stages, dimensions) in enumerate(by_day(DRAWN[::3], DRAWN)):
        board(page, title)
        if title in ("Plane", "Sphere"):  # of one stage: typed where the mouse points
            page.mouse.move(*kit.seen(0, 0, 0), steps=3)
            kit.settle(4)
        elif "radius" in dimensions:
            base(kit, 0, 0, 3, 0)
        elif title == "Lettering":
            point(kit, 0, 0, 0)
        else:
            base(kit, -1, -1, 1, 1)
        for text in stages:
            typed(kit, text)
        kit.saved(2 * k + 1)
        shape = shape_of(kit, title)
        for name, value in dimensions.items():
            assert shape[name] == pytest.approx(value), (title, name)
        assert kit.row(title, "placement")["position"] == pytest.approx([0, 0, 0], abs=1e-9), title
        kit.viewport.focus()
        page.keyboard.press("Control+z")
        kit.saved(2 * k + 2)


def test_a_shape_is_drawn_by_hand_alone_and_again_with_n(kit: Hands) -> None:
    page = kit.page
    board(page, "Box")
    base(kit, -1, -1, 1, 1)
    page.mouse.move(*kit.seen(0, 2, 0), steps=4)
    expect(page.locator("output")).to_contain_text("2.00 × 2.00 × 2.00 m, 12 tris")
    assert kit.level()["revision"] == 0, "nothing is taken before the last stage"
    # back by one stage, and on again; from the centre with a held key
    page.keyboard.press("Escape")
    expect(page.get_by_role("region", name="Draw box")).to_contain_text("1 of 2")
    page.keyboard.down("Shift")
    base(kit, 0, 0, 1.5, 0.5)
    page.keyboard.up("Shift")
    point(kit, 0, 1.5, 0)
    kit.saved(1)
    assert [shape_of(kit, "Box")[k] for k in ("width", "height", "depth")] == [3.0, 1.5, 1.0]
    assert kit.row("Box", "placement")["position"] == pytest.approx([0, 0, 0])
    # the last shape again, with two clicks instead of a drag
    kit.viewport.focus()
    page.keyboard.press("n")
    expect(page.get_by_role("region", name="Draw box")).to_be_visible()
    point(kit, 2, 0, 1)
    point(kit, 3, 0, 2)
    typed(kit, "0.5")
    kit.saved(2)
    assert [shape_of(kit, "Box 2")[k] for k in ("width", "height", "depth")] == [1.0, 0.5, 1.0]


def test_a_cylinder_on_the_roof_stands_square_to_it(hands: Hands) -> None:
    page = hands.page
    start = hands.level()["revision"]
    board(page, "Cylinder")
    house = hands.row("Pump house", "placement")
    x, _, z = house["position"]
    at = hands.seen(x, 5.6, z + 2.0)  # somewhere on the slope that is seen
    hands.drag(at, (at[0] + 30, at[1] + 4))
    hands.settle(6)
    typed(hands, "1.25")
    hands.saved(start + 1)
    last = hands.level()["history"]["last"]["params"]
    assert last["on"]["thing"] == house["id"]
    ground = post(hands, "surface", last["on"])
    placed = hands.row("Cylinder", "placement")
    axis = Rotation.from_quat(placed["turn"]).apply([0, 1, 0])
    normal = Rotation.from_quat(ground["turn"]).apply([0, 1, 0])
    assert 0.5 < normal[1] < 0.95, "the face slopes"
    assert np.abs(axis - normal).max() < 1e-9
    assert abs((np.array(placed["position"]) - ground["point"]) @ normal) < 1e-9


def post(hands: Hands, route: str, body: dict[str, Any]) -> dict[str, Any]:
    request = urllib.request.Request(
        whole(f"{hands.url}/api/levels/{hands.level_id}/{route}"),
        json.dumps(body).encode(),
        {"Content-Type": "application/json"},
    )
    with urllib.request.urlopen(request) as reply:
        found: dict[str, Any] = json.load(reply)
    return found


def drag_label(hands: Hands, card: Locator, label: str, by: float) -> None:
    """Drag a number by its label, in small moves, and let go."""
    box = card.get_by_text(label, exact=True).first.bounding_box()
    assert box
    x, y = box["x"] + 10, box["y"] + box["height"] / 2
    mouse = hands.page.mouse
    mouse.move(x, y)
    mouse.down()
    for k in range(1, 9):
        mouse.move(x + by * k / 8, y)
        hands.settle(3)


def test_dimensions_are_dragged_live_and_taken_as_one_step(kit: Hands) -> None:
    page = kit.page
    board(page, "Cylinder")
    base(kit, 0, 0, 1.5, 0)
    typed(kit, "2")
    kit.saved(1)
    page.keyboard.press("Control+d")
    page.get_by_role("region", name="Duplicate").get_by_role("textbox", name="Distance").press("Enter")
    kit.saved(2)
    card = page.get_by_role("region", name="Selection")
    strip = page.get_by_role("contentinfo")
    before = strip.inner_text()
    drag_label(kit, card, "Around", -60)
    expect(strip).not_to_have_text(before)  # the count changes while the hand drags
    assert kit.level()["revision"] == 2
    page.mouse.up()
    kit.saved(3)
    assert shape_of(kit, "Cylinder")["sides"] == 6
    assert kit.row("Cylinder", "piece")["facts"]["faces"] == 8
    kit.number(card, "Height", "5 ft")
    kit.saved(4)
    assert shape_of(kit, "Cylinder")["height"] == pytest.approx(1.524)
    # editing the mesh freezes them; there is a way back
    page.get_by_role("button", name="Slim", exact=True).click()
    kit.tool("Slim").click()
    slim = page.get_by_role("region", name="Slim", exact=True)
    slim.get_by_role("button", name=re.compile("Result")).click()
    page.get_by_role("option", name="Same piece").click()
    kit.number(slim, "Share", "70")
    kit.saved(5)
    expect(card).to_contain_text("Cylinder, frozen")
    card.get_by_role("button", name="Back to dimensions").click()
    kit.saved(6)
    assert kit.row("Cylinder", "piece")["facts"]["faces"] == 8
    page.get_by_role("button", name="Build", exact=True).click()
    expect(card.get_by_role("textbox", name="Around")).to_have_value("6")


def corners(hands: Hands, name: str) -> dict[str, np.ndarray]:
    """The world corners of the piece's box, for every placement."""
    view = hands.level()
    piece = next(r for r in view["changed"] if r["kind"] == "piece" and r["name"] == name)
    low, high = np.array(piece["facts"]["low"]), np.array(piece["facts"]["high"])
    turn = Rotation.from_quat(piece["axes"])
    grid = np.array([[(low, high)[k >> a & 1][a] for a in range(3)] for k in range(8)])
    local = grid - turn.inv().apply(piece["pivot"])
    out = {}
    for row in view["changed"]:
        if row.get("piece") != piece["id"]:
            continue
        for n, pose in enumerate(poses_of(view, row)):
            out[f"{row['id']}/{n}"] = Rotation.from_quat(pose[3:7]).apply(local * pose[7:10]) + pose[:3]
    return out


@pytest.mark.parametrize("outcome", by_day(["Pieces stay"], ["Pieces stay", "Numbers stay"]))
def test_a_pivot_goes_to_a_picked_corner_for_every_placement(hands: Hands, outcome: str) -> None:
    page = hands.page
    start = hands.level()["revision"]
    hands.in_list("Bench 1")
    page.keyboard.press("l")
    hands.settle(10)
    piece = hands.row("Bench", "piece")
    stood = corners(hands, "Bench")
    numbers = {r["id"]: r["position"] for r in hands.level()["changed"] if r.get("piece") == piece["id"]}
    page.keyboard.press("p")
    card = page.get_by_role("region", name="Set pivot")
    card.get_by_role("button", name=re.compile("Place$")).click()
    page.get_by_role("option", name="Picked", exact=True).click()
    stand = hands.row("Bench 1", "placement")
    corner = np.array([0.9, 0.47, 0.23])  # of the seat
    prompt = page.locator("output")
    hands.page.mouse.move(
        *hands.seen(*stand["position"] + Rotation.from_quat(stand["turn"]).apply(corner - piece["pivot"]))
    )
    expect(prompt).to_have_text("Click to take this vertex")
    page.mouse.down()
    page.mouse.up()
    picked = card.get_by_role("button", name="Picked", exact=True)
    expect(picked).to_contain_text("Vertex")
    card.get_by_role("button", name=re.compile("Outcome$")).click()
    page.get_by_role("option", name=outcome).click()
    expect(card).to_contain_text("in place" if outcome == "Pieces stay" else re.compile(r"placements move by up to \d"))
    card.get_by_role("button", name="Set pivot").click()
    hands.saved(start + 1)
    after = hands.row("Bench", "piece")
    assert after["pivot"] == pytest.approx(corner, abs=1e-7)
    assert len(stood) > 1
    now = corners(hands, "Bench")
    there = {r["id"]: r["position"] for r in hands.level()["changed"] if r.get("piece") == piece["id"]}
    if outcome == "Pieces stay":
        for key, points in stood.items():
            assert np.abs(points - now[key]).max() < 1e-9
        assert there != numbers
    else:
        assert there == numbers
        moved = [np.abs(points - now[key]).max() for key, points in stood.items()]
        assert min(moved) > 0.01


def drop(page: Page, files: dict[str, bytes]) -> None:
    """Drop files onto the page, as from a folder."""
    page.evaluate(
        """files => {
            const data = new DataTransfer();
            for (const [name, text] of files) {
                const bytes = Uint8Array.from(atob(text), c => c.charCodeAt(0));
                data.items.add(new File([bytes], name));
            }
            window.dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true, cancelable: true }));
        }""",
        [[name, base64.b64encode(data).decode()] for name, data in files.items()],
    )


def test_an_obj_with_ngons_is_dropped_in_looked_at_and_taken(hands: Hands) -> None:
    page = hands.page
    start = hands.level()["revision"]
    drop(page, {"trial.obj": OBJ, "trial.mtl": b"newmtl red\nKd 1 0 0\nnewmtl blue\nKd 0 0 1\n"})
    sheet = page.get_by_role("dialog", name="Bring in trial.obj")
    expect(sheet).to_contain_text("2, 1 n-gons")
    expect(sheet).to_contain_text("red")
    expect(sheet).to_contain_text("1.00 × 1.50 × 1.00 m")
    sheet.get_by_role("button", name="Unit").click()
    page.get_by_role("option", name="Feet").click()
    expect(sheet).to_contain_text("0.30 × 0.46 × 0.30 m")
    sheet.get_by_role("radio", name="Z up").click()
    assert hands.level()["revision"] == start
    sheet.get_by_role("button", name="Add 2 pieces to shelf").click()
    hands.saved(start + 1)
    wall = hands.row("Wall", "piece")
    assert wall["facts"]["faces"] == 1
    assert wall["facts"]["triangles"] == 3
    assert wall["facts"]["high"] == pytest.approx([0.3048, 0.0, 0.0])
    assert wall["facts"]["low"] == pytest.approx([0.0, 0.0, -1.5 * 0.3048])
    assert wall["materials"][0]["colour"] == [1, 0, 0, 1]
    expect(hands.tile("Wall")).to_be_visible()


def test_bad_files_are_told_and_change_nothing(hands: Hands) -> None:
    page = hands.page
    start = hands.level()["revision"]
    drop(page, {"broken.obj": b"v 0 0 0\nv 1 0 0\nf 1 2 9\n"})
    sheet = page.get_by_role("dialog", name="Bring in broken.obj")
    expect(sheet.get_by_role("alert")).to_contain_text("Face 1 of the file names vertex 9; there are 2.")
    sheet.get_by_role("button", name="Close").click()
    expect(sheet).not_to_be_visible()
    drop(page, {"notes.txt": b"hello"})
    expect(page.get_by_role("alert")).to_contain_text("There is no model among the files")
    assert hands.level()["revision"] == start


def test_a_large_file_shows_its_progress_and_can_be_cancelled(hands: Hands, tmp_path: Path) -> None:
    page = hands.page
    start = hands.level()["revision"]
    big = Scene((ScenePart("Field", plane(100.0, 100.0, divisions=(400, 400)), (Material("earth"),)),))
    file = tmp_path / "field.obj"
    file.write_bytes(write_file("field.obj", big)["field.obj"])
    page.get_by_label("File to bring in").set_input_files(file)
    sheet = page.get_by_role("dialog", name="Bring in field.obj")
    expect(sheet.get_by_role("progressbar", name="Reading the file")).to_be_visible()
    sheet.get_by_role("button", name="Cancel").click()
    expect(sheet).not_to_be_visible()
    page.get_by_label("File to bring in").set_input_files(file)
    expect(sheet).to_contain_text("160 000 quads")
    sheet.get_by_role("button", name="Discard").click()
    expect(sheet).not_to_be_visible()
    assert hands.level()["revision"] == start


def menu(page: Page, name: str, entry: str) -> None:
    button = page.get_by_role("button", name=f"{name}: what to do", exact=True)
    button.scroll_into_view_if_needed()
    button.hover()
    button.click()
    page.get_by_role("menuitem", name=entry, exact=True).click()


def test_the_shelf_is_kept_in_order(hands: Hands) -> None:
    page = hands.page
    start = hands.level()["revision"]
    uses = hands.row("Lamp post", "piece")["id"]
    placed = [r["id"] for r in hands.level()["changed"] if r.get("piece") == uses]

    # a piece in use is not deleted; its uses are told, here and in its card
    menu(page, "Lamp post", "Delete")
    expect(page.get_by_role("alert")).to_contain_text(re.compile(r"Lamp post is used .*; delete those first"))
    used = page.get_by_role("group", name="Used by")
    expect(used).to_contain_text("Lamp row")

    # a second one is made, renamed and tagged, and found by its tag
    menu(page, "Lamp post", "Duplicate piece")
    hands.saved(start + 1)
    menu(page, "Lamp post 2", "Rename")
    card = page.get_by_role("region", name="Rename")
    card.get_by_role("textbox", name="Name").fill("Gas lamp")
    card.get_by_role("textbox", name="Name").press("Enter")
    hands.saved(start + 2)
    menu(page, "Gas lamp", "Tags")
    card = page.get_by_role("region", name="Tags")
    card.get_by_role("textbox", name="Tags").fill("light, iron")
    card.get_by_role("textbox", name="Tags").press("Enter")
    hands.saved(start + 3)
    search = page.get_by_role("searchbox", name="Search the shelf")
    search.fill("iron")
    expect(page.get_by_role("list", name="Shelf").get_by_role("listitem")).to_have_count(1)
    search.fill("")

    # it takes the place of the other everywhere, and then that one can go
    menu(page, "Lamp post", "Replace")
    card = page.get_by_role("region", name="Replace")
    card.get_by_role("button", name=re.compile("By$")).click()
    page.get_by_role("option", name="Gas lamp", exact=True).click()
    card.get_by_role("button", name="Replace").click()
    hands.saved(start + 4)
    gas = hands.row("Gas lamp", "piece")["id"]
    now = {r["id"]: r["piece"] for r in hands.level()["changed"] if r["id"] in placed}
    assert set(now.values()) == {gas}
    menu(page, "Lamp post", "Delete")
    hands.saved(start + 5)
    assert not [r for r in hands.level()["changed"] if r["id"] == uses]


def test_a_piece_is_exported_from_its_card(hands: Hands, tmp_path: Path) -> None:
    page = hands.page
    hands.tile("Bollard").click()
    card = page.get_by_role("region", name="Selection")
    card.get_by_role("button", name="Export this piece").click()
    card.get_by_role("button", name=re.compile("Format$")).click()
    page.get_by_role("option", name="STL").click()
    card.get_by_role("radio", name="Z up").click()
    with page.expect_download() as download:
        card.get_by_role("button", name="Save STL").click()
    file = tmp_path / "bollard.stl"
    download.value.save_as(file)
    assert download.value.suggested_filename == "bollard.stl"
    assert int.from_bytes(file.read_bytes()[80:84], "little") == hands.row("Bollard", "piece")["facts"]["triangles"]


def test_pictures_are_kept_for_the_next_visit(hands: Hands, server: Server) -> None:
    page = hands.page
    pictures = page.get_by_role("list", name="Shelf").locator("img")
    pieces = hands.pieces()
    expect(pictures).to_have_count(pieces)
    kept: list[int] = []
    page.on("response", lambda r: kept.append(r.status) if "/thumbnails/" in r.url else None)
    page.reload()
    expect(pictures).to_have_count(pieces)
    assert kept.count(200) >= pieces - 4
    assert 204 not in kept
