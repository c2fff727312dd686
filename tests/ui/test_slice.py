"""The whole way by mouse and keyboard: place, pivot, snap, duplicate, path, course, undo, redo, slim, export."""

from __future__ import annotations

import json
import re
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from able_brick.core.files.gltf.read import read_glb
from tests.ui.conftest import Server
from tests.ui.hands import Hands, poses_of

ROOT = Path(__file__).parents[2]
VALIDATE = """
const v = require("gltf-validator"), fs = require("fs");
v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1]))).then((r) => console.log(JSON.stringify(r.issues)));
"""


def validated(file: Path) -> dict[str, Any]:
    done = subprocess.run(
        ["node", "-e", VALIDATE, str(file)], cwd=ROOT / "web", capture_output=True, text=True, check=True
    )
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def test_from_the_shelf_to_an_exported_level(page: Page, server: Server, tmp_path: Path) -> None:
    hands = Hands(page, server.url)
    start = hands.level()["revision"]

    # a crate from the shelf onto the south bank
    hands.tile("Crate").click()
    hands.tool("Place").click()
    hands.click_at(-3.2, 1.34, 12.3)
    hands.saved(start + 1)
    crate = hands.row("Crate 4")
    assert crate["position"][0] == -3.0
    assert crate["position"][1] == pytest.approx(1.34, abs=1e-6)
    assert crate["position"][2] == 12.5

    # off the grid by typed numbers, so that snapping has something to do
    selection = page.get_by_role("region", name="Selection")
    hands.number(selection, "Position X", "-3 + 0.17")
    hands.saved(start + 2)
    assert hands.row("Crate 4")["position"][0] == pytest.approx(-2.83, abs=1e-12)

    # its pivot to a base corner; the crates stay where they stand
    page.keyboard.press("Escape")
    hands.in_list("Crate 4")
    hands.viewport.focus()
    page.keyboard.press("p")
    card = page.get_by_role("region", name="Set pivot")
    card.get_by_role("button", name="Base, corner −X −Z").click()
    card.get_by_role("button", name="Set pivot").click()
    hands.saved(start + 3)
    piece = hands.row("Crate", "piece")
    assert piece["pivot"] == [piece["facts"]["low"][0], 0.0, piece["facts"]["low"][2]]
    moved = hands.row("Crate 4")["position"]
    assert moved == pytest.approx([-2.83 - 0.47, 1.34, 12.5 - 0.47], abs=1e-6)

    # onto the grid
    hands.tool("Snap to grid").click()
    hands.saved(start + 4)
    assert hands.row("Crate 4")["position"] == [-3.5, 1.5, 12.0]

    # three copies, 1.25 m apart
    page.keyboard.press("Control+d")
    card = page.get_by_role("region", name="Duplicate")
    card.get_by_role("textbox", name="Distance").fill("1.25 m")
    card.get_by_role("textbox", name="Copies").fill("3")
    card.get_by_role("button", name="Duplicate").click()
    hands.saved(start + 5)
    copies = [hands.row(f"Crate {k}")["position"] for k in (5, 6, 7)]
    assert copies == [[-2.25, 1.5, 12.0], [-1.0, 1.5, 12.0], [0.25, 1.5, 12.0]]

    # a curved path by three clicks
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    hands.tool("Draw path").click()
    for x, z in ((-9.0, 8.5), (-4.5, 7.0), (0.0, 7.5)):
        hands.click_at(x, 1.34, z)
        hands.settle(4)
    page.keyboard.press("Enter")
    hands.saved(start + 6)
    path = hands.row("Path", "path")
    assert [p["position"][0::2] for p in path["points"]] == [[-9.0, 8.5], [-4.5, 7.0], [0.0, 7.5]]
    assert {round(p["position"][1], 6) for p in path["points"]} == {1.34}

    # a course along it, then another spacing in the last-step card
    hands.tool("Lay course").click()
    card = page.get_by_role("region", name="Lay course")
    card.get_by_role("button", name=re.compile("Piece")).click()
    page.get_by_role("listbox", name="Piece").get_by_role("option", name="Bollard", exact=True).click()
    card.get_by_role("button", name=re.compile("Fit")).click()
    page.get_by_role("listbox", name="Fit").get_by_role("option", name="Spacing").click()
    card.get_by_role("button", name="Lay course").click()
    hands.saved(start + 7)
    course = hands.row("Bollard course", "course")
    length = hands.level()["paths"][path["id"]]["length"]
    assert hands.count(course["id"]) == int((length - 0.48) / 4) + 1
    hands.number(hands.last(), "Spacing", "1.5")
    hands.saved(start + 8)
    page.get_by_role("button", name="Fold the last step").click()
    assert hands.count(course["id"]) == int((length - 0.48) / 1.5) + 1
    assert hands.row("Bollard course", "course")["spacing"] == 1.5

    # all of it undone and made again: the adjusted course is one step
    after = hands.level()
    steps = 7
    hands.viewport.focus()
    for k in range(steps):
        page.keyboard.press("Control+z")
        hands.saved(start + 9 + k)
    assert not [r for r in hands.level()["changed"] if r["name"] in ("Crate 4", "Path", "Bollard course")]
    for k in range(steps):
        page.keyboard.press("Control+Shift+z")
        hands.saved(start + 9 + steps + k)
    redone = hands.level()
    assert redone["items"] == after["items"]
    by_id = {r["id"]: r for r in redone["changed"]}
    assert by_id == {r["id"]: r for r in after["changed"]}

    # the heron to a quarter
    page.get_by_role("button", name="Slim", exact=True).click()
    hands.in_list("Bronze heron hidden")
    hands.tool("Slim").click()
    page.get_by_role("region", name="Slim", exact=True).get_by_role("button", name="Slim").click()
    revision = start + 9 + 2 * steps
    hands.saved(revision)
    source = hands.row("Bronze heron", "piece")
    slim = hands.row("Bronze heron", "placement")["piece"]
    assert slim != source["id"], hands.level()["history"]["last"]
    facts = next(r for r in hands.level()["changed"] if r["id"] == slim)["facts"]
    assert 0 <= round(source["facts"]["triangles"] / 4) - facts["triangles"] <= 1  # a closed form loses two at a time
    assert facts["closed"]

    # out, through the validator, and in again
    page.get_by_role("button", name="Ship", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Export Merrow Lock as GLB").click()
    file = tmp_path / "level.glb"
    download.value.save_as(file)
    issues = validated(file)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0)
    scene = read_glb(file.read_bytes())
    view = hands.level()
    pieces = {r["name"]: r["facts"] for r in view["changed"] if r["kind"] == "piece"}
    for part in scene.parts:  # what is bent has been divided
        assert part.mesh.vertex_count >= pieces[part.name]["vertices"]
        assert part.mesh.face_count >= pieces[part.name]["faces"]
        assert part.mesh.triangle_count >= pieces[part.name]["triangles"]
    assert len(scene.instances) == view["summary"]["placements"]

    page.get_by_role("button", name=re.compile("^Level Merrow Lock")).click()
    page.get_by_role("menuitem", name="New level").click()
    page.get_by_role("dialog", name="New level").get_by_role("textbox", name="Name").fill("Upper pound")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Level Upper pound")).to_be_visible()
    page.get_by_label("File to place where it stands").set_input_files(file)
    page.get_by_role("button", name=re.compile(r"^Add \d+ pieces to shelf")).click()
    again = Hands(page, server.url, "level-2", "Upper pound")
    again.saved(1)
    back = again.level()
    for key in ("triangles", "hardware_vertices", "placements"):
        assert back["summary"][key] == view["summary"][key]
    low, high = scene.bounds()
    ours = [np.array(b) for b in _bounds(view)]
    theirs = [np.array(b) for b in _bounds(back)]
    for a, b, c in zip(ours, theirs, (low, high), strict=True):
        assert np.abs(a - b).max() < 1e-5
        assert np.abs(a - c).max() < 0.2  # the file's box is round the vertices, ours round the pieces' boxes


def _bounds(view: dict[str, Any]) -> tuple[list[float], list[float]]:
    """The box round the turned boxes of all items."""
    from scipy.spatial.transform import Rotation

    pieces = {r["id"]: r for r in view["changed"] if r["kind"] == "piece"}
    corners = []
    for row in view["changed"]:
        if "piece" not in row:
            continue
        poses = poses_of(view, row)
        piece = pieces[row["piece"]]
        low, high = np.array(piece["facts"]["low"]), np.array(piece["facts"]["high"])
        grid = np.array([[(low, high)[k >> a & 1][a] for a in range(3)] for k in range(8)]) - piece["pivot"]
        for pose in poses:
            corners.append(Rotation.from_quat(pose[3:7]).apply(grid * pose[7:10]) + pose[:3])
    every = np.concatenate(corners)
    return every.min(axis=0).tolist(), every.max(axis=0).tolist()
