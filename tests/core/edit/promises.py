"""What every operation on a mesh promises."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import count_of
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import degenerate_faces, problems, unused_vertices


def sound(before: PolyMesh, out: Edited) -> None:
    """What holds for every operation: a valid mesh, no worse than before; maps to the old one; picks that are there."""
    mesh = out.mesh
    PolyMesh.checked(mesh.positions, mesh.face_sizes, mesh.corners, uv=mesh.uv, colour=mesh.colour)
    assert not len(unused_vertices(mesh))
    assert degenerate_faces(mesh).sum() <= degenerate_faces(before).sum()
    assert len(out.vertex_from) == mesh.vertex_count
    assert len(out.face_from) == mesh.face_count
    old = out.face_from[out.face_from >= 0]
    assert (np.diff(old) > 0).all(), "old faces keep their order"
    assert np.array_equal(mesh.material[out.face_from >= 0], before.material[old])
    assert np.array_equal(mesh.facet[out.face_from >= 0], before.facet[old])
    assert (mesh.uv is None) == (before.uv is None)
    assert (mesh.colour is None) == (before.colour is None)
    assert mesh.smooth_angle == before.smooth_angle
    corners_stay(before, out)
    assert set(out.picked.tolist()) <= set(range(count_of(mesh, out.kind)))


def corners_stay(before: PolyMesh, out: Edited) -> None:
    """Faces that have the very corners that they had have their sharp edges and colours as well."""
    mesh, back = out.mesh, out.vertex_from
    for face in np.flatnonzero(out.face_from >= 0).tolist():
        now = slice(mesh.face_starts[face], mesh.face_starts[face + 1])
        was = slice(before.face_starts[out.face_from[face]], before.face_starts[out.face_from[face] + 1])
        if np.array_equal(back[mesh.corners[now]], before.corners[was]):
            assert np.array_equal(mesh.sharp[now], before.sharp[was])
            if mesh.colour is not None and before.colour is not None:
                moved = (mesh.positions[mesh.corners[now]] != before.positions[before.corners[was]]).any()
                assert moved or np.array_equal(mesh.colour[now], before.colour[was])


def no_worse(before: PolyMesh, out: Edited) -> None:
    """No kind of fault that was not there."""
    assert {p.code for p in problems(out.mesh)} <= {p.code for p in problems(before)}
    if topology(before).is_closed:
        assert topology(out.mesh).is_closed


def untouched(before: PolyMesh, out: Edited, moved: np.ndarray) -> None:
    """Vertices (V) that were not asked to move are where they were, bit for bit."""
    kept = out.vertex_from >= 0
    source = out.vertex_from[kept]
    still = ~moved[source]
    assert np.array_equal(out.mesh.positions[kept][still], before.positions[source[still]])


def uv_stay(before: PolyMesh, out: Edited) -> None:
    """Faces whose corners are the same have their uv bit for bit."""
    if before.uv is None or out.mesh.uv is None:
        return
    back = out.vertex_from
    for face in np.flatnonzero(out.face_from >= 0).tolist():
        now = slice(out.mesh.face_starts[face], out.mesh.face_starts[face + 1])
        was = slice(before.face_starts[out.face_from[face]], before.face_starts[out.face_from[face] + 1])
        here, there = out.mesh.positions[out.mesh.corners[now]], before.positions[before.corners[was]]
        if np.array_equal(back[out.mesh.corners[now]], before.corners[was]) and np.array_equal(here, there):
            assert np.array_equal(out.mesh.uv[now], before.uv[was])
