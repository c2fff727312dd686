"""The API: steps, history, the socket, import and export."""

from __future__ import annotations

import io
import json
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from starlette.websockets import WebSocketDisconnect

from able_brick.api.app import create_app, prepare
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.read import read_glb
from able_brick.core.files.scene import Material, Node, Scene, ScenePart, Texture
from able_brick.core.files.write import write_file
from able_brick.session.columns import MEDIA
from able_brick.session.project import Project
from tests.api.asking import HOST, arrived, bring_in, step
from tests.api.client import Client as TestClient
from tests.columns import read_columns, with_placements_last
from tests.core.test_formats import BRICKS
from tests.thorough import long
from tests.zoo import ZOO, bumpy_ball


def test_a_level_from_nothing_to_glb_and_back(client: TestClient) -> None:
    assert [level["name"] for level in client.get("/api/levels").json()] == ["Trial"]
    made = step(client, "add_shape", shape={"kind": "box", "width": 3.0}, surface="brick").json()
    assert made["revision"] == 1
    assert made["select"] == ["placement-1"]
    assert step(client, "duplicate", "placement-1", distance=4.0, count=2).status_code == 200
    mesh = next(r["mesh"] for r in made["changed"] if r["kind"] == "piece")
    reply = client.get(f"/api/meshes/{mesh}.glb")
    assert reply.content[:4] == b"glTF"
    assert "immutable" in reply.headers["cache-control"]
    out = client.get("/api/levels/level-1/export.glb")
    assert out.headers["content-disposition"] == 'attachment; filename="trial.glb"'
    scene = read_glb(out.content)
    assert len(scene.parts) == 1
    assert [i.matrix[0, 3] for i in scene.instances] == [0.0, 4.0, 8.0]
    assert scene.parts[0].materials[0].name == "brick"
    other = client.post("/api/levels", json={"name": "Second"}).json()
    back = bring_in(client, {"trial.glb": out.content}, level=other["id"], place=True)
    assert back["summary"]["placements"] == 3
    assert back["summary"]["triangles"] == 36


def test_a_level_is_told_as_it_is_now(client: TestClient) -> None:
    empty = client.get("/api/levels/level-1")
    assert client.get("/api/levels/level-1").content == empty.content
    other = client.post("/api/levels", json={"name": "Second"}).json()["id"]
    assert client.get(f"/api/levels/{other}").json()["changed"][1:] == []
    step(client, "add_shape", shape={"kind": "box"})
    now = client.get("/api/levels/level-1").json()
    assert (now["revision"], now["summary"]["placements"]) == (1, 1)
    assert now["history"]["last"]["tool"] == "add_shape"
    # the kit belongs to all levels
    assert [r["kind"] for r in client.get(f"/api/levels/{other}").json()["changed"]] == ["level", "piece"]
    client.post("/api/levels/level-1/undo", json={"revision": 1})
    back = client.get("/api/levels/level-1").json()
    assert (back["revision"], back["summary"]["placements"]) == (2, 0)
    assert back["changed"] == empty.json()["changed"]


def test_what_the_first_page_needs_is_made_ready(tmp_path: Path) -> None:
    project = Project(tmp_path / "ready.db")
    prepare(project)
    project.create_level("Trial")
    with TestClient(create_app(project), base_url="http://127.0.0.1:8484") as opened:
        made = step(opened, "add_shape", shape={"kind": "box"}).json()
        prepare(project)
        mesh = next(r["mesh"] for r in made["changed"] if r["kind"] == "piece")
        assert opened.get(f"/api/meshes/{mesh}.glb").content == project.meshes.view_glb(mesh)
        assert opened.get("/api/levels/level-1").json() == json.loads(project.view_bytes("level-1")[0])


def test_the_built_page_may_be_kept_and_is_asked_for_by_name(tmp_path: Path) -> None:
    web = tmp_path / "web"
    (web / "assets").mkdir(parents=True)
    (web / "index.html").write_text("<!doctype html>")
    (web / "assets" / "start-1a2b.js").write_text("1")
    project = Project(tmp_path / "web.db")
    with TestClient(create_app(project, web=web), base_url="http://127.0.0.1:8484") as opened:
        assert opened.get("/").headers["cache-control"] == "no-cache"
        kept = opened.get("/assets/start-1a2b.js").headers["cache-control"]
        assert "immutable" in kept
        assert opened.get("/assets/start-0000.js").status_code == 404


