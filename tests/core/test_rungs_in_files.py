"""Rungs are written by an extension or by names, and come back as rungs, whoever wrote them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import FileError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Material, Node, Scene, ScenePart, ScenePartRung
from able_brick.core.files.write import write_file
from able_brick.core.slim.viewing import ASPECT, VIEW, coverage
from tests.glb import document_of, edited
from tests.zoo import bumpy_ball

FINE, MIDDLE, COARSE = bumpy_ball(24), bumpy_ball(12), bumpy_ball(6)
STONE = Material("stone")
BALL = ScenePart("Ball", FINE, (STONE,), rungs=(ScenePartRung(MIDDLE, 0.2), ScenePartRung(COARSE, 0.01)))
PLACES = [Node("One", 0, (1, 2, 3)), Node("Two", 0, (4, 5, 6), scale=(2.0, 2.0, 2.0))]


@pytest.mark.parametrize("rungs", ["lod", "names"])
@pytest.mark.parametrize("lean", [False, True])
def test_rungs_come_back_and_stand_nowhere_by_themselves(rungs: Rungs, lean: bool) -> None:
    scene = read_file("ball.glb", write_glb([BALL], PLACES, rungs=rungs, lean=lean))
    (part,) = scene.parts
    assert part.name == "Ball"
    assert [r.mesh.triangle_count for r in part.rungs] == [MIDDLE.triangle_count, COARSE.triangle_count]
    assert [(i.name, i.matrix[:3, 3].tolist()) for i in scene.instances] == [("One", [1, 2, 3]), ("Two", [4, 5, 6])]
    assert [r.coverage for r in part.rungs] == ([0.2, 0.01] if rungs == "lod" else [None, None])
    if not lean:
        np.testing.assert_array_equal(part.rungs[1].mesh.positions, COARSE.positions.astype(np.float32))


def test_the_extension_tells_down_to_which_share_of_the_picture_each_is_meant() -> None:
    document = document_of(write_glb([BALL], PLACES, rungs="lod"))
    assert document["extensionsUsed"] == ["MSFT_lod"]
    roots = [document["nodes"][k] for k in document["scenes"][0]["nodes"]]
    for node in roots:
        others = [document["nodes"][k] for k in node["extensions"]["MSFT_lod"]["ids"]]
        meshes = [document["meshes"][n["mesh"]]["name"] for n in (node, *others)]
        assert meshes == ["Ball", "Ball_LOD1", "Ball_LOD2"]
        assert node["extras"]["MSFT_screencoverage"] == [0.2, 0.01, 0.0]
        assert all(n["translation"] == node["translation"] for n in others)
    assert len(document["meshes"]) == 3, "rungs are shared as pieces are"


def test_without_asking_there_are_none() -> None:
    document = document_of(write_glb([BALL], PLACES))
    assert len(document["meshes"]) == 1
    assert "extensionsUsed" not in document


def test_a_file_of_others_by_names_beside_one_another_has_rungs() -> None:
    parts = [ScenePart("a", FINE, (STONE,)), ScenePart("b", MIDDLE, (Material("oak"), STONE)), ScenePart("c", COARSE)]
    nodes = [Node("Rock_LOD0", 0, (1, 0, 0)), Node("Rock_LOD1", 1, (1, 0, 0)), Node("Rock_LOD2", 2, (7, 0, 0))]
    scene = read_file("rock.glb", write_glb(parts, nodes, lean=True))
    assert [i.name for i in scene.instances] == ["Rock", "Rock_LOD2"], "what stands elsewhere is no rung"
    assert [len(scene.parts[i.part].rungs) for i in scene.instances] == [1, 0]
    rock = scene.parts[scene.instances[0].part]
    assert [m.name for m in rock.materials] == ["stone", "oak"]
    assert {rock.materials[k].name for k in rock.rungs[0].mesh.material.tolist()} == {"oak"}


@pytest.mark.parametrize("ids", [[0], [7, 8], "x", [-1], [True]])
def test_ids_that_are_none_are_told(ids: object) -> None:
    def edit(document: Any) -> None:
        document["nodes"][0]["extensions"]["MSFT_lod"]["ids"] = ids

    data = edited(write_glb([BALL], [Node("One", 0)], rungs="lod"), edit)
    if ids == [0]:
        assert read_file("x.glb", data).parts[0].rungs == ()
        return
    with pytest.raises(FileError, match="MSFT_lod"):
        read_file("x.glb", data)


def test_what_holds_a_node_is_none_of_its_rungs() -> None:
    def edit(document: Any) -> None:
        document["nodes"][1]["extensions"]["MSFT_lod"]["ids"] = [0]

    holder = Node("Yard", None, children=(Node("One", 0), Node("Two", 0, (1, 0, 0))))
    scene = read_file("x.glb", edited(write_glb([BALL], [holder], rungs="lod"), edit))
    assert [(i.name, i.group) for i in scene.instances] == [("One", 0), ("Two", 0)]


def test_what_stands_in_a_rung_is_told_as_left_out() -> None:
    def edit(document: Any) -> None:
        (lod,) = document["nodes"][0]["extensions"]["MSFT_lod"]["ids"][:1]
        document["nodes"][lod]["children"] = [len(document["nodes"])]
        document["nodes"].append({"name": "Knob", "mesh": 0, "children": [len(document["nodes"]) + 1]})
        document["nodes"].append({"name": "Cap", "mesh": 0})
        document["scenes"][0]["nodes"].append(lod)

    scene = read_file("x.glb", edited(write_glb([BALL], [Node("One", 0)], rungs="lod"), edit))
    assert [i.name for i in scene.instances] == ["One"]
    assert "2 meshes that stand in a rung of another were left out." in scene.notes


def test_other_formats_refuse_rungs() -> None:
    with pytest.raises(FileError, match="cannot hold rungs"):
        write_file("ball.obj", Scene((BALL,)), rungs="lod")


@pytest.mark.parametrize("distance", [2.0, 5.0, 40.0, 900.0])
def test_coverage_is_what_a_sphere_takes_of_the_picture(distance: float) -> None:
    reach = 1.5
    rng = np.random.default_rng(3)
    half = np.tan(np.radians(VIEW) / 2)
    rays = rng.uniform(-1, 1, (400_000, 2)) * [half * ASPECT, half]
    ways = np.column_stack([rays, -np.ones(len(rays))])
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    middle = np.array([0.0, 0.0, -distance])
    along = ways @ middle
    met = (distance**2 - along**2 <= reach**2) & (along > 0)
    # a disc that is cut off by the picture's upper and lower side is told as whole
    told = coverage(reach, distance)
    assert told == pytest.approx(met.mean(), rel=0.05, abs=2e-4) or told > met.mean() > 0.4
    assert coverage(reach, reach) == 1.0
