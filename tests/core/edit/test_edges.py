"""Loops, bevels, cuts, slides and what else is done by edges and vertices: measured."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.edit.bevel import bevel
from able_brick.core.edit.bevel_vertices import bevel_vertices
from able_brick.core.edit.carry import carry, centres, falloff
from able_brick.core.edit.cut import Stop, cut, slice_by_plane
from able_brick.core.edit.dissolve import dissolve
from able_brick.core.edit.divide import divide, divide_rows, poke
from able_brick.core.edit.element_types import converted, edges_between
from able_brick.core.edit.flatten import evened, flattened
from able_brick.core.edit.loops import add_loops
from able_brick.core.edit.merge import collapse, weld
from able_brick.core.edit.picks import take_in
from able_brick.core.edit.pull import pull_edges
from able_brick.core.edit.remove import delete
from able_brick.core.edit.slide import slide
from able_brick.core.edit.sweep import sweep
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import joined, moved
from able_brick.core.mesh.facets import facet_corners, facet_edges, facets, facets_by_angle, facets_by_material
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.cylinder import cylinder
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.prism import prism
from tests.zoo import ZOO, waves


def edges_along(mesh: PolyMesh, axis: int) -> np.ndarray:
    """Edges that run along an axis."""
    table = topology(mesh).edges
    way = np.abs(mesh.positions[table[:, 1]] - mesh.positions[table[:, 0]])
    return np.flatnonzero(way[:, axis] > 0.99 * np.linalg.norm(way, axis=1)).astype(np.int32)


def surface(mesh: PolyMesh) -> float:
    return float(np.linalg.norm(area_vectors(mesh), axis=1).sum())


# -- loops -


@given(st.integers(1, 5), st.integers(0, 27))
@settings(max_examples=20, deadline=None)
def test_loops_keep_every_old_place_and_lie_on_the_old_faces(count: int, edge: int) -> None:
    mesh = box(2.0, 3.0, 4.0, divisions=(2, 1, 1))
    edge %= len(topology(mesh).edges)
    out = add_loops(mesh, np.array([edge], np.int32), count)
    kept = out.vertex_from >= 0
    assert np.array_equal(out.mesh.positions[kept], mesh.positions[out.vertex_from[kept]])
    assert volume(out.mesh) == pytest.approx(24.0, rel=1e-12)
    assert surface(out.mesh) == pytest.approx(surface(mesh), rel=1e-12)
    assert (out.mesh.face_sizes == 4).all()
    assert out.kind == "edge"
    assert len(out.picked) % count == 0


def test_a_loop_lies_so_far_from_a_side() -> None:
    mesh = box(2.0, 3.0, 4.0)
    for metres in (0.4, -0.4):
        out = add_loops(mesh, edges_along(mesh, 1)[:1], metres=metres)
        heights = out.mesh.positions[topology(out.mesh).edges[out.picked]][..., 1]
        assert np.ptp(heights) == 0
        assert min(abs(heights.ravel()[0]), abs(3.0 - heights.ravel()[0])) == pytest.approx(0.4, abs=1e-12)
    with pytest.raises(GeometryError, match="shortest edge is 3 m"):
        add_loops(mesh, edges_along(mesh, 1)[:1], metres=3.5)


def test_strips_that_cross_make_a_grid() -> None:
    mesh = plane(3.0, 2.0)
    every = np.arange(4, dtype=np.int32)
    out = add_loops(mesh, every, 2)
    assert out.mesh.face_count == 9
    assert out.mesh.uv is not None
    assert mesh.uv is not None
    # uv lie as they did: the same affine map of the places
    fit = np.linalg.lstsq(np.c_[mesh.positions[mesh.corners][:, [0, 2]], np.ones(4)], mesh.uv, rcond=None)[0]
    found = np.c_[out.mesh.positions[out.mesh.corners][:, [0, 2]], np.ones(36)] @ fit
    assert out.mesh.uv == pytest.approx(found, abs=1e-12)


def test_a_strip_ends_where_there_is_no_quad_and_says_so() -> None:
    mesh = prism([(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)], 1.0)
    upright = edges_along(mesh, 1)
    flat = [e for e in range(len(topology(mesh).edges)) if e not in upright][:1]
    out = add_loops(mesh, np.array(flat, np.int32))
    assert "ends at 2 faces that are no quads" in out.note
    assert out.ended is not None and sorted(out.mesh.face_sizes[out.ended]) == [6, 6]
    assert topology(out.mesh).is_closed
    with pytest.raises(GeometryError, match="No quad"):
        add_loops(ZOO["fin"](), np.array([0], np.int32))


# -- bevels -


@given(st.floats(0.02, 0.9), st.integers(1, 6))
@settings(max_examples=20, deadline=None)
def test_a_rounded_box_has_its_radius_everywhere(width: float, segments: int) -> None:
    mesh = box(2.0, 2.0, 2.0)
    out = bevel(mesh, np.arange(12, dtype=np.int32), width, segments=segments).mesh
    assert topology(out).is_closed
    p = out.positions - np.array([0.0, 1.0, 0.0])
    inner = 1.0 - width
    far = np.linalg.norm(p - np.clip(p, -inner, inner), axis=1)
    if segments == 1:
        assert volume(out) < 8.0
    assert far == pytest.approx(np.full(len(p), width), rel=1e-6)


def test_one_edge_is_cut_off_as_wide_as_was_asked_along_both_faces() -> None:
    mesh = box(2.0, 2.0, 2.0)
    edge = edges_along(mesh, 1)[:1]
    line = mesh.positions[topology(mesh).edges[edge[0]]]
    out = bevel(mesh, edge, 0.3)
    assert volume(out.mesh) == pytest.approx(8.0 - 0.3 * 0.3 / 2 * 2.0, rel=1e-12)
    fresh = out.mesh.positions[out.vertex_from < 0]
    assert np.linalg.norm((fresh - line[0])[:, [0, 2]], axis=1) == pytest.approx(np.full(4, 0.3), rel=1e-12)
    round_ = bevel(mesh, edge, 0.3, segments=16)
    assert volume(round_.mesh) == pytest.approx(8.0 - (1 - np.pi / 4) * 0.09 * 2.0, rel=1e-3)
    sharp = bevel(mesh, edge, 0.3, segments=2, shape=1.0)
    assert volume(sharp.mesh) == pytest.approx(8.0, rel=1e-3)
    flat = bevel(mesh, edge, 0.3, segments=4, shape=0.0)
    assert volume(flat.mesh) == pytest.approx(volume(out.mesh), rel=1e-9)


def test_too_wide_a_bevel_takes_what_fits_or_is_refused_with_the_largest() -> None:
    mesh = box(2.0, 1.0, 3.0)
    every = np.arange(12, dtype=np.int32)
    with pytest.raises(GeometryError, match=r"at most 0\.4995 m") as refused:
        bevel(mesh, every, 5.0, clamp=False)
    assert refused.value.data["allowed"] == pytest.approx(0.5)
    assert topology(bevel(mesh, every, 5.0).mesh).is_closed
    with pytest.raises(GeometryError, match="at most"):
        bevel_vertices(mesh, np.arange(8, dtype=np.int32), 5.0, clamp=False)
    with pytest.raises(GeometryError, match="not two faces"):
        bevel(plane(1.0, 1.0), np.array([0], np.int32), 0.1)


def test_a_bevel_within_a_flat_sheet_leaves_it_flat_and_its_uv_in_place() -> None:
    mesh = plane(4.0, 4.0, divisions=(4, 4))
    inner = np.flatnonzero(~topology(mesh).border)
    for edges in (inner, inner[:1], take_in(mesh, "edge", inner[:1], "loop")):
        out = bevel(mesh, edges.astype(np.int32), 0.1, segments=3).mesh
        assert out.positions[:, 1] == pytest.approx(np.zeros(out.vertex_count))
        assert surface(out) == pytest.approx(16.0, rel=1e-9)
        assert (area_vectors(out)[:, 1] > 0).all()
        assert out.uv is not None
        assert mesh.uv is not None
        fit = np.linalg.lstsq(np.c_[mesh.positions[mesh.corners], np.ones(len(mesh.corners))], mesh.uv, rcond=None)[0]
        found = np.c_[out.positions[out.corners], np.ones(len(out.corners))] @ fit
        assert out.uv == pytest.approx(found, abs=1e-9)


def test_new_faces_of_a_bevel_have_a_material_and_a_facet() -> None:
    mesh = box(1.0, 1.0, 1.0)
    out = bevel(mesh, np.arange(12, dtype=np.int32), 0.1, segments=2, material=3)
    fresh = out.face_from < 0
    assert (out.mesh.material[fresh] == 3).all()
    assert len(np.unique(facets(out.mesh))) == 6 + 12 + 8


def test_corners_are_cut_off() -> None:
    mesh = box(2.0, 2.0, 2.0)
    out = bevel_vertices(mesh, np.arange(8, dtype=np.int32), 0.5).mesh
    assert volume(out) == pytest.approx(8.0 - 8 * 0.5**3 / 6, rel=1e-12)
    assert sorted(np.unique(out.face_sizes)) == [3, 8]


@pytest.mark.parametrize("name", ["box", "prism", "open"])
def test_caps_have_the_density_of_the_face_that_they_go_on_from(name: str) -> None:
    mesh = {
        "box": lambda: box(2.0, 1.0, 3.0),
        "prism": lambda: prism([(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)], 1.0),
        "open": lambda: delete(divide(box(2.0, 1.0, 3.0), np.arange(6)).mesh, np.array([0], np.int32)).mesh,
    }[name]()
    out = bevel_vertices(mesh, np.arange(mesh.vertex_count, dtype=np.int32), 0.2)
    assert out.mesh.uv is not None
    assert mesh.uv is not None
    uv = _uv_areas(out.mesh, out.mesh.uv)
    real = np.linalg.norm(area_vectors(out.mesh), axis=1)
    density = (np.abs(_uv_areas(mesh, mesh.uv)) / np.linalg.norm(area_vectors(mesh), axis=1)).mean()
    # caps over an edge of the open box are bent a little
    assert uv == pytest.approx(real * density, rel=0.04 if name == "open" else 1e-6)
    # each cap goes on from a face beside it: they have the uv of an edge in common
    m, t = out.mesh, topology(out.mesh)
    for face in np.flatnonzero(out.face_from < 0):
        corners = np.arange(m.face_starts[face], m.face_starts[face + 1])
        twins = t.twin[corners]
        ahead = np.abs(m.uv[corners] - m.uv[m.next_corner[twins]]).max(axis=1)
        behind = np.abs(m.uv[m.next_corner[corners]] - m.uv[twins]).max(axis=1)
        assert (np.maximum(ahead, behind)[twins >= 0] < 1e-9).any()


def _uv_areas(mesh: PolyMesh, uv: np.ndarray) -> np.ndarray:
    """(F) signed areas of faces on the map."""
    one, two = uv, uv[mesh.next_corner]
    return np.bincount(mesh.corner_face, one[:, 0] * two[:, 1] - two[:, 0] * one[:, 1], mesh.face_count) / 2


def test_faces_that_look_away_from_each_other_are_not_pulled_along_one_way() -> None:
    mesh = box(2.0, 2.0, 2.0)
    normals = unit(area_vectors(mesh))
    opposite = np.flatnonzero(np.abs(normals[:, 0]) > 0.9)
    places = np.array([[0.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 2.0, 0.0]])
    with pytest.raises(GeometryError, match="look away from each other"):
        sweep(mesh, opposite, places, np.tile(np.eye(3), (3, 1, 1)), np.ones(3))
    assert sweep(mesh, opposite[:1], places, np.tile(np.eye(3), (3, 1, 1)), np.ones(3)).mesh.face_count == 14


# -- cuts -


@given(st.floats(0.1, 0.9), st.floats(0.1, 0.9))
@settings(max_examples=20, deadline=None)
def test_a_cut_keeps_areas(one: float, other: float) -> None:
    mesh = box(2.0, 3.0, 4.0)
    upright = edges_along(mesh, 1)
    table = topology(mesh).edges
    # a way over one side, from an upright edge to the next
    x = mesh.positions[table[upright]][:, 0]
    front = upright[(x[:, 2] > 1.9)]
    out = cut(mesh, [Stop(edge=int(front[0]), share=one), Stop(edge=int(front[1]), share=other)])
    assert out.mesh.face_count == 7
    assert surface(out.mesh) == pytest.approx(surface(mesh), rel=1e-12)
    assert volume(out.mesh) == pytest.approx(24.0, rel=1e-12)
    assert len(out.picked) == 1


def test_a_cut_goes_over_several_faces_and_through_vertices() -> None:
    mesh = plane(4.0, 4.0, divisions=(2, 2))
    found = edges_between(mesh, np.array([[0, 1]]))
    centre = int(np.argmin(np.linalg.norm(mesh.positions, axis=1)))
    table = topology(mesh).edges
    border = np.flatnonzero(topology(mesh).border)
    low = next(e for e in border if mesh.positions[table[e]].mean(axis=0) @ [1, 0, 0] < -1.9)
    high = next(
        e
        for e in border
        if np.allclose(mesh.positions[table[e]].mean(axis=0), -mesh.positions[table[low]].mean(axis=0), atol=1e-9)
    )
    out = cut(mesh, [Stop(edge=int(low), share=0.5), Stop(vertex=centre), Stop(edge=int(high), share=0.5)])
    assert out.mesh.face_count == 6
    assert len(found) <= 1
    with pytest.raises(GeometryError, match="across one face"):
        cut(mesh, [Stop(edge=int(low)), Stop(edge=int(high))])
    with pytest.raises(GeometryError, match="two places"):
        cut(mesh, [Stop(edge=0)])


def test_a_cut_does_not_leave_a_hollow_face() -> None:
    mesh = prism([(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)], 1.0)
    top = int(np.argmax(unit(area_vectors(mesh))[:, 1] * (mesh.face_sizes == 5)))
    names = mesh.corners[mesh.face_starts[top] : mesh.face_starts[top + 1]]
    tips = [int(v) for v in names if mesh.positions[v][2] ** 2 + 0 > -1 and abs(abs(mesh.positions[v][2]) - 3) < 1e-9]
    if len(tips) == 2:
        with pytest.raises(GeometryError, match="across one face"):
            cut(mesh, [Stop(vertex=tips[0]), Stop(vertex=tips[1])])


def test_a_plane_cuts_straight_through() -> None:
    mesh = box(2.0, 3.0, 4.0)
    out = slice_by_plane(mesh, np.array([0.0, 1.2, 0.0]), np.array([0.0, 1.0, 0.0]))
    assert out.mesh.face_count == 10
    assert len(out.picked) == 4
    assert set(np.round(out.mesh.positions[:, 1], 12)) == {0.0, 1.2, 3.0}
    with pytest.raises(GeometryError, match="no face"):
        slice_by_plane(mesh, np.array([0.0, 9.0, 0.0]), np.array([0.0, 1.0, 0.0]))


def test_faces_are_divided_and_poked() -> None:
    mesh = box(2.0, 2.0, 2.0)
    for parts in (2, 3, 5):
        out = divide(mesh, np.arange(6, dtype=np.int32), parts).mesh
        assert out.face_count == 6 * parts**2
        assert (out.face_sizes == 4).all()
        assert topology(out).is_closed
    for along, across in ((3, 1), (2, 5), (1, 4)):
        row = divide_rows(mesh, np.array([0], np.int32), along, across)
        assert len(row.picked) == along * across
        assert topology(row.mesh).is_closed
        assert volume(row.mesh) == pytest.approx(8.0, rel=1e-12)
    with pytest.raises(GeometryError, match="round a corner"):
        divide_rows(mesh, np.arange(6, dtype=np.int32), 2, 3)
    one = divide(mesh, np.array([0], np.int32), 2).mesh
    assert sorted(one.face_sizes) == [4] * 5 + [5] * 4
    assert volume(one) == pytest.approx(8.0, rel=1e-12)
    hexagon = cylinder(1.0, 2.0, sides=6)
    end = np.flatnonzero(hexagon.face_sizes == 6).astype(np.int32)
    assert (divide(hexagon, end).mesh.face_sizes >= 4).all()
    with pytest.raises(GeometryError, match="2 parts"):
        divide(hexagon, end, 3)
    tip = poke(mesh, np.array([0], np.int32), 0.5)
    assert volume(tip.mesh) == pytest.approx(8.0 + 4.0 * 0.5 / 3, rel=1e-12)
    assert tip.kind == "vertex"
    assert len(tip.picked) == 1


# -- making one -


def test_a_loop_is_dissolved_as_if_it_had_never_been() -> None:
    mesh = box(2.0, 3.0, 4.0)
    looped = add_loops(mesh, edges_along(mesh, 1)[:1], 2)
    back = dissolve(looped.mesh, "edge", looped.picked)
    assert back.mesh.face_count == 6
    assert back.mesh.vertex_count == 8
    assert volume(back.mesh) == pytest.approx(24.0, rel=1e-12)
    stay = dissolve(looped.mesh, "edge", looped.picked, tidy=False)
    assert stay.mesh.vertex_count == 16
    grid = divide(mesh, np.array([0], np.int32), 3)
    whole = dissolve(grid.mesh, "face", grid.picked)
    assert whole.mesh.face_count == 6
    ring = inset_ring()
    with pytest.raises(GeometryError, match="hole"):
        dissolve(ring, "face", np.arange(ring.face_count - 1, dtype=np.int32))


def inset_ring() -> PolyMesh:
    """A sheet of nine faces, the middle one last."""
    sheet = plane(3.0, 3.0, divisions=(3, 3))
    order = [0, 1, 2, 3, 5, 6, 7, 8, 4]
    corners = sheet.corners.reshape(-1, 4)[order]
    return PolyMesh.checked(sheet.positions, [4] * 9, corners.ravel())


def test_edges_are_collapsed_to_their_middle() -> None:
    mesh = plane(3.0, 2.0, divisions=(3, 2))
    rim = np.unique(topology(mesh).edges[topology(mesh).border])
    edge = int(np.flatnonzero(~np.isin(topology(mesh).edges, rim).any(axis=1))[0])
    ends = topology(mesh).edges[edge]
    out = collapse(mesh, np.array([edge], np.int32))
    assert out.mesh.vertex_count == mesh.vertex_count - 1
    assert out.mesh.positions[out.picked[0]] == pytest.approx(mesh.positions[ends].mean(axis=0))
    assert surface(out.mesh) == pytest.approx(6.0)


def test_two_halves_are_welded() -> None:
    half = plane(1.0, 1.0)
    both = joined([half, moved(half, (1.0005, 0, 0))])
    with pytest.raises(GeometryError, match=r"nearest two are 0\.0005"):
        weld(both, np.arange(8), 0.0001)
    out = weld(both, np.arange(8), 0.001)
    assert out.mesh.vertex_count == 6
    assert int(topology(out.mesh).border.sum()) == 6


# -- moving -


def test_a_loop_slides_by_the_same_distance_on_every_edge() -> None:
    mesh = add_loops(cylinder(1.0, 2.0, sides=12), np.array([12], np.int32), 1)
    looped = mesh.mesh
    by = slide(looped, mesh.picked, metres=0.3)
    moved_ = np.linalg.norm(by.mesh.positions - looped.positions, axis=1)
    assert sorted({round(float(m), 9) for m in moved_}) == [0.0, 0.3]
    back = slide(by.mesh, by.picked, metres=-0.3)
    assert back.mesh.positions == pytest.approx(looped.positions, abs=1e-12)
    assert back.mesh.uv == pytest.approx(looped.uv, abs=1e-9)
    with pytest.raises(GeometryError, match="beyond the next edge"):
        slide(looped, mesh.picked, metres=5.0)
    with pytest.raises(GeometryError, match="fork"):
        slide(looped, np.arange(len(topology(looped).edges), dtype=np.int32), share=0.5)


def test_falloff_is_measured_along_the_edges() -> None:
    mesh = plane(4.0, 1.0, divisions=(40, 1))
    start = int(np.argmin(mesh.positions[:, 0] + mesh.positions[:, 2] * 1e-3))
    weights = falloff(mesh, np.array([start]), 2.0)
    far = mesh.positions[:, 0] - mesh.positions[start, 0]
    same = np.abs(mesh.positions[:, 2] - mesh.positions[start, 2]) < 1e-9
    x = np.minimum(far[same] / 2.0, 1.0)
    assert weights[same] == pytest.approx(1 - x * x * (3 - 2 * x), abs=1e-9)


def test_what_is_kept_to_stays_there() -> None:
    mesh = waves(12)
    inner = int(np.argmin(np.linalg.norm(mesh.positions[:, [0, 2]] - 0.1, axis=1)))
    ids = np.array([inner], np.int32)
    by = np.array([0.1, 0.5, 0.03])
    along = carry(mesh, "vertex", ids, np.eye(3), by, np.zeros(3), keep_to="edges").mesh.positions[inner]
    table = topology(mesh).edges
    mine = table[(table == inner).any(axis=1)]
    other = mine[mine != inner]
    p, q = mesh.positions[inner], mesh.positions[other]
    off = [np.linalg.norm(np.cross(along - p, unit(e - p))) for e in q]
    assert min(off) == pytest.approx(0.0, abs=1e-12)
    normal = carry(mesh, "vertex", ids, np.eye(3), by, np.zeros(3), keep_to="normal").mesh.positions[inner] - p
    total = area_vectors(mesh)[np.unique(mesh.corner_face[mesh.corners == inner])].sum(axis=0)
    assert np.linalg.norm(np.cross(normal, total)) == pytest.approx(0.0, abs=1e-9)
    on = carry(mesh, "vertex", ids, np.eye(3), np.array([0.05, 5.0, 0.02]), np.zeros(3), keep_to="surface")
    low, high = mesh.bounds
    assert (on.mesh.bounds[1] <= high + 1e-12).all()
    assert (on.mesh.bounds[0] >= low - 1e-12).all()


def test_parts_are_turned_each_about_its_own_middle() -> None:
    mesh = joined([box(1, 1, 1), moved(box(1, 1, 1), (5, 0, 0))])
    ids = np.arange(mesh.face_count, dtype=np.int32)
    about = centres(mesh, "face", ids)
    assert np.unique(np.round(about, 9), axis=0).tolist() == [[0.0, 0.5, 0.0], [5.0, 0.5, 0.0]]
    out = carry(mesh, "face", ids, np.eye(3) * 2.0, np.zeros(3), about).mesh
    assert volume(out) == pytest.approx(16.0)


def test_flat_and_even() -> None:
    mesh = waves(10)
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    flat = flattened(mesh, "vertex", every, np.array([0.0, 1.0, 0.0]), np.zeros(3)).mesh
    assert (flat.positions[:, 1] == 0).all()
    own = flattened(mesh, "vertex", every[:30], None, None).mesh.positions[:30]
    assert np.linalg.svd(own - own.mean(axis=0))[1][2] == pytest.approx(0.0, abs=1e-9)
    sheet = plane(4.0, 1.0, divisions=(4, 1))
    with pytest.raises(GeometryError, match="line"):
        flattened(sheet, "vertex", np.flatnonzero(sheet.positions[:, 2] > 0), None, None)
    p = sheet.positions.copy()
    p[np.abs(p[:, 0] - 1.0) < 1e-9, 0] = 1.7
    uneven = sheet.replaced(positions=p)
    rim = [e for e in np.flatnonzero(topology(sheet).border) if np.ptp(p[topology(sheet).edges[e]][:, 2]) < 1e-9]
    side = [e for e in rim if p[topology(sheet).edges[e][0]][2] > 0]
    out = evened(uneven, np.array(side, np.int32)).mesh
    mine = np.unique(topology(sheet).edges[side])
    assert out.positions[mine] == pytest.approx(sheet.positions[mine])


def test_borders_are_pulled_on_in_the_plane_of_their_faces() -> None:
    mesh = plane(2.0, 2.0)
    out = pull_edges(mesh, np.arange(4, dtype=np.int32), 0.5).mesh
    assert surface(out) == pytest.approx(9.0)
    assert (area_vectors(out)[:, 1] > 0).all()
    up = pull_edges(mesh, np.array([0], np.int32), 0.5, direction=np.array([0.0, 2.0, 0.0])).mesh
    assert up.bounds[1][1] == pytest.approx(0.5)
    with pytest.raises(GeometryError, match="both sides"):
        pull_edges(box(1, 1, 1), np.array([0], np.int32), 0.5)


# -- facets and picks -


def test_facets_have_outlines_and_corners() -> None:
    assert int(facet_corners(box(1, 1, 1, divisions=(3, 3, 3))).sum()) == 8
    hexagon = cylinder(1.0, 2.0, sides=6)
    assert int(facet_corners(hexagon).sum()) == 12
    disc = cylinder(1.0, 2.0, sides=64)
    by_angle = disc.replaced(facet=facets_by_angle(disc, np.radians(20)))
    assert int(facet_corners(by_angle).sum()) == 0
    assert int(facet_edges(by_angle).sum()) == 128
    sheet = waves(20).replaced(facet=facets_by_material(waves(20)))
    assert len(np.unique(facets(sheet))) == 2


def test_picks_of_one_kind_are_picks_of_another() -> None:
    mesh = box(2.0, 2.0, 2.0, divisions=(2, 2, 2))
    face = np.array([5], np.int32)
    assert len(converted(mesh, "face", face, "vertex")) == 4
    assert len(converted(mesh, "face", face, "edge")) == 4
    assert converted(mesh, "vertex", converted(mesh, "face", face, "vertex"), "face").tolist() == [5]
    assert converted(mesh, "edge", converted(mesh, "face", face, "edge"), "face").tolist() == [5]


def test_edges_go_along() -> None:
    mesh = cylinder(1.0, 2.0, sides=8, rows=4)
    heights = mesh.positions[topology(mesh).edges][..., 1]
    level = (np.ptp(heights, axis=1) < 1e-9) & (heights[:, 0] > 0.1) & (heights[:, 0] < 1.9)
    one = np.flatnonzero(level)[:1].astype(np.int32)
    loop = take_in(mesh, "edge", one, "loop")
    assert len(loop) == 8
    assert len(take_in(mesh, "edge", one, "ring")) == 5
    assert len(take_in(mesh, "edge", loop, "every second")) == 4
    assert len(take_in(mesh, "edge", one, "border")) == 0
    assert len(take_in(mesh, "vertex", np.array([0], np.int32), "connected")) == mesh.vertex_count
    assert len(take_in(mesh, "face", np.array([0], np.int32), "n-gons")) == 2
    with pytest.raises(GeometryError, match="means nothing"):
        take_in(mesh, "face", np.array([0], np.int32), "loop")
    grown = take_in(mesh, "vertex", np.array([12], np.int32), "grow")
    assert len(grown) == 5
    assert take_in(mesh, "vertex", grown, "shrink").tolist() == [12]
