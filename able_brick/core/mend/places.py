"""Vertices that are on one place, and what is between the same places."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.gather import lowest_of
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology

#: What is nearer than this share of a mesh's extent is on one place,
_NEAR: Final = 1e-6
#: and no farther apart than this, metres: a vertex far away makes nothing of what is small.
_NEAREST: Final = 1e-5


def near_of(mesh: PolyMesh) -> float:
    """The distance, metres, within which vertices are on one place."""
    low, high = mesh.bounds
    return min(_NEAR * float((high - low).max()), _NEAREST)


@kept_with_mesh
def places(mesh: PolyMesh) -> Ints:
    """(V) the lowest vertex on the place of each, those near each other in a row all on one."""
    count = mesh.vertex_count
    near = near_of(mesh)
    if count < 2:
        return np.arange(count, dtype=np.int32)
    pairs = cKDTree(mesh.positions).query_pairs(near, output_type="ndarray")
    label, n = joined_numbers(count, pairs[:, 0].astype(np.int32), pairs[:, 1].astype(np.int32))
    out = lowest_of(label, n)
    out.flags.writeable = False
    return out


@kept_with_mesh
def edge_places(mesh: PolyMesh) -> tuple[Ints, Ints]:
    """(E) the number of the two places that each edge is between, and (n) how many faces are between these in all."""
    t = topology(mesh)
    ends = np.sort(places(mesh)[t.edges], axis=1).astype(np.int64)
    _, number = np.unique(ends[:, 0] * max(1, mesh.vertex_count) + ends[:, 1], return_inverse=True)
    number = number.ravel().astype(np.int32)
    uses = np.bincount(number, weights=t.edge_uses, minlength=0).astype(np.int32)
    return number, uses


def unless_named_twice(target: Indices, mesh: PolyMesh) -> Ints:
    """(V) the vertex that each becomes, but itself where a face would name that twice."""
    out = np.array(target, np.int32)
    while True:
        named = out[mesh.corners].astype(np.int64)
        key = np.sort(mesh.corner_face.astype(np.int64) * max(1, mesh.vertex_count) + named)
        twice = np.unique(key[1:][key[1:] == key[:-1]] // max(1, mesh.vertex_count))
        bad = np.zeros(mesh.face_count, np.bool_)
        bad[twice] = True
        at = mesh.corners[bad[mesh.corner_face]]
        at = at[out[at] != at]
        if not len(at):
            return out
        out[at] = at