def test_undo_redo_and_adjusting_over_the_api(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "box", "width": 1.0})
    adjusted = client.put(
        "/api/levels/level-1/steps/last",
        json={"tool": "add_shape", "params": {"shape": {"kind": "box", "width": 2.0}}, "revision": 1},
    )
    assert adjusted.json()["revision"] == 2
    assert adjusted.json()["history"]["last"]["params"]["shape"]["width"] == 2.0
    undone = client.post("/api/levels/level-1/undo", json={"revision": 2}).json()
    assert set(undone["removed"]) == {"piece-1", "placement-1"}
    assert undone["history"]["redo"]["title"] == "Draw a shape"
    assert client.post("/api/levels/level-1/redo", json={"revision": 3}).json()["summary"]["triangles"] == 12
    assert client.post("/api/levels/level-1/redo", json={"revision": 4}).json()["code"] == "history"


def test_previews_over_the_api(client: TestClient) -> None:
    body = {"tool": "add_shape", "params": {"shape": {"kind": "cylinder", "sides": 6}}, "selection": [], "revision": 0}
    shown = client.post("/api/levels/level-1/preview", json=body).json()
    assert shown["summary"]["triangles"] == 20
    assert client.get("/api/levels/level-1").json()["revision"] == 0


def test_tools_describe_themselves(client: TestClient) -> None:
    for tool in client.get("/api/tools").json():
        assert tool["title"] and tool["about"]
        for name, field in tool["fields"]["properties"].items():
            assert name == "tool" or (field["title"] and field["description"]), (tool["tool"], name)


@pytest.mark.parametrize(
    ("data", "text"),
    [
        (b"", "x.glb is empty"),
        (b"glTF" + b"\0" * 40, "version 0"),
        (b"PK\x03\x04" + b"\0" * 100, "not a GLB file"),
        (write_glb([ScenePart("a", ZOO["box"]())])[:200], "cut off"),
    ],
)
def test_bad_files_change_nothing(client: TestClient, data: bytes, text: str) -> None:
    read = arrived(client, {"x.glb": data})
    assert read["state"] == "failed"
    assert text in read["reason"]
    reply = client.post(f"/api/imports/{read['id']}/accept", json={"level": "level-1", "revision": 0})
    assert reply.status_code == 422
    assert text in reply.json()["detail"]
    assert client.get("/api/levels/level-1").json()["revision"] == 0


def test_an_exported_level_comes_back_with_its_groups(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "box"}, name="Wall")
    step(client, "place_piece", "piece-1", position=(5, 0, 0))
    step(client, "make_group", "placement-1", "placement-2", name="Inner")
    step(client, "make_group", "group-1", name="Outer")
    step(client, "group_pivot", "group-2", place="typed", point=(1, 2, 3), axes="turned", turn=(0, 30, 0))
    step(client, "place_piece", "piece-1", position=(0, 0, 5))
    step(client, "line_array", "placement-3", count=3)
    out = client.get("/api/levels/level-1/export.glb").content
    other = client.post("/api/levels", json={"name": "Second"}).json()["id"]
    back = bring_in(client, {"trial.glb": out}, level=other, place=True)
    rows = {r["id"]: r for r in back["changed"]}
    groups = {r["name"]: r for r in rows.values() if r["kind"] == "group"}
    assert set(groups) == {"Outer", "Inner"}
    assert groups["Inner"]["group"] == groups["Outer"]["id"]
    assert groups["Outer"]["position"] == pytest.approx((1, 2, 3))
    inside = [r["group"] for r in rows.values() if r["kind"] == "placement"]
    assert sorted(inside) == [groups["Inner"]["id"]] * 2
    assert [(r["name"], r["count"]) for r in rows.values() if r["kind"] == "array"] == [("Wall 3 row", 3)]
    again = read_glb(client.get(f"/api/levels/{other}/export.glb").content)
    first = read_glb(out)
    stood = [sorted(np.round(i.matrix[:3, 3], 5).tolist() for i in s.instances) for s in (first, again)]
    assert stood[0] == stood[1]


