"""Which triangles faces are cut into, edges that turn, and triangles that become quads."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.edit.sound import check_sound
from able_brick.core.edit.triangles import as_quads, triangulated_faces, turned_edges
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.measure import area, volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulated
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from tests.thorough import EXAMPLES


def outline(seed: int, corners: int) -> PolyMesh:
    """A flat star-shaped face with so many corners."""
    random = np.random.default_rng(seed)
    angle = np.sort(random.uniform(0, 2 * np.pi, corners)) + np.arange(corners) * 0.02
    radius = random.uniform(0.5, 1.5, corners)
    points = np.stack([radius * np.sin(angle), np.zeros(corners), radius * np.cos(angle)], axis=1)
    return PolyMesh.checked(points, [corners], np.arange(corners))


def every(mesh: PolyMesh) -> np.ndarray:
    return np.arange(mesh.face_count, dtype=np.int32)


def least_angle(mesh: PolyMesh) -> float:
    p = mesh.positions[mesh.corners.reshape(-1, 3)]
    out = []
    for k in range(3):
        a, b = unit(p[:, (k + 1) % 3] - p[:, k]), unit(p[:, (k + 2) % 3] - p[:, k])
        out.append(np.arccos(np.clip((a * b).sum(axis=1), -1, 1)))
    return float(np.min(out))


def inner_length(mesh: PolyMesh) -> float:
    t = topology(mesh)
    ends = mesh.positions[t.edges[~t.border]]
    return float(np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1).sum())


def test_a_quad_gets_the_diagonal_that_was_asked_for() -> None:
    # the shorter diagonal, the better angles and the flatter fold lie differently in three quads
    kite = PolyMesh.checked([(0, 0, -1), (-0.4, 0, 0), (0, 0, 3), (0.4, 0, 0)], [4], [0, 1, 2, 3])
    short = triangulated_faces(kite, every(kite), "shortest diagonal").mesh
    assert inner_length(short) == pytest.approx(0.8)
    bent = PolyMesh.checked([(0, 0, 0), (0, 0.2, 1), (1, 0, 1), (1, 0, 0)], [4], [0, 1, 2, 3])
    for by in ("shortest diagonal", "best angles", "flattest fold"):
        out = triangulated_faces(bent, every(bent), by)  # type: ignore[arg-type]
        assert out.mesh.face_count == 2
        assert out.picked.tolist() == [0, 1]
    both = [PolyMesh.checked(bent.positions, [3, 3], loops) for loops in ([0, 1, 2, 0, 2, 3], [0, 1, 3, 1, 2, 3])]
    folds = [float(np.prod(unit(area_vectors(m)), axis=0).sum()) for m in both]
    flat = triangulated_faces(bent, every(bent), "flattest fold").mesh
    assert float(np.prod(unit(area_vectors(flat)), axis=0).sum()) == pytest.approx(max(folds))


@given(st.integers(0, 10**6), st.integers(4, 9))
@settings(max_examples=EXAMPLES, deadline=None)
def test_angles_are_as_good_as_any_cut_of_the_face_has(seed: int, corners: int) -> None:
    mesh = outline(seed, corners)
    out = triangulated_faces(mesh, every(mesh), "best angles").mesh
    assert out.face_count == corners - 2
    assert area(out) == pytest.approx(area(triangulated(mesh)))
    assert least_angle(out) >= least_angle(triangulated(mesh)) - 1e-9
    # no single diagonal could be turned for a better one
    again = triangulated_faces(mesh, every(mesh), "best angles").mesh
    assert again.content_hash == out.content_hash
    ends = topology(out)
    for edge in np.flatnonzero(~ends.border).tolist():
        try:
            other = turned_edges(out, np.array([edge])).mesh
        except GeometryError:
            continue
        if (area_vectors(other)[:, 1] > 1e-9).all():
            assert least_angle(other) <= least_angle(out) + 1e-9


def test_what_is_not_picked_stays_and_the_surface_does() -> None:
    mesh = box(1.0, 2.0, 3.0, divisions=(2, 2, 2))
    mesh = mesh.replaced(sharp=np.random.default_rng(1).random(len(mesh.corners)) < 0.3)
    out = triangulated_faces(mesh, np.arange(5), "best angles")
    assert check_sound(mesh, out)[0] == ""
    assert out.mesh.face_count == mesh.face_count + 5
    assert volume(out.mesh) == pytest.approx(volume(mesh))
    assert topology(out.mesh).is_closed
    kept = mesh.face_starts[5]
    assert out.mesh.corners[15 : 15 + len(mesh.corners) - kept].tolist() == mesh.corners[kept:].tolist()
    assert int(out.mesh.sharp.sum()) == int(mesh.sharp.sum())


def test_an_edge_turned_twice_is_what_it_was() -> None:
    mesh = triangulated(plane(2.0, 2.0, divisions=(2, 2)))
    t = topology(mesh)
    mesh = mesh.replaced(sharp=t.border[t.corner_edge])
    inner = np.flatnonzero(~t.border)
    turned = 0
    for edge in inner.tolist():
        try:
            one = turned_edges(mesh, np.array([edge]))
        except GeometryError:
            continue
        if (area_vectors(one.mesh)[:, 1] <= 1e-9).any():
            continue
        turned += 1
        assert one.kind == "edge"
        assert len(one.picked) == 1
        assert not np.array_equal(topology(one.mesh).edges[one.picked[0]], t.edges[edge])
        back = turned_edges(one.mesh, one.picked).mesh
        assert int(one.mesh.sharp.sum()) == int(mesh.sharp.sum())
        loops = [{frozenset(m.corners[k : k + 3].tolist()) for k in range(0, 24, 3)} for m in (mesh, back)]
        assert loops[0] == loops[1]
    # four diagonals, and the four edges of the grid between two of their triangles
    assert turned == 8


def test_triangles_of_quads_become_those_quads() -> None:
    quads = box(2.0, 1.0, 3.0, divisions=(4, 2, 6))
    tris = triangulated(quads)
    out = as_quads(tris, every(tris), bend=0.01, skew=0.1)
    assert check_sound(tris, out)[0] == ""
    assert out.mesh.face_count == quads.face_count

    def loops(mesh: PolyMesh) -> set[frozenset[int]]:
        return {frozenset(mesh.corners[a:b].tolist()) for a, b in itertools.pairwise(mesh.face_starts.tolist())}

    assert loops(out.mesh) == loops(quads)
    # a sharp edge, a facet or a material between two parts them
    corner = int(np.flatnonzero(topology(tris).twin >= 0)[0])
    inner = [c for c in range(len(tris.corners)) if tris.corner_face[topology(tris).twin[c]] == tris.corner_face[c] ^ 1]
    sharp = tris.sharp.copy()
    sharp[inner[0]] = True
    one = tris.replaced(sharp=sharp)
    assert as_quads(one, every(one), bend=0.01, skew=0.1).mesh.face_count == quads.face_count + 1
    assert corner >= 0
    with pytest.raises(GeometryError, match="No two"):
        as_quads(tris, every(tris)[:1], bend=0.01, skew=0.1)


def test_what_cannot_be_is_told() -> None:
    cube = box(1.0, 1.0, 1.0)
    with pytest.raises(GeometryError, match="triangulate"):
        turned_edges(cube, np.array([0]))
    tris = triangulated(cube)
    with pytest.raises(GeometryError, match="triangles already"):
        triangulated_faces(tris, every(tris), "best angles")
    with pytest.raises(GeometryError, match="one triangle"):
        turned_edges(tris, topology(tris).corner_edge[:2])


def test_each_triangle_is_part_of_one_quad_at_most() -> None:
    angle = np.arange(6) * np.pi / 3
    points = np.vstack([np.zeros(3), np.stack([np.sin(angle), np.zeros(6), np.cos(angle)], axis=1)])
    fan = PolyMesh.checked(points, [3] * 6, [v for k in range(6) for v in (0, 1 + k, 1 + (k + 1) % 6)])
    out = as_quads(fan, every(fan), bend=0.01, skew=np.radians(35)).mesh
    assert out.face_sizes.tolist() == [4, 4, 4]
    assert area(out) == pytest.approx(area(fan))
