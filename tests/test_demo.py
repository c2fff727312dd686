"""Merrow Lock is a place: pieces, courses, hinges, a dense heron; and its export is sound."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.read import read_glb
from able_brick.core.mesh.validity import problems
from able_brick.core.place.pose import to_world
from able_brick.level.export import level_file
from able_brick.level.rows import Array, Course, Placement
from able_brick.session.project import Project


@pytest.fixture
def demo(demo_file: Path, tmp_path: Path) -> Iterator[Project]:
    copy = tmp_path / "demo.db"
    shutil.copyfile(demo_file, copy)
    project = Project(copy)
    yield project
    project.close()


def test_every_piece_is_sound_and_the_heron_is_dense(demo: Project) -> None:
    pieces = {p.name: p for p in demo.snapshot.pieces.values()}
    assert len(pieces) >= 10
    for piece in pieces.values():
        assert not problems(demo.meshes.get(piece.mesh)), piece.name
        assert piece.facts.closed or piece.name == "Water"
    heron, slim = pieces["Bronze heron"], pieces["Bronze heron 25 %"]
    assert heron.facts.triangles >= 120_000
    assert slim.facts.triangles == pytest.approx(heron.facts.triangles / 4, abs=1)
    assert slim.slim is not None
    assert slim.slim.rms < 0.001


def test_gate_leaves_hang_on_their_hinges(demo: Project) -> None:
    things = demo.snapshot.things["level-1"]
    leaves = [t for t in things.values() if isinstance(t, Placement) and t.name.endswith("leaf")]
    assert len(leaves) == 2
    for leaf in leaves:
        piece = demo.snapshot.pieces[leaf.piece]
        hinge = np.array([piece.pivot])
        there = to_world(hinge, leaf.position, leaf.turn, leaf.size, piece.pivot)
        assert np.abs(there - leaf.position).max() < 1e-12
    assert any(isinstance(t, Course) and t.name == "Wall course" for t in things.values())
    assert any(isinstance(t, Array) and t.name == "Lamp row" for t in things.values())


def test_each_step_of_the_building_can_be_undone(demo: Project) -> None:
    while demo.view("level-1").history.last is not None:
        demo.undo("level-1", demo.revision("level-1"))
    view = demo.view("level-1")
    assert [r.kind for r in view.changed] == ["level"]


def test_the_exported_level_stands_where_the_level_stands(demo: Project) -> None:
    made = level_file(demo.snapshot, "level-1", demo.meshes.get, demo.pictures.get)
    scene = read_glb(write_glb(made.parts, made.nodes, name="Merrow Lock"))
    assert len(scene.instances) == demo.view("level-1").summary.placements
    footbridge = next(i for i in scene.instances if i.name == "Footbridge 10 m")
    row = next(t for t in demo.snapshot.things["level-1"].values() if t.name == "Footbridge 10 m")
    assert isinstance(row, Placement)
    assert footbridge.matrix[:3, 3] == pytest.approx(row.position)