@pytest.mark.parametrize("pivot", ["file", "base centre"])
def test_one_piece_of_all_is_placed_where_it_stood(client: TestClient, pivot: str) -> None:
    data = write_glb([ScenePart("Box", ZOO["box"]())], [Node("a", 0, (4, 0, 0)), Node("b", 0, (9, 1, 0))])
    made = bring_in(client, {"boxes.glb": data}, pieces="one", place=True, pivot=pivot)
    assert made["summary"]["placements"] == 1
    out = read_glb(client.get("/api/levels/level-1/export.glb").content)
    (stands,) = out.instances
    points = out.parts[0].mesh.positions @ stands.matrix[:3, :3].T + stands.matrix[:3, 3]
    scene = read_glb(data)
    low, high = scene.bounds()
    assert np.allclose([points.min(axis=0), points.max(axis=0)], [low, high], atol=1e-5)


def test_the_project_is_told_and_copied(client: TestClient, tmp_path: Path) -> None:
    step(client, "add_shape", shape={"kind": "box"})
    told = client.get("/api/project").json()
    assert (told["name"], told["read_only"], told["notes"]) == ("api.db", None, [])
    copy = client.get("/api/copy")
    assert "api%20copy.db" in copy.headers["content-disposition"].replace(" ", "%20")
    (tmp_path / "copy.db").write_bytes(copy.content)
    project = Project(tmp_path / "copy.db")
    assert len(project.snapshot.pieces) == 1
    project.close()


def test_open_tabs_hear_of_steps(client: TestClient) -> None:
    with client.websocket_connect("/api/levels/level-1/live", headers=HOST) as tab:
        step(client, "add_shape", shape={"kind": "box"})
        heard = json.loads(tab.receive_text())
    assert heard["revision"] == 1
    with pytest.raises(WebSocketDisconnect), client.websocket_connect("/api/levels/level-9/live", headers=HOST) as tab:
        tab.receive_text()
    with (
        pytest.raises(WebSocketDisconnect),
        client.websocket_connect("/api/levels/level-1/live", headers={**HOST, "origin": "http://lock.example"}) as tab,
    ):
        tab.receive_text()


def test_large_changes_come_in_columns_to_those_who_ask(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "box"})
    asks = {"accept": f"{MEDIA}, application/json"}
    route = "/api/levels/level-1/live?columns=true"
    body = {"tool": "duplicate", "params": {"count": 300}, "selection": ["placement-1"], "revision": 1}
    with (
        client.websocket_connect("/api/levels/level-1/live", headers=HOST) as plain,
        client.websocket_connect(route, headers=HOST) as tab,
    ):
        made = client.post("/api/levels/level-1/steps", json=body, headers=asks)
        assert made.headers["content-type"] == MEDIA
        delta = read_columns(made.content)
        assert len(delta["changed"]) == 301, "the copies, and the level, which knows what was copied last"
        assert tab.receive_bytes() == made.content
        assert with_placements_last(json.loads(plain.receive_text())) == delta
        back = client.post("/api/levels/level-1/undo", json={"revision": 2}, headers=asks)
        assert back.json()["revision"] == 3, "what is small is told as JSON"
        assert json.loads(tab.receive_text()) == back.json()
        client.post("/api/levels/level-1/redo", json={"revision": 3})
    whole = client.get("/api/levels/level-1", headers=asks)
    plainly = client.get("/api/levels/level-1")
    assert whole.headers["content-type"] == MEDIA and whole.headers["vary"] == "Accept"
    assert read_columns(whole.content) == with_placements_last(plainly.json())


def test_a_tab_that_opened_an_older_level_is_told_to_load_it_anew(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "box"})
    with client.websocket_connect("/api/levels/level-1/live?revision=0", headers=HOST) as tab:
        assert json.loads(tab.receive_text()) == {}
    with client.websocket_connect("/api/levels/level-1/live?revision=1", headers=HOST) as tab:
        step(client, "add_shape", shape={"kind": "box"})
        assert json.loads(tab.receive_text())["revision"] == 2


