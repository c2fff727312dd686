"""Snapping while dragging: the right feature, exactly, and nothing that is moved itself."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.mesh.faces import face_centre
from able_brick.core.place.snapping import mesh_features
from able_brick.level.grips import spot_of
from able_brick.level.snap import Snap, snap
from tests.steps.test_steps import Sheet
from tests.zoo import ZOO


def yard() -> Sheet:
    """A box of 2 m at the origin, a wedge well away, a path."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 2.0, "depth": 2.0})
    sheet.do("add_shape", shape={"kind": "wedge", "width": 4.0, "height": 2.0, "depth": 3.0}, position=(20, 0, 0))
    sheet.do("draw_path", points=[{"position": (0, 0, 30)}, {"position": (10, 0, 30)}])
    return sheet


def ask(sheet: Sheet, by: Any, *selection: str, reach: float = 0.3, along: Any = ()) -> Snap | None:
    load = sheet.meshes.__getitem__
    return snap(sheet.snapshot, "level-1", load, selection or ("placement-1",), by, reach, along)


def test_a_corner_catches_a_corner_and_lands_on_it_exactly() -> None:
    sheet = yard()
    # the box's corner (1, 0, 1) near the wedge's corner (18, 0, 1.5)
    found = ask(sheet, (17.1, 0.1, 0.4))
    assert found is not None
    assert (found.kind, found.by, found.meets) == ("vertex", (17.0, 0.0, 0.5), True)
    assert found.landing is not None
    sheet.do("dock", "placement-1", grip=found.grip, landing=found.landing)
    load = sheet.meshes.__getitem__
    a, b = (spot_of(sheet.snapshot, "level-1", load, f).point for f in (found.grip, found.landing))
    assert np.abs(a - b).max() < 1e-12
    assert np.abs(b - found.point).max() < 1e-12


def test_nothing_near_catches_nothing_and_never_what_moves() -> None:
    sheet = yard()
    assert ask(sheet, (5, 0, 0)) is None
    assert ask(sheet, (0.1, 0, 0)) is None, "the box is not caught by itself"
    sheet.do("make_group", "placement-1", "placement-2")
    assert ask(sheet, (17.1, 0.1, 0.4), "group-1") is None, "nor by what moves along"


def test_what_is_laid_along_a_moved_path_moves_along_and_catches_nothing() -> None:
    sheet = yard()
    sheet.do("lay_course", "path-1", piece="piece-1")
    by = tuple(sheet.vertices()["course-1"][0][0] - sheet.vertices()["placement-1"][0][0] + (0.05, 0, 0))
    assert ask(sheet, by) is not None
    sheet.do("make_group", "placement-1", "path-1")
    assert ask(sheet, by, "group-1") is None


def test_a_constrained_move_goes_only_along_its_directions() -> None:
    sheet = yard()
    found = ask(sheet, (17.1, 0.1, 0.4), along=[(1, 0, 0)])
    assert found is not None
    assert np.allclose(found.by, (17.0, 0.1, 0.4), atol=1e-9)
    assert not found.meets
    found = ask(sheet, (17.1, 0, 0.5), along=[(1, 0, 0)])
    assert found is not None
    assert found.meets


@pytest.mark.parametrize(
    ("by", "kind", "point"),
    [
        ((17.05, 0.02, 1.05), "edge", (18, 0, 0)),
        ((1.02, 0.03, 29.05), "path point", (0, 0, 30)),
        ((18.6, 0.05, 0.55), "on edge", (19.6, 0, 1.5)),
    ],
)
def test_each_kind_is_caught_and_named(by: Any, kind: str, point: Any) -> None:
    found = ask(yard(), by, reach=0.2)
    assert found is not None
    assert found.kind == kind
    assert np.allclose(found.point, point, atol=1e-9)


def test_a_pivot_is_caught() -> None:
    sheet = yard()
    found = ask(sheet, (20.02, 0.0, 0.01), reach=0.1)
    assert found is not None
    assert (found.kind, found.grip.kind) in {("pivot", "pivot"), ("face", "pivot")}


@given(
    st.tuples(*[st.floats(-180, 180)] * 3), st.tuples(*[st.floats(0.3, 3)] * 3), st.tuples(*[st.floats(-40, 40)] * 3)
)
@settings(max_examples=40, deadline=None)
def test_what_is_caught_is_the_nearest_vertex_of_all(turn: Any, size: Any, at: Any) -> None:
    sheet = yard()
    sheet.do("set_pose", "placement-2", position=at, turn=turn, size=size)
    sheet.do("set_pivot", "piece-2", axes="of the mesh", place="typed", point=(0.3, 0.1, 0.2))
    corners = sheet.vertices()["placement-2"][0]
    grips = np.concatenate([sheet.vertices()["placement-1"][0], [[0, 0, 0]]])
    by = corners[2] - grips[5] + [0.03, -0.02, 0.01]
    found = ask(sheet, tuple(float(v) for v in by), reach=0.2)
    assert found is not None
    away = np.linalg.norm((grips + by)[:, None] - corners[None], axis=2).min()
    went = float(np.linalg.norm(np.subtract(found.by, by)))
    # what is less than a vertex must be nearer by its handicap to be caught instead
    assert away <= 0.2
    assert went <= away + 1e-9
    assert (found.kind == "vertex") == bool(np.isclose(went, away, atol=1e-9))
    handicap = {"vertex": 0.0, "pivot": 0.05, "edge": 0.15, "face": 0.2, "on edge": 0.6}[found.kind]
    assert went / 0.2 + handicap <= away / 0.2 + 1e-9


@pytest.mark.parametrize("name", sorted(ZOO))
def test_features_are_those_of_the_mesh(name: str) -> None:
    mesh = ZOO[name]()
    known = mesh_features(mesh)
    assert mesh_features(mesh) is known
    for f in np.flatnonzero(known.kind == 2)[:40]:
        assert np.allclose(known.points[f], face_centre(mesh, int(known.index[f])), atol=1e-9)
    for v in np.flatnonzero(known.kind == 0)[:40]:
        k = int(known.face[v])
        loop = mesh.corners[mesh.face_starts[k] : mesh.face_starts[k + 1]]
        assert int(known.index[v]) in loop, "the face is one that the vertex lies on"
    assert set(known.grips) <= set(range(mesh.vertex_count))
