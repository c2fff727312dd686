"""Bevels of many edges at once: what is made of each edge and of each corner, and which facets these are."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from able_brick.core.edit.bevel import bevel
from able_brick.core.edit.bevel_vertices import bevel_vertices
from able_brick.core.edit.sound import check_sound
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from tests.zoo import painted


def pieces_of(mesh: PolyMesh, facet: int) -> int:
    """Of how many parts that touch nowhere the faces of a facet are."""
    faces = np.flatnonzero(mesh.facet == facet)
    spans = [np.unique(mesh.corners[mesh.face_starts[f] : mesh.face_starts[f + 1]]) for f in faces]
    row = np.repeat(np.arange(len(faces)), [len(s) for s in spans])
    column = len(faces) + np.concatenate(spans)
    size = len(faces) + mesh.vertex_count
    label = connected_components(coo_array((np.ones(len(row)), (row, column)), shape=(size, size)))[1]
    return len(np.unique(label[: len(faces)]))


@pytest.mark.parametrize("segments", [1, 2, 3])
def test_every_strip_and_every_corner_is_a_facet_of_its_own(segments: int) -> None:
    mesh = plane(3.0, 3.0, divisions=(5, 5))
    t = topology(mesh)
    inner = np.flatnonzero(t.edge_uses == 2)
    rng = np.random.default_rng(7)
    for _ in range(12):
        picked = np.sort(rng.choice(inner, size=12, replace=False))
        made = bevel(mesh, picked, 0.05, segments=segments).mesh
        fresh = np.unique(made.facet[made.facet > mesh.facet.max()])
        assert all(pieces_of(made, int(f)) == 1 for f in fresh)
        # where three or more meet, or two beside an edge that stays, there is a patch
        assert len(fresh) >= len(picked)


@pytest.mark.parametrize("segments", [1, 2, 4, 5])
def test_all_edges_of_a_box_make_as_many_faces_as_its_corners_say(segments: int) -> None:
    mesh = box(2.0, 3.0, 4.0)
    t = topology(mesh)
    out = bevel(mesh, np.arange(len(t.edges)), 0.1, segments=segments)
    assert check_sound(mesh, out)[0] == ""
    ways = np.bincount(t.edges.ravel())
    half, odd = divmod(segments, 2)
    # rings of quads about each corner: n sectors of half², and those between them where there is a face in the middle
    patches = sum(n * (half * half + odd * half) + odd for n in ways.tolist())
    assert out.mesh.face_count == mesh.face_count + len(t.edges) * segments + patches
    assert topology(out.mesh).is_closed
    # the sides keep their facets, and no strip or corner has one of those
    kept = out.face_from >= 0
    assert (out.mesh.facet[kept] == mesh.facet[out.face_from[kept]]).all()
    assert len(np.unique(out.mesh.facet[~kept])) == len(t.edges) + len(ways)
    assert not np.isin(out.mesh.facet[~kept], mesh.facet).any()


def lines_of(mesh: PolyMesh, face: int, left_out: np.ndarray) -> list[np.ndarray]:
    """The directions of the sharp edges of a face, but for those that are left out (E)."""
    c = np.arange(mesh.face_starts[face], mesh.face_starts[face + 1])
    c = c[mesh.sharp[c] & ~left_out[topology(mesh).corner_edge[c]]]
    along = mesh.positions[mesh.corners[mesh.next_corner[c]]] - mesh.positions[mesh.corners[c]]
    return sorted((along / np.linalg.norm(along, axis=1)[:, None]).tolist())


def test_edges_that_are_not_bevelled_stay_as_sharp_as_they_were() -> None:
    mesh = painted()
    t = topology(mesh)
    for edge in range(len(t.edges)):
        out = bevel(mesh, np.array([edge]), 0.05, segments=2)
        chosen, none = np.arange(len(t.edges)) == edge, np.zeros(len(topology(out.mesh).edges), np.bool_)
        for now, old in enumerate(out.face_from.tolist()):
            if old >= 0:
                was = lines_of(mesh, old, chosen)
                assert np.array(lines_of(out.mesh, now, none)) == pytest.approx(np.array(was), abs=1e-9)


def test_edges_of_corners_that_are_cut_off_stay_as_sharp_as_they_were() -> None:
    mesh = painted()
    still = np.zeros(len(topology(mesh).edges), np.bool_)
    for vertex in range(mesh.vertex_count):
        out = bevel_vertices(mesh, np.array([vertex]), 0.05)
        none = np.zeros(len(topology(out.mesh).edges), np.bool_)
        for now, old in enumerate(out.face_from.tolist()):
            if old >= 0:
                was = lines_of(mesh, old, still)
                assert np.array(lines_of(out.mesh, now, none)) == pytest.approx(np.array(was), abs=1e-9)


def test_thousands_of_edges_are_as_the_same_few_by_few() -> None:
    mesh = plane(9.0, 9.0, divisions=(90, 90))
    t = topology(mesh)
    middle = mesh.positions[t.edges].mean(axis=1)
    # tiles of 9 x 9 faces, each with the same edges picked within; nothing is picked on their borders
    tile = np.floor((middle[:, [0, 2]] + 4.5) / 0.9 + 1e-9).astype(int)
    local = np.round((middle[:, [0, 2]] + 4.5 - tile * 0.9) / 0.05).astype(int)
    within = ((local > 3) & (local < 15)).all(axis=1)
    rng = np.random.default_rng(3)
    wanted = rng.random((20, 20)) < 0.8
    picked = np.flatnonzero(within & wanted[local[:, 0], local[:, 1]])
    assert len(picked) > 3000
    whole = bevel(mesh, picked, 0.02, segments=2).mesh
    first = picked[(tile[picked] == 0).all(axis=1)]
    alone = bevel(mesh, first, 0.02, segments=2).mesh
    assert whole.face_count - mesh.face_count == 100 * (alone.face_count - mesh.face_count)
    low = np.array([-4.5, -4.5])

    def inside(m: PolyMesh) -> np.ndarray:
        flat = m.positions[:, [0, 2]] - low
        return np.sort(np.round(flat[(flat < 0.85).all(axis=1)], 9).view("f8,f8"), axis=0)

    assert (inside(whole) == inside(alone)).all()