def test_import_keeps_turned_and_mirrored_stands(client: TestClient) -> None:
    nodes = [
        Node("plain", 0, (1, 2, 3)),
        Node("group", None, (10, 0, 0), children=(Node("inner", 0, (1, 0, 0), (0, 0.6, 0, 0.8), (1, 2, 1)),)),
        Node("mirrored", 0, scale=(-1, 1, 1)),
    ]
    data = write_glb([ScenePart("Drum", ZOO["drum"](), (Material("oak"),))], nodes)
    made = bring_in(client, {"drum.glb": data}, place=True)
    rows = {r["name"]: r for r in made["changed"]}
    assert rows["inner"]["position"] == [11, 0, 0]
    assert rows["inner"]["turn"] == pytest.approx([0, 0.6, 0, 0.8])
    assert rows["inner"]["size"] == pytest.approx([1, 2, 1])
    assert rows["mirrored"]["size"] == pytest.approx([-1, 1, 1])
    assert rows["Drum"]["facts"]["faces"] == ZOO["drum"]().face_count


def test_a_piece_as_every_format_and_back(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "stairs", "thickness": 0.2}, name="Tow path steps")
    step(client, "set_pivot", "piece-1", place="typed", point=(0.5, 0.25, 0.0), axes="turned", turn=(0, 90, 0))
    rows = client.get("/api/levels/level-1").json()["changed"]
    before = next(r for r in rows if r["kind"] == "piece")["facts"]
    for kind, unit, up in (("glb", "m", "y"), ("obj", "cm", "z"), ("ply", "in", "y"), ("stl", "mm", "z")):
        out = client.get("/api/pieces/piece-1/export", params={"format": kind, "unit": unit, "up": up})
        assert out.status_code == 200
        ending = "zip" if kind == "obj" else kind
        assert f'filename="tow-path-steps.{ending}"' in out.headers["content-disposition"]
        files = {f"tow-path-steps.{kind}": out.content}
        if kind == "obj":
            with zipfile.ZipFile(io.BytesIO(out.content)) as archive:
                files = {name: archive.read(name) for name in archive.namelist()}
            assert set(files) == {"tow-path-steps.obj", "tow-path-steps.mtl"}
        revision = client.get("/api/levels/level-1").json()["revision"]
        made = bring_in(client, files, revision=revision, unit=unit, up=up)
        piece = next(r for r in made["changed"] if r["kind"] == "piece")
        assert piece["facts"]["triangles"] == before["triangles"]
        assert piece["facts"]["closed"]
        # the pivot is the file's origin, its axes the file's
        low = [a - b for a, b in zip(before["low"], (0.0, 0.25, 0.5), strict=True)]
        assert piece["facts"]["low"] == pytest.approx(low, abs=1e-5)
    refused = client.get("/api/pieces/piece-1/export", params={"format": "glb", "unit": "ft"})
    assert (refused.status_code, refused.json()["code"]) == (422, "file")
    assert client.get("/api/pieces/piece-99/export").status_code == 404


def test_textures_come_in_stay_and_go(client: TestClient, tmp_path: Path) -> None:
    look = Material("bricks", (1.0, 1.0, 1.0, 1.0), texture=BRICKS)
    files = write_file("wall.obj", Scene((ScenePart("Wall", ZOO["waves"](), (look, look)),)))
    made = bring_in(client, files)
    piece = next(r for r in made["changed"] if r["kind"] == "piece")
    key = piece["materials"][0]["texture"]
    got = client.get(f"/api/textures/{key}")
    assert (got.content, got.headers["content-type"]) == (BRICKS.data, "image/png")
    again = client.get("/api/levels/level-1/export.glb")
    assert BRICKS.data not in again.content, "nothing stands in the level"
    out = client.get(f"/api/pieces/{piece['id']}/export")
    assert read_glb(out.content).parts[0].materials[0].texture == Texture("bricks.png", "image/png", BRICKS.data)
    assert client.get(f"/api/textures/{'0' * 40}").status_code == 404
    assert client.get("/api/textures/nothing").status_code == 422


