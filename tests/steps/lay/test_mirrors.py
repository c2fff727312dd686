"""Mirrored meshes, stands, things and groups."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.place.mirror import Reflection, mirrored, symmetries
from able_brick.core.shapes.box import box
from able_brick.level.rows import Course, Placement
from tests.steps.lay.yard import SMOOTH, points_of, vec
from tests.steps.test_steps import Sheet
from tests.zoo import ZOO


@pytest.mark.parametrize("name", ZOO)
def test_a_mesh_mirrored_twice_is_itself_to_the_bit(name: str) -> None:
    mesh = ZOO[name]()
    assert mirrored(mirrored(mesh)).content_hash == mesh.content_hash
    once = mirrored(mesh)
    assert (once.positions[:, 0] == -mesh.positions[:, 0]).all()
    assert (once.corners[once.face_starts[:-1]] == mesh.corners[mesh.face_starts[:-1]]).all()


@given(vec, st.sampled_from([(1.0, 0, 0), (0, 1.0, 0), (0, 0, 1.0)]), st.integers(0, 2))
@settings(max_examples=50, deadline=None)
def test_a_stand_mirrored_twice_in_a_plane_through_the_origin_is_itself_to_the_bit(position, normal, axis) -> None:
    over = Reflection(np.zeros(3), np.array(normal))
    there = over.point(position)
    assert over.point(there) == tuple(v + 0.0 for v in position)
    turn = (0.1, 0.2, 0.3, float(np.sqrt(1 - 0.14)))
    assert over.turn(over.turn(turn, axis), axis) == turn


def test_symmetric_forms_are_known() -> None:
    assert symmetries(box(1, 2, 3)) == (True, True, True)


def test_mirrored_things_show_a_twin_that_is_kept_up(sheet: Sheet) -> None:
    coil = {"kind": "helix", "turns": 1.3, "section_sides": 5}
    sheet.do("add_shape", shape=coil, name="Coil", position=(4.0, 0.0, 0.0))
    (image,) = sheet.do("mirror", "placement-4", across=["x"], about_what="point").select or ()
    row = sheet.row(image)
    assert isinstance(row, Placement)
    assert min(row.size) > 0
    twin = sheet.snapshot.pieces[row.piece]
    assert twin.twin == "piece-4"
    assert twin.name == "Coil mirrored"
    world = sheet.vertices()
    assert {tuple(p) for p in np.round(world["placement-4"][0] * (-1, 1, 1), 9) + 0.0} == {
        tuple(p) for p in np.round(world[image][0], 9) + 0.0
    }
    sheet.do("mirror", image, across=["x"], about_what="point", copy_it=False)
    assert sheet.row(image).piece == "piece-4"
    assert sheet.row(image).position == sheet.row("placement-4").position
    sheet.do("mirror", image, across=["z"], about_what="middle", copy_it=False)
    assert sheet.row(image).piece == twin.id, "the twin is made once"
    sheet.do("set_dimensions", "piece-4", shape={**coil, "turns": 2.5})
    now = sheet.snapshot.pieces[twin.id]
    assert now.mesh != twin.mesh
    assert now.facts.triangles == sheet.snapshot.pieces["piece-4"].facts.triangles
    before = sheet.vertices()
    sheet.do("set_pivot", "piece-4", place="typed", point=(0.3, 0.1, 0.2))
    for key, points in sheet.vertices().items():
        assert points == pytest.approx(before[key], abs=1e-9), "the twin's placements stay as well"
    # a wall is its own mirror image: no twin is made
    kit = len(sheet.snapshot.pieces)
    sheet.do("mirror", "placement-1", across=["x", "z"], about_what="point", point=(9.0, 0.0, 9.0))
    assert len(sheet.snapshot.pieces) == kit


def test_paths_courses_and_groups_are_mirrored_whole(sheet: Sheet) -> None:
    # all its faces are convex: concave ones are cut into triangles, which their image need not be alike
    wedge = {"kind": "wedge", "width": 2.0, "height": 1.0, "depth": 0.7}
    sheet.do("add_shape", shape=wedge, name="Wedge")
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("lay_course", "path-1", piece="piece-4", bend=True, sideways=1.5)
    (group,) = sheet.do("make_group", "path-1").select or ()
    sheet.do("mirror", group, across=["z"], about_what="point")
    (other,) = [t.id for t in sheet.snapshot.of("level-1").values() if isinstance(t, Course) and t.id != "course-1"]
    before, after = points_of(sheet, "course-1") * (1, 1, -1), points_of(sheet, other)
    assert {tuple(p) for p in np.round(before, 6) + 0.0} == {tuple(p) for p in np.round(after, 6) + 0.0}
