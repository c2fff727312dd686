"""Borders closed: as many faces as said, the form closed where all of them are, nothing else changed."""

from __future__ import annotations

from typing import get_args

import numpy as np
import pytest

from able_brick.core.edit.fill import FillWith, border_loops, fill
from able_brick.core.edit.fill_patches import grid, least_area
from able_brick.core.edit.remove import delete
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.plane import plane
from tests.core.edit.promises import no_worse, sound, untouched, uv_stay
from tests.zoo import ZOO


def opened(mesh: PolyMesh, face: int) -> PolyMesh:
    return delete(mesh, np.array([face], np.int32)).mesh


def euler(mesh: PolyMesh) -> int:
    return mesh.vertex_count - len(topology(mesh).edges) + mesh.face_count


@pytest.mark.parametrize("how", get_args(FillWith))
@pytest.mark.parametrize("name", sorted(ZOO))
def test_a_face_that_was_taken_out_of_a_closed_form_is_closed_again(name: str, how: FillWith) -> None:
    mesh = ZOO[name]()
    if not topology(mesh).is_closed:
        return
    for face in {0, mesh.face_count // 2}:
        hole = opened(mesh, face)
        edges = np.flatnonzero(topology(hole).border).astype(np.int32)
        size = int(mesh.face_sizes[face])
        if how == "grid" and size % 2:
            with pytest.raises(GeometryError, match="must be even"):
                fill(hole, edges[:1], how)
            continue
        out = fill(hole, edges[:1], how)
        sound(hole, out)
        no_worse(hole, out)
        uv_stay(hole, out)
        untouched(hole, out, np.zeros(hole.vertex_count, np.bool_))
        more = out.mesh.face_count - hole.face_count
        if how != "grid" or size == 4:
            assert more == {"one face": 1, "grid": 1, "fan": size, "least area": size - 2}[how]
        assert euler(out.mesh) == euler(hole) + 1
        if len(border_loops(hole)) == 1:
            assert topology(out.mesh).is_closed
        assert out.picked.tolist() == list(range(hole.face_count, out.mesh.face_count))


def test_the_new_face_looks_outward_and_has_what_is_beside_it() -> None:
    box = ZOO["box"]()
    hole = opened(box, 2)
    out = fill(hole, np.flatnonzero(topology(hole).border).astype(np.int32))
    new = out.mesh
    loop = new.positions[new.corners[new.face_starts[-2] :]]
    normal = np.cross(loop[1] - loop[0], loop[2] - loop[1])
    assert normal @ (loop.mean(axis=0) - box.positions.mean(axis=0)) > 0
    assert new.material[-1] == hole.material[topology(hole).border[topology(hole).corner_edge].argmax() // 4]
    assert new.facet[-1] == hole.facet.max() + 1


@pytest.mark.parametrize("how", get_args(FillWith))
def test_edges_of_what_closes_a_border_are_as_sharp_as_they_were(how: FillWith) -> None:
    box = ZOO["box"]()
    hole = opened(box, 2)
    border = topology(hole).border[topology(hole).corner_edge]
    hole = hole.replaced(sharp=border & (np.arange(len(border)) % 2 == 0))
    out = fill(hole, np.flatnonzero(topology(hole).border).astype(np.int32), how).mesh
    t = topology(out)
    by_edge = np.zeros((2, len(t.edges)), np.bool_)
    for new in (0, 1):
        corners = np.flatnonzero((out.corner_face >= hole.face_count) == bool(new))
        by_edge[new, t.corner_edge[corners[out.sharp[corners]]]] = True
    assert by_edge[0].any()
    assert np.array_equal(by_edge[0], by_edge[1])


def test_every_border_that_is_picked_is_closed_by_itself() -> None:
    box = ZOO["box"]()
    hole = delete(box, np.array([0, 1], np.int32)).mesh
    loops = border_loops(hole)
    edges = np.flatnonzero(topology(hole).border).astype(np.int32)
    out = fill(hole, edges)
    assert out.mesh.face_count == hole.face_count + len(loops)
    assert topology(out.mesh).is_closed
    one = fill(hole, edges[:1])
    assert one.mesh.face_count == hole.face_count + 1


def test_edges_inside_and_borders_through_one_vertex_twice_are_refused() -> None:
    box = ZOO["box"]()
    with pytest.raises(GeometryError, match="No edge of a border"):
        fill(box, np.array([0], np.int32))
    places = np.array([(0, 0, 0), (1, 0, 0), (0, 0, 1), (-1, 0, 0), (0, 0, -1)], np.float64)
    plate = PolyMesh.checked(places, np.array([3, 3]), np.array([0, 2, 1, 0, 4, 3]))
    with pytest.raises(GeometryError, match="passes a vertex twice"):
        fill(plate, np.array([0], np.int32))


def test_a_grid_over_a_hole_in_a_sheet_is_what_was_there() -> None:
    sheet = plane(6.0, 4.0, divisions=(6, 4))
    middle = sheet.positions[sheet.corners].reshape(-1, 4, 3).mean(axis=1)
    gone = np.flatnonzero((np.abs(middle[:, 0]) < 2) & (np.abs(middle[:, 2]) < 1))
    assert len(gone) == 8
    hole = delete(sheet, gone).mesh
    inner = [loop for loop in border_loops(hole) if len(loop) == 12]
    out = fill(hole, topology(hole).corner_edge[inner[0]], "grid").mesh
    assert (out.face_count, out.vertex_count) == (sheet.face_count, sheet.vertex_count)
    order = [np.lexsort(np.round(m.positions, 6).T) for m in (out, sheet)]
    assert out.positions[order[0]] == pytest.approx(sheet.positions[order[1]], abs=1e-12)
    assert out.uv is not None and sheet.uv is not None
    at = {tuple(np.round(p, 6)): uv for p, uv in zip(sheet.positions[sheet.corners], sheet.uv, strict=True)}
    for p, uv in zip(out.positions[out.corners], out.uv, strict=True):
        assert uv == pytest.approx(at[tuple(np.round(p, 6))], abs=1e-9)


@pytest.mark.parametrize("count", [4, 8, 12, 32])
def test_a_round_border_is_filled_with_four_even_sides(count: int) -> None:
    angle = np.linspace(0, 2 * np.pi, count, endpoint=False)
    ring = np.stack([np.cos(angle), np.sin(angle), np.zeros(count)], axis=1)
    patch = grid(ring)
    assert len(patch.faces) == (count // 4) ** 2
    points = np.concatenate([ring, patch.points])
    p = points[patch.faces]
    across = np.cross(p[:, 2] - p[:, 0], p[:, 3] - p[:, 1])[:, 2]
    assert (across > 0).all()
    assert across.sum() / 2 == pytest.approx(count / 2 * np.sin(2 * np.pi / count))
    assert np.bincount(patch.faces.ravel(), minlength=len(points)).min() > 0


def test_triangles_of_least_area_follow_a_bent_border() -> None:
    # a loop over a ridge: its triangles are those of the two flat sides
    loop = np.array([(-1, 0, -1), (-1, 0, 1), (0, 1, 1), (1, 0, 1), (1, 0, -1), (0, 1, -1)], np.float64)
    patch = least_area(loop)
    tri = loop[patch.faces]
    area = np.linalg.norm(np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]), axis=1).sum() / 2
    assert len(patch.faces) == 4
    # the two sides of the ridge, and not a floor with two ends, which has 6
    assert area == pytest.approx(4 * np.sqrt(2), abs=1e-9)
    # a flat one with vertices along its sides: none of the triangles is without area
    x = np.linspace(0, 1, 5)
    side = np.stack([x[:-1], np.zeros(4), np.zeros(4)], axis=1)
    turn = np.array([[0, 1, 0], [-1, 0, 0], [0, 0, 1]])
    corner = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)])
    flat = np.concatenate([corner[k] + side @ np.linalg.matrix_power(turn, k) for k in range(4)])
    tri = flat[least_area(flat).faces]
    sizes = np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0])[:, 2] / 2
    assert (sizes > 1e-3).all()
    assert sizes.sum() == pytest.approx(1.0)
    with pytest.raises(GeometryError, match="400 are allowed"):
        least_area(np.zeros((401, 3)))


def test_all_borders_up_to_a_number_of_edges_are_closed_and_longer_ones_stay() -> None:
    sheet = plane(6.0, 4.0, divisions=(6, 4))
    middle = sheet.positions[sheet.corners].reshape(-1, 4, 3).mean(axis=1)
    gone = [int(np.argmin(np.abs(middle - at).sum(axis=1))) for at in ((-1.5, 0, 0.5), (0.5, 0, -0.5), (0.5, 0, 0.5))]
    hole = delete(sheet, np.array(gone)).mesh
    loops = {len(loop): loop for loop in border_loops(hole)}
    assert sorted(loops) == [4, 6, 20]
    edge = topology(hole).corner_edge[loops[6][:1]]
    assert int(topology(fill(hole, edge).mesh).border.sum()) == 24
    assert int(topology(fill(hole, edge, up_to=5).mesh).border.sum()) == 20