def test_imports_are_taken_as_one_piece_with_their_base_as_pivot(client: TestClient) -> None:
    step_, drum = (
        ScenePart("Step", ZOO["box"](), (Material("oak"),)),
        ScenePart("Drum", ZOO["drum"](), (Material("iron"),)),
    )
    data = write_glb([step_, drum], [Node("low", 0, (4, 0, 0)), Node("high", 1, (4, 2, 0)), Node("again", 0)])
    read = arrived(client, {"both.glb": data})
    assert [p["places"] for p in read["sheet"]["parts"]] == [2, 1]
    one = bring_in(client, {"both.glb": data}, pieces="one", pivot="base centre", place=True)
    (piece,) = [r for r in one["changed"] if r["kind"] == "piece"]
    assert piece["name"] == "both"
    assert [m["name"] for m in piece["materials"]] == ["oak", "iron"]
    assert piece["pivot"] == [2.0, 0.0, 0.0]
    other = bring_in(
        client,
        {"drum.glb": write_glb([drum], [Node("high", 0, (4, 2, 0))])},
        revision=1,
        pivot="base centre",
        place=True,
    )
    (place,) = [r for r in other["changed"] if r["kind"] == "placement"]
    assert place["position"] == [4.0, 2.0, 0.0]


def test_an_arrival_is_kept_when_it_cannot_be_accepted_yet(client: TestClient) -> None:
    read = arrived(client, {"trial.glb": write_glb([ScenePart("a", ZOO["box"]())])})
    step(client, "add_shape")
    body = {"level": "level-1", "revision": 0}
    assert client.post(f"/api/imports/{read['id']}/accept", json=body).status_code == 409
    assert client.post(f"/api/imports/{read['id']}/accept", json={**body, "revision": 1}).status_code == 200
    assert client.post(f"/api/imports/{read['id']}/accept", json={**body, "revision": 2}).status_code == 404
    gone = arrived(client, {"trial.glb": write_glb([ScenePart("a", ZOO["box"]())])})
    assert client.delete(f"/api/imports/{gone['id']}").status_code == 204
    assert client.get(f"/api/imports/{gone['id']}").status_code == 404
    again = client.put(f"/api/imports/{gone['id']}", json={"weld": False})
    assert again.status_code == 404


def test_thumbnails_are_kept_for_all_tabs(client: TestClient) -> None:
    unknown = "ab" * 24
    assert client.put(f"/api/thumbnails/{unknown}", content=BRICKS.data).status_code == 404
    rows = step(client, "add_shape", shape={"kind": "box"}).json()["changed"]
    key = next(r["mesh"] for r in rows if r["kind"] == "piece") + "0123abcd"
    assert client.get(f"/api/thumbnails/{key}").status_code == 204
    assert client.put(f"/api/thumbnails/{key}", content=BRICKS.data).status_code == 204
    assert client.get(f"/api/thumbnails/{key}").content == BRICKS.data
    for bad in (b"GIF89a", BRICKS.data + b"\0" * 300_000):
        assert client.put(f"/api/thumbnails/{key}", content=bad).status_code == 422


def test_faces_and_features_are_told_exactly(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "wedge", "width": 2.0, "height": 1.0, "depth": 2.0})
    at = {"thing": "placement-1", "item": 0, "face": 0}
    ground = client.post("/api/levels/level-1/surface", json=at).json()
    x, _, _, w = ground["turn"]
    assert 2 * w * x == pytest.approx(1 / 5**0.5), "the slope rises by 1 in 2"
    feature = client.post("/api/levels/level-1/feature", json={**at, "point": [0.99, 0.01, 0.99], "reach": 0.1}).json()
    assert (feature["kind"], feature["point"]) == ("vertex", [1.0, 0.0, 1.0])
    for bad, status in (({**at, "face": 70}, 404), ({**at, "thing": "path-1"}, 404), ({"thing": 1}, 422)):
        assert client.post("/api/levels/level-1/surface", json=bad).status_code == status


def test_shapes_describe_themselves(client: TestClient) -> None:
    shapes = {s["kind"]: s for s in client.get("/api/shapes").json()}
    assert len(shapes) == 16
    assert [d["gesture"] for d in shapes["tube"]["drags"]] == ["disc", "wall", "up"]
    for shape in shapes.values():
        fields = shape["fields"]["properties"]
        assert all(f.get("title") for f in fields.values())
        assert list(fields)[-1] == "faces"


