"""Pieces that are shaded by normals of the file they came in, wherever they stand and whatever is done to them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.normals import corner_normals
from able_brick.core.shapes.box import box
from able_brick.session.importing import Taking, step_of
from able_brick.session.shipping import level_glb
from tests.core.test_own_normals import degrees_apart, outward
from tests.session.bench import Bench
from tests.session.test_round_trips import TURNED, comes_back

_CURVE = [{"position": p} for p in ((0, 0, 30), (14, 0, 36.7), (30, 2, 26))]


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Bench]:
    made = Bench(tmp_path / "trial.db")
    data = write_glb([ScenePart("Bollard", outward(box(2.0, 1.2, 0.7)))], lean=True)
    tool, meshes, textures = step_of(read_file("bollard.glb", data), "bollard.glb", Taking(), place=True)
    made.project.step(made.level, tool, (), made.project.revision(made.level), meshes=meshes, textures=textures)
    yield made
    made.project.close()


def test_every_item_in_the_level_s_file_is_shaded_like_a_ball_about_its_middle(bench: Bench) -> None:
    bench.do("set_pivot", "piece-1", **TURNED, point=(0.1, 0.2, 0.3), outcome="numbers stay")
    bench.do("set_pose", "placement-1", position=(1, 2, 3), turn=(10, 20, 30))
    bench.do("place_piece", "piece-1", position=(-9, 0, 0))
    bench.do("make_group", "placement-1", "placement-2")
    bench.do("live_mirror", "group-1", across="x")
    bench.do("place_piece", "piece-1", position=(0, 0, 9))
    bench.do("mirror", "placement-3", across=("x", "z"))
    bench.do("line_array", "placement-3", count=3, spacing=4)
    scene = read_file("level.glb", level_glb(bench.project, bench.level)[1])
    assert len(scene.instances) >= 8
    for instance in scene.instances:
        mesh, linear = scene.parts[instance.part].mesh, instance.matrix[:3, :3]
        assert mesh.normal is not None
        # a turn alone, as mirror images have meshes of their own
        assert np.allclose(linear @ linear.T, np.eye(3), atol=1e-6) and np.linalg.det(linear) > 0
        middle = mesh.positions.mean(axis=0)
        assert degrees_apart(mesh.normal, (mesh.positions - middle)[mesh.corners]).max() < 0.01
    bench.whole()


def test_a_level_with_them_comes_back_over_three_passes(bench: Bench, tmp_path: Path) -> None:
    bench.do("set_pivot", "piece-1", **TURNED, point=(0.1, 0.2, 0.3), outcome="numbers stay")
    bench.do("draw_path", points=_CURVE, smooth=True)
    bench.do("lay_course", "path-1", piece="piece-1", bend=True)
    bench.do("place_piece", "piece-1", position=(0, 0, 9))
    bench.do("mirror", "placement-2", across=("x",))
    comes_back(bench, tmp_path)


def test_a_bent_course_bends_them(bench: Bench) -> None:
    bench.do("draw_path", points=_CURVE, smooth=True)
    bench.do("lay_course", "path-1", piece="piece-1", bend=True)
    scene = read_file("level.glb", level_glb(bench.project, bench.level)[1])
    bent = [p.mesh for p in scene.parts if p.mesh.vertex_count > 8]
    assert bent
    for mesh in bent:
        assert mesh.normal is not None
        middle = mesh.positions.mean(axis=0)
        assert degrees_apart(mesh.normal, (mesh.positions - middle)[mesh.corners]).mean() < 15.0
    bench.do("make_real", "course-1", result="one mesh")
    made = bench.project.meshes.get(next(r.mesh for k, r in bench.rows().items() if k == "piece-2"))
    assert made.normal is not None and np.allclose(np.linalg.norm(made.normal, axis=1), 1.0)


def test_an_edit_leaves_them_and_says_so_and_undo_brings_them_back(bench: Bench) -> None:
    row = bench.rows()["piece-1"]
    assert row.facts.own_normals
    elements = {"mesh": row.mesh, "kind": "face", "ids": [[0, 0]]}
    done = bench.do("extrude", "placement-1", elements=elements, depth=0.4)
    assert "shaded by its form" in str(done.model_dump(mode="json"))
    edited = bench.rows()["piece-1"]
    mesh = bench.project.meshes.get(edited.mesh)
    assert mesh.normal is None and not edited.facts.own_normals
    bench.undo()
    assert bench.rows()["piece-1"] == row
    bench.whole()


def test_a_slimmed_piece_and_its_ladder_have_them(bench: Bench) -> None:
    bench.do("set_pose", "placement-1", size=(3, 1, 1))
    bench.do("bake_size", "placement-1", result="same piece")
    assert bench.rows()["piece-1"].facts.own_normals
    bench.do("make_ladder", "piece-1", rungs=[{"kind": "count", "value": 6}])
    rung = bench.rows()["piece-1"].ladder.rungs[0]
    mesh = bench.project.meshes.get(rung.mesh)
    assert mesh.normal is not None
    assert degrees_apart(corner_normals(mesh), mesh.normal).max() < 1e-3
    scene = read_file("level.glb", level_glb(bench.project, bench.level, rungs="lod")[1])
    assert scene.parts[0].rungs[0].mesh.normal is not None
    bench.whole()
