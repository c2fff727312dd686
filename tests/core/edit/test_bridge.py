"""Borders joined: nothing is twisted, no vertex meets another, and what was open there is closed."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.edit.bridge import bridge
from able_brick.core.edit.remove import delete
from able_brick.core.edit.sound import check_sound
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import joined, moved
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import problems
from able_brick.core.shapes.box import box
from able_brick.core.shapes.cylinder import cylinder
from able_brick.core.shapes.plane import plane


def middles(mesh: PolyMesh) -> np.ndarray:
    out: np.ndarray = np.add.reduceat(mesh.positions[mesh.corners], mesh.face_starts[:-1]) / mesh.face_sizes[:, None]
    return out


def facing(mesh: PolyMesh, low: float, high: float) -> np.ndarray:
    """Level faces at heights between two."""
    flat = np.abs(unit(area_vectors(mesh))[:, 1]) > 0.99
    y = middles(mesh)[:, 1]
    return np.flatnonzero(flat & (y > low) & (y < high)).astype(np.int32)


def euler(mesh: PolyMesh) -> int:
    return mesh.vertex_count - len(topology(mesh).edges) + mesh.face_count


STACK = joined([box(1.0, 1.0, 1.0), moved(box(1.0, 1.0, 1.0), (0, 3, 0))])


@pytest.mark.parametrize("segments", [1, 2, 5])
@pytest.mark.parametrize("way", ["straight", "arc"])
def test_two_boxes_become_one_post(segments: int, way: Any) -> None:
    out = bridge(STACK, "face", facing(STACK, 0.5, 3.5), segments=segments, way=way)
    assert check_sound(STACK, out) == ("", pytest.approx([]))
    mesh = out.mesh
    assert topology(mesh).is_closed
    assert problems(mesh) == []
    assert volume(mesh) == pytest.approx(4.0)
    assert mesh.face_count == 10 + 4 * segments
    assert (mesh.face_sizes == 4).all()
    # two balls become one
    assert (euler(STACK), euler(mesh)) == (4, 2)
    assert out.picked.tolist() == list(range(10, mesh.face_count))
    assert len(np.unique(mesh.positions.round(9), axis=0)) == mesh.vertex_count
    # the edges along it run straight up
    edges = mesh.positions[topology(mesh).edges]
    level = np.abs(edges[:, 0, 1] - edges[:, 1, 1]) < 1e-9
    assert np.abs(edges[~level, 0] - edges[~level, 1])[:, [0, 2]].max() < 1e-9


def test_halfway_it_is_as_large_as_asked_and_it_may_be_twisted() -> None:
    faces = facing(STACK, 0.5, 3.5)
    waist = bridge(STACK, "face", faces, segments=2, middle=0.5).mesh
    ring = waist.positions[np.abs(waist.positions[:, 1] - 2.0) < 1e-9]
    assert np.ptp(ring, axis=0) == pytest.approx([0.5, 0, 0.5])
    turned = bridge(STACK, "face", faces, segments=1, twist=1).mesh
    assert topology(turned).is_closed
    edges = turned.positions[topology(turned).edges]
    across = edges[np.abs(edges[:, 0, 1] - edges[:, 1, 1]) > 1.5]
    assert len(across) == 4
    assert np.linalg.norm((across[:, 0] - across[:, 1])[:, [0, 2]], axis=1) == pytest.approx(np.ones(4))
    again = bridge(STACK, "face", faces, segments=1, twist=4).mesh
    assert again.content_hash == bridge(STACK, "face", faces).mesh.content_hash


@pytest.mark.parametrize(("below", "above"), [(8, 12), (12, 8), (5, 40), (6, 7)])
def test_other_numbers_of_edges_are_closed_by_triangles_spread_evenly(below: int, above: int) -> None:
    mesh = joined([cylinder(2.0, 1.0, sides=below), moved(cylinder(1.6, 1.0, sides=above), (0.2, 3, 0.1))])
    out = bridge(mesh, "face", facing(mesh, 0.5, 3.5), segments=3)
    assert check_sound(mesh, out)[0] == ""
    assert topology(out.mesh).is_closed
    assert euler(out.mesh) == 2
    made = out.mesh.face_sizes[out.picked]
    assert set(made.tolist()) <= {3, 4}
    # of all triangles those that stand on one and the same vertex are as few as may be
    few, many = sorted((below, above))
    tris = out.picked[made == 3]
    tips = np.bincount(out.mesh.corners[out.mesh.face_starts[tris][:, None] + np.arange(3)].ravel())
    assert tips.max() <= many // few + 2


def test_an_arc_leaves_both_ends_at_right_angles() -> None:
    up, side = cylinder(1.0, 1.0, sides=8), cylinder(1.0, 1.0, sides=8)
    turn = np.array([[0.0, 1, 0], [-1, 0, 0], [0, 0, 1]])
    mesh = joined([up, moved(side.replaced(positions=side.positions @ turn.T), (3, 4, 0))])
    normal = unit(area_vectors(mesh))
    ends = [int(np.argmax(normal @ [0, 1, 0])), 0]
    caps = np.flatnonzero(mesh.face_sizes == 8)
    ends[1] = int(caps[np.argmin((middles(mesh) @ [1, 0, 0])[caps] + 1e3 * (normal[caps] @ [1, 0, 0] > -0.5))])
    out = bridge(mesh, "face", np.array(sorted(ends)), segments=32, way="arc")
    new = out.mesh
    assert topology(new).is_closed
    directions = []
    for k in out.picked.tolist():
        loop = new.corners[new.face_starts[k] : new.face_starts[k + 1]]
        if (loop < mesh.vertex_count).any():
            p = new.positions[loop]
            directions.append(unit((p[2] - p[1])[None])[0])
    first, last = np.array(directions[:8]), np.array(directions[-8:])
    assert (first @ [0, 1, 0]).min() > 0.99
    assert (last @ [1, 0, 0]).min() > 0.99


def test_rows_of_border_edges_that_are_open_or_go_round() -> None:
    sheets = joined([plane(4.0, 2.0, divisions=(4, 2)), moved(plane(4.0, 2.0, divisions=(4, 2)), (0, 0, 3))])
    t = topology(sheets)
    ends = sheets.positions[t.edges]
    row = t.border & ((np.abs(ends[:, :, 2] - 1).max(axis=1) < 1e-9) | (np.abs(ends[:, :, 2] - 2).max(axis=1) < 1e-9))
    out = bridge(sheets, "edge", np.flatnonzero(row), segments=2)
    assert check_sound(sheets, out)[0] == ""
    assert out.mesh.face_count == 16 + 8
    assert unit(area_vectors(out.mesh))[:, 1] == pytest.approx(np.ones(24))
    # two holes, one above the other, become a tunnel between two skins
    outer = joined([delete(plane(3.0, 3.0, divisions=(3, 3)), np.array([4])).mesh])
    under = moved(outer, (0, -1, 0))
    low = under.with_corners(np.arange(len(under.corners))[::-1], sharp=under.sharp)
    both = joined([outer, low])
    inner = topology(both)
    near = np.abs(both.positions[inner.edges][:, :, [0, 2]]).max(axis=(1, 2)) < 0.6
    made = bridge(both, "edge", np.flatnonzero(near & inner.border))
    assert made.mesh.face_count == 16 + 4
    assert check_sound(both, made)[0] == ""
    tunnel = made.picked
    centres, normals = middles(made.mesh)[tunnel], area_vectors(made.mesh)[tunnel]
    assert ((centres * normals)[:, [0, 2]].sum(axis=1) < 0).all(), "it is seen from within"


def test_what_lay_on_the_faces_stays_to_the_bit() -> None:
    random = np.random.default_rng(2)
    mesh = STACK.replaced(uv=random.random((48, 2)), colour=random.random((48, 4)), material=np.arange(12))
    out = bridge(mesh, "face", facing(mesh, 0.5, 3.5), segments=3)
    kept = out.face_from[out.face_from >= 0]
    assert (out.mesh.material[: len(kept)] == kept).all()
    corner = np.isin(mesh.corner_face, kept)
    assert out.mesh.uv is not None
    assert mesh.uv is not None
    assert out.mesh.uv[: corner.sum()].tobytes() == mesh.uv[corner].tobytes()
    assert len(set(out.mesh.facet[len(kept) :])) == 1


def test_what_cannot_be_joined_is_told() -> None:
    for kind, ids, words in (
        ("face", [1], "two regions"),
        ("face", list(range(12)), "nothing would stay"),
        ("edge", [0, 1], "faces on both sides"),
        ("face", [0, 2], "two regions"),
    ):
        with pytest.raises(GeometryError, match=words):
            bridge(STACK, kind, np.array(ids))  # type: ignore[arg-type]
    sheet = plane(3.0, 3.0, divisions=(3, 3))
    border = np.flatnonzero(topology(sheet).border)
    with pytest.raises(GeometryError, match=r"1 is picked"):
        bridge(sheet, "edge", border)
    with pytest.raises(GeometryError, match=r"share a vertex|1 is picked"):
        bridge(sheet, "edge", border[:2])