def test_long_work_goes_on_off_the_request(client: TestClient) -> None:
    box = {"kind": "box", "along_x": 5, "along_y": 5, "along_z": 5}
    assert step(client, "add_shape", shape=box).status_code == 200
    body = {"tool": "make_ladder", "params": {}, "selection": ["piece-1"], "revision": 1}
    sent = client.post("/api/levels/level-1/work", json=body)
    assert sent.status_code == 202, sent.text
    now = sent.json()
    assert step(client, "move", "placement-1", by=(1, 0, 0)).status_code == 200
    while now["state"] in ("waiting", "working"):
        now = client.get(f"/api/work/{now['id']}", params={"seen": now["share"]}).json()
    assert (now["state"], now["share"]) == ("done", 1.0), now["reason"]
    assert [j["id"] for j in client.get("/api/work").json()] == [now["id"]]
    level = client.get("/api/levels/level-1").json()
    ladder = next(r for r in level["changed"] if r["kind"] == "piece")["ladder"]
    assert len(ladder["rungs"]) == 3
    assert client.get(f"/api/meshes/{ladder['rungs'][0]['mesh']}.glb").status_code == 200
    assert client.delete(f"/api/work/{now['id']}").json()["state"] == "done"
    assert client.get("/api/work/job-9").status_code == 404
    quick = {**body, "tool": "move", "params": {"by": [1, 0, 0]}}
    assert client.post("/api/levels/level-1/work", json=quick).status_code == 422


def test_recipes_over_the_api(client: TestClient) -> None:
    shipped = client.get("/api/recipes").json()
    assert all(r["shipped"] for r in shipped)
    assert len(shipped) == 3
    mine = {"name": "Halves / quarters", "rungs": [{"kind": "share", "value": 50.0}], "keep_seams": False}
    url = "/api/recipes/Halves%20quarters"
    assert client.put(url, json=mine).status_code == 422, "another name"
    mine["name"] = "Halves quarters"
    assert client.put(url, json=mine).status_code == 204
    found = client.get("/api/recipes").json()[-1]
    assert (found["name"], found["shipped"], found["keep_seams"]) == ("Halves quarters", False, False)
    assert client.put(f"/api/recipes/{shipped[0]['name']}", json=shipped[0]).status_code == 422
    for wrong in ({**mine, "rungs": []}, {**mine, "rungs": [{"kind": "share", "value": -1}]}, {**mine, "more": 1}):
        assert client.put(url, json=wrong).status_code == 422
    assert client.delete(url).status_code == 204
    assert client.delete(url).status_code == 404


def test_deviations_are_told_for_each_vertex_that_is_drawn(client: TestClient) -> None:
    assert step(client, "add_shape", shape={"kind": "sphere"}).status_code == 200
    made = step(client, "make_ladder", "piece-1", rungs=[{"kind": "share", "value": 30.0}]).json()
    ladder = next(r for r in made["changed"] if r["kind"] == "piece")["ladder"]
    rung = ladder["rungs"][0]
    reply = client.get(f"/api/meshes/{rung['mesh']}/deviation/{ladder['source']}")
    assert reply.status_code == 200
    found = np.frombuffer(reply.content, "<f4")
    assert len(found) == rung["hardware_vertices"]
    assert 0.0 <= found.max() <= rung["largest"] * 1.001
    assert client.get(f"/api/meshes/{rung['mesh']}/deviation/{'0' * 40}").status_code == 404


