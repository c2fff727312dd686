"""What looks the same way, and what lies nearest on the faces round a vertex: against plain loops."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.edit.keep_to import nearest_on_triangles, on_surface
from able_brick.core.edit.picks import take_in
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.triangulate import triangulate
from tests.zoo import ZOO, bumpy_ball


@given(st.sampled_from(["ball", "divided box", "cone", "arrow"]), st.floats(0, 90), st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_same_way_keeps_what_is_picked_and_takes_what_is_within_the_angle(name: str, degrees: float, seed: int) -> None:
    mesh = ZOO[name]()
    picked = np.unique(np.random.default_rng(seed).integers(0, mesh.face_count, 5))
    found = take_in(mesh, "face", picked.astype(np.int32), "same way", np.radians(degrees))
    assert set(picked.tolist()) <= set(found.tolist())
    normals = unit(area_vectors(mesh))
    angle = np.degrees(np.arccos(np.clip(normals @ normals[picked].T, -1.0, 1.0))).min(axis=1)
    inside, outside = np.flatnonzero(angle < degrees - 1e-3), np.flatnonzero(angle > degrees + 0.01)
    assert set(inside.tolist()) <= set(found.tolist())
    assert not set(outside.tolist()) & set(found.tolist())


def test_very_many_are_looked_at_within_little_memory() -> None:
    mesh = bumpy_ball(142)
    half = np.arange(mesh.face_count // 2, dtype=np.int32)
    assert set(half.tolist()) <= set(take_in(mesh, "face", half, "same way").tolist())


@pytest.mark.parametrize("name", ["ball", "arrow", "divided box", "waves"])
def test_a_vertex_goes_to_the_nearest_place_on_the_faces_round_it(name: str) -> None:
    mesh = ZOO[name]()
    random = np.random.default_rng(7)
    vertices = np.unique(random.integers(0, mesh.vertex_count, 60)).astype(np.int32)
    goal = mesh.positions[vertices] + random.normal(0.0, 0.2, (len(vertices), 3))
    got = on_surface(mesh, vertices, goal)
    tris, face = triangulate(mesh)
    for k, vertex in enumerate(vertices.tolist()):
        context = np.unique(mesh.corner_face[mesh.corners == vertex])
        places = nearest_on_triangles(goal[k], mesh.positions[mesh.corners[tris[np.isin(face, context)]]])
        assert np.linalg.norm(got[k] - goal[k]) == pytest.approx(np.linalg.norm(places - goal[k], axis=1).min())
        # by a fine net over the triangles: nothing is nearer
        for a, b, c in mesh.positions[mesh.corners[tris[np.isin(face, context)]]]:
            u, v = (w.ravel() for w in np.meshgrid(np.linspace(0, 1, 13), np.linspace(0, 1, 13)))
            inside = u + v <= 1
            net = a + u[inside, None] * (b - a) + v[inside, None] * (c - a)
            assert np.linalg.norm(net - goal[k], axis=1).min() >= np.linalg.norm(got[k] - goal[k]) - 1e-9
