"""PolyMesh, topology, normals, triangulation, hardware vertices."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError
from able_brick.core.mesh import hardware
from able_brick.core.mesh.combine import joined, moved
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.measure import area, centre_of_mass, counts, volume
from able_brick.core.mesh.normals import area_vectors, shading, sharp_edges, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import face_components, topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.mesh.validity import duplicate_faces, problems
from able_brick.core.shapes.box import box
from able_brick.core.shapes.prism import prism
from tests.zoo import CLOSED, ZOO, fin


@pytest.mark.parametrize("name", ZOO)
def test_triangles_cover_each_face_exactly(name: str) -> None:
    mesh = ZOO[name]()
    tris, face = triangulate(mesh)
    assert len(tris) == mesh.triangle_count
    assert (np.bincount(face, minlength=mesh.face_count) == mesh.face_sizes - 2).all()
    assert (np.diff(face) >= 0).all()
    p = mesh.positions[mesh.corners[tris]]
    vectors = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]) / 2
    summed = np.stack([np.bincount(face, vectors[:, k], minlength=mesh.face_count) for k in range(3)], axis=1)
    assert np.abs(summed - area_vectors(mesh)).max() < 1e-12
    agree = (vectors * unit(area_vectors(mesh))[face]).sum(axis=1)
    assert (agree > 0).all()


@pytest.mark.parametrize("name", ZOO)
def test_closed_where_claimed_and_sound(name: str) -> None:
    mesh = ZOO[name]()
    assert topology(mesh).is_closed == (name in CLOSED)
    assert {p.code for p in problems(mesh)} == ({"crowded_edges", "winding"} - {"winding"} if name == "fin" else set())
    if name in CLOSED:
        assert volume(mesh) > 0
        parts, _ = face_components(mesh)
        assert mesh.vertex_count - len(topology(mesh).edges) + mesh.face_count == 2 * parts


@given(
    st.lists(st.floats(0.3, 2.0), min_size=5, max_size=14),
    st.floats(0, 2 * math.pi),
)
@settings(max_examples=60, deadline=None)
def test_star_shaped_ngons_are_cut_without_overlap(radii: list[float], turn: float) -> None:
    n = len(radii)
    outline = [
        (r * math.cos(turn + 2 * math.pi * k / n), r * math.sin(turn + 2 * math.pi * k / n))
        for k, r in enumerate(radii)
    ]
    mesh = prism(outline, 1.0)
    tris, _ = triangulate(mesh)
    p = mesh.positions[mesh.corners[tris]]
    cut = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2
    assert cut == pytest.approx(area(mesh), rel=1e-9)


def test_bent_quad_is_cut_along_its_ridge() -> None:
    roof = [(0, 0, 0), (1, 0.5, 0.3), (2, 0, 0), (1, 0.5, -0.3)]
    for turn in range(4):
        mesh = PolyMesh.checked(roof, [4], np.roll([0, 1, 2, 3], turn))
        tris, _ = triangulate(mesh)
        assert {frozenset(mesh.corners[t].tolist()) for t in tris} == {frozenset({0, 1, 3}), frozenset({1, 2, 3})}
    concave = PolyMesh.checked([(0, 0, 0), (2, 0, 0), (0.4, 0.4, 0), (0, 2, 0)], [4], [0, 1, 2, 3])
    tris, _ = triangulate(concave)
    assert {frozenset(concave.corners[t].tolist()) for t in tris} == {frozenset({0, 1, 2}), frozenset({0, 2, 3})}


def test_box_splits_its_corners_for_the_hardware() -> None:
    mesh = box(1, 1, 1)
    assert counts(mesh).vertices == 8
    assert counts(mesh).hardware_vertices == 24
    soft = PolyMesh.trusted(mesh.positions, mesh.face_starts, mesh.corners, smooth_angle=math.pi)
    assert counts(soft).hardware_vertices == 8
    two = PolyMesh.trusted(
        mesh.positions, mesh.face_starts, mesh.corners, smooth_angle=math.pi, material=np.array([1, 0, 0, 0, 0, 0])
    )
    assert counts(two).hardware_vertices == 12


@pytest.mark.parametrize("name", ZOO)
def test_hardware_vertices_do_not_depend_on_how_they_are_found(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    mesh = ZOO[name]()
    quick = hardware_vertices(mesh)
    monkeypatch.setattr(hardware, "leaders", lambda *_: np.zeros(0, np.int32))
    monkeypatch.setattr(hardware, "split_by_shading", lambda *_: (np.zeros(0, np.int32), np.zeros(0, np.int32)))
    general = hardware_vertices.__wrapped__(mesh)
    for field in ("of_corner", "corner", "vertex", "normals", "normal_group"):
        assert getattr(quick, field).tolist() == getattr(general, field).tolist(), field


def test_a_vertex_of_very_many_looks_is_split_all_the_same() -> None:
    n = 300
    ring = [(math.cos(2 * math.pi * k / n), 0.0, -math.sin(2 * math.pi * k / n)) for k in range(n)]
    corners = [v for k in range(n) for v in (0, 1 + k, 1 + (k + 1) % n)]
    uv = np.arange(6.0 * n).reshape(-1, 2)
    mesh = PolyMesh.checked([(0, 0, 0), *ring], [3] * n, corners, uv=uv)
    assert len(hardware_vertices(mesh)) == 3 * n


def test_a_flagged_edge_splits_a_smooth_surface() -> None:
    mesh = ZOO["drum"]()
    assert not sharp_edges(mesh)[topology(mesh).corner_edge[1]]
    sharp = np.zeros(len(mesh.corners), np.bool_)
    flagged = np.flatnonzero(mesh.facet[mesh.corner_face] == 0)[1::4]
    sharp[flagged] = True
    split = PolyMesh.trusted(mesh.positions, mesh.face_starts, mesh.corners, facet=mesh.facet, sharp=sharp)
    assert len(hardware_vertices(split)) > len(hardware_vertices(mesh))


def test_smooth_normals_of_a_ball_point_outward() -> None:
    mesh = ZOO["ball"]()
    shade = shading(mesh)
    outward = unit(mesh.positions[mesh.corners])
    assert ((shade.normals[shade.group] * outward).sum(axis=1) > 0.6).all()
    assert np.abs(np.linalg.norm(shade.normals, axis=1) - 1).max() < 1e-12


@given(st.floats(0.01, 50), st.floats(0.01, 50), st.floats(0.01, 50), st.tuples(*[st.integers(1, 6)] * 3))
@settings(max_examples=40, deadline=None)
def test_boxes_measure_what_they_say(w: float, h: float, d: float, divisions: tuple[int, int, int]) -> None:
    mesh = box(w, h, d, divisions=divisions)
    assert volume(mesh) == pytest.approx(w * h * d, rel=1e-9)
    assert area(mesh) == pytest.approx(2 * (w * h + h * d + d * w), rel=1e-9)
    assert centre_of_mass(mesh) == pytest.approx([0, h / 2, 0], abs=1e-9 * max(w, h, d))
    assert topology(mesh).is_closed
    assert not problems(mesh)


def test_joined_keeps_every_part() -> None:
    a, b = box(1, 1, 1), moved(box(2, 2, 2), (5, 0, 0))
    both = joined([a, b], materials=[3, 4])
    assert volume(both) == pytest.approx(9)
    assert sorted(set(both.material.tolist())) == [3, 4]
    assert face_components(both)[0] == 2
    with pytest.raises(GeometryError, match="at least one mesh"):
        joined([])


@pytest.mark.parametrize(
    ("positions", "sizes", "corners", "text"),
    [
        ([(0, 0, 0)] * 3, [3], [0, 1, 5], "names vertex 5"),
        ([(0, 0, float("nan"))] * 3, [3], [0, 1, 2], "Vertex 0 has a coordinate that is not a finite"),
        ([(0, 0, 0)] * 3, [2], [0, 1], "Face 0 has 2 corners"),
        ([(0, 0, 0)] * 3, [3], [0, 1], "claim 3 corners but 2"),
        ([(0, 0, 0)] * 3, [3], [0, 1, 1], "names one vertex twice"),
    ],
)
def test_unsound_arrays_are_refused(positions: list[object], sizes: list[int], corners: list[int], text: str) -> None:
    with pytest.raises(GeometryError, match=text):
        PolyMesh.checked(positions, sizes, corners)  # type: ignore[arg-type]


def test_meshes_are_frozen_and_hash_by_content() -> None:
    mesh = box(1, 1, 1)
    with pytest.raises(ValueError, match="read-only"):
        mesh.positions[0, 0] = 5
    assert mesh.content_hash == box(1, 1, 1).content_hash
    assert mesh.content_hash != box(1, 1, 1.0000001).content_hash


def test_problems_name_what_is_wrong() -> None:
    assert [p.code for p in problems(fin())] == ["crowded_edges"]
    flipped = PolyMesh.checked(np.eye(4, 3), [3, 3], [0, 1, 2, 1, 2, 3])
    assert [p.code for p in problems(flipped)] == ["winding"]
    flat = PolyMesh.checked([(0, 0, 0), (1, 0, 0), (2, 0, 0), (9, 9, 9)], [3, 3], [0, 1, 2, 1, 2, 0])
    assert {p.code for p in problems(flat)} >= {"unused_vertices", "degenerate_faces", "duplicate_faces"}


@given(st.lists(st.lists(st.integers(0, 6), min_size=3, max_size=5, unique=True), min_size=1, max_size=12))
@settings(max_examples=200)
def test_faces_that_stand_twice_are_found_as_by_comparing_all(faces: list[list[int]]) -> None:
    points = np.random.default_rng(1).normal(size=(7, 3))
    mesh = PolyMesh.checked(points, [len(f) for f in faces], [v for f in faces for v in f])
    sets = [frozenset(f) for f in faces]
    assert duplicate_faces(mesh).tolist() == [s in sets[:k] for k, s in enumerate(sets)]
