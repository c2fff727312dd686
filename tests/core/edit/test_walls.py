"""Walls between where the border of picked faces was and where it is: which facets they are, and their colours."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.inset import inset
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from tests.zoo import painted, touching_fans


def corners_of(mesh: PolyMesh, face: int) -> np.ndarray:
    return np.arange(mesh.face_starts[face], mesh.face_starts[face + 1])


def walls_of(out: Edited) -> np.ndarray:
    return np.flatnonzero(out.face_from < 0)


def test_walls_of_an_extrusion_are_facets_of_their_own() -> None:
    mesh = box(1.0, 2.0, 3.0)
    out = extrude(mesh, np.array([2], np.int32), 0.5)
    facets = out.mesh.facet[walls_of(out)]
    assert len(np.unique(facets)) == 4
    assert not np.isin(facets, mesh.facet).any()


def test_the_ring_round_an_inset_is_of_the_facet_of_its_face() -> None:
    mesh = box(1.0, 2.0, 3.0)
    out = inset(mesh, np.array([2], np.int32), 0.1)
    assert (out.mesh.facet[walls_of(out)] == mesh.facet[2]).all()


@pytest.mark.parametrize("each", [False, True])
def test_walls_have_the_colours_that_their_face_had_where_they_stand(each: bool) -> None:
    mesh = painted()
    assert mesh.colour is not None
    picked = np.array([0, 1], np.int32)
    out = extrude(mesh, picked, 0.3, each=each)
    made = out.mesh
    assert made.colour is not None
    old = {
        tuple(np.round(c, 12)): int(mesh.corners[k])
        for f in picked
        for k in corners_of(mesh, f)
        for c in [mesh.colour[k]]
    }
    for wall in walls_of(out):
        corners = corners_of(made, wall)
        # the two below stand on old vertices, those above over them
        low = out.vertex_from[made.corners[corners[:2]]]
        colours = [tuple(np.round(made.colour[k], 12)) for k in corners]
        assert [old[c] for c in colours] == [low[0], low[1], low[1], low[0]]


def test_what_touches_the_picked_faces_in_a_vertex_alone_stays() -> None:
    mesh = touching_fans()
    half = mesh.face_count // 2
    out = extrude(mesh, np.arange(half, dtype=np.int32), 0.5)
    for face in np.flatnonzero(out.face_from >= half).tolist():
        was = mesh.positions[mesh.corners[corners_of(mesh, int(out.face_from[face]))]]
        assert (out.mesh.positions[out.mesh.corners[corners_of(out.mesh, face)]] == was).all()