@long
def test_a_folder_is_slimmed_for_a_page(client: TestClient, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    source.mkdir()
    for k in range(4):
        (source / f"ball {k}.glb").write_bytes(write_glb([ScenePart("Ball", bumpy_ball(12))]))
    (source / "bad.glb").write_bytes(b"nothing")
    recipe = {"name": "Half", "rungs": [{"kind": "share", "value": 50.0}]}
    body = {"source": str(source), "target": str(target), "recipe": recipe}
    for wrong in ({"source": "in"}, {"source": str(tmp_path / "none")}, {"target": str(source)}, {"pattern": "{nome}"}):
        assert client.post("/api/batches", json={**body, **wrong}).status_code == 422
    sent = client.post("/api/batches", json=body)
    assert sent.status_code == 202, sent.text
    now = sent.json()
    assert client.post("/api/batches", json=body).status_code == 422, "one at a time"
    while now["state"] == "working":
        now = client.get(f"/api/batches/{now['id']}", params={"seen": now["done"] + now["failed"]}).json()
    assert (now["state"], now["total"], now["done"], now["failed"]) == ("done", 5, 4, 1), now["reason"]
    assert len(list(target.glob("*_1.glb"))) == 4
    assert [b["id"] for b in client.get("/api/batches").json()] == ["batch-1"]
    assert client.delete("/api/batches/batch-1").json()["state"] == "done"
    assert client.get("/api/batches/batch-7").status_code == 404


def test_files_that_come_with_the_request_are_slimmed_and_not_kept(
    client: TestClient, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    target = tmp_path / "out"
    ball = write_glb([ScenePart("Ball", bumpy_ball(12))])
    how = {"target": str(target), "recipe": {"name": "Half", "rungs": [{"kind": "share", "value": 50.0}]}}

    def post(*names: str, **more: object) -> Any:
        files = [("files", (name, ball if name.endswith("glb") else b"nothing")) for name in names]
        return client.post("/api/batches/files", data={"how": json.dumps({**how, **more})}, files=files)

    (tmp_path / "temporary").mkdir()
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path / "temporary"))
    before = set(Path(tempfile.gettempdir()).glob("able-brick-*"))
    for name in ("../a.glb", "/a.glb", "a//b.glb", "x/./a.glb", "c" * 130 + ".glb", ".able-brick-batch/a.glb"):
        reply = post(name)
        assert (reply.status_code, reply.json()["code"]) == (422, "input"), name
        assert "cannot be the name of a file" in reply.json()["detail"]
    assert "Two files are called" in post("a.glb", "A.GLB").json()["detail"]
    assert "whole paths" in post("a.glb", target="out").json()["detail"]
    assert post("a.glb", recipe=3).json()["code"] == "input"
    assert "More than 1000 files" in post(*(f"{k}.glb" for k in range(1001))).json()["detail"]
    assert set(Path(tempfile.gettempdir()).glob("able-brick-*")) == before, "nothing of what was refused is left"

    def done(reply: Any) -> dict[str, Any]:
        assert reply.status_code == 202, reply.text
        now = reply.json()
        while now["state"] == "working":
            now = client.get(f"/api/batches/{now['id']}", params={"seen": now["done"] + now["failed"]}).json()
        return dict(now)

    now = done(post("a.glb", "sub\\b.glb", "sub/bad.obj"))
    assert (now["source"], now["state"], now["done"], now["failed"]) == ("3 files", "done", 2, 1)
    assert {str(f.relative_to(target)) for f in target.rglob("*_1.glb")} == {"a_1.glb", "sub/b_1.glb"}
    assert done(post("a.glb", "c.glb"))["again"] == 1, "what was done before is known by what it holds"
    assert set(Path(tempfile.gettempdir()).glob("able-brick-*")) == before


def test_picks_ends_and_seams_are_asked_for_and_stale_picks_are_told(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "box", "width": 2.0, "along_x": 2}, name="Wall")
    mesh = next(r for r in client.get("/api/levels/level-1").json()["changed"] if r["kind"] == "piece")["mesh"]
    picks = {"mesh": mesh, "kind": "face", "ids": [[0, 0]]}
    wish = {"piece": "piece-1", "elements": picks, "how": "connected"}
    every = client.post("/api/levels/level-1/elements", json=wish).json()
    assert every == {"mesh": mesh, "kind": "face", "ids": [[0, 9]]}
    made = step(client, "extrude", "placement-1", elements=picks, depth=0.25).json()
    assert made["elements"]["mesh"] != mesh and made["elements"]["ids"] == [[0, 0]]
    for reply in (
        client.post("/api/levels/level-1/elements", json=wish),
        step(client, "extrude", "placement-1", elements=picks, depth=0.25),
    ):
        assert reply.status_code == 409
        assert reply.json()["code"] == "stale_elements"
    assert step(client, "line_array", "placement-1", count=3).status_code == 200
    ends = client.get("/api/levels/level-1/ends/array-1").json()
    assert {e["of"] for e in ends["ends"]} == {"count", "spacing"}
    assert client.get("/api/levels/level-1/ends/array-9").json()["code"] == "unknown_id"
    assert client.get("/api/levels/level-1/seams/piece-1").json()
    assert client.get("/api/levels/level-1/seams/piece-9").json()["code"] == "unknown_id"
