"""What touches what: unique edges, faces on each edge, opposite corners, borders, components."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh


@dataclass(frozen=True, eq=False)
class Topology:
    """Derived connectivity of a mesh.

    edges (E,2) int32, lower vertex first; corner_edge (C) int32, the edge from each corner to the next;
    edge_uses (E) int32, faces on each edge; twin (C) int32, the corner on the other side of a two-faced edge that
    runs the opposite way, or −1.
    """

    edges: Ints
    corner_edge: Ints
    edge_uses: Ints
    twin: Ints

    @property
    def border(self) -> Bools:
        """(E) edges with exactly one face."""
        return np.equal(self.edge_uses, 1)

    @property
    def is_closed(self) -> bool:
        """Every edge has two faces that run along it in opposite directions."""
        return bool(len(self.twin)) and bool((self.twin >= 0).all())


@lru_cache(maxsize=16)
def topology(mesh: PolyMesh) -> Topology:
    """Connectivity of a mesh; kept for the meshes used last."""
    a = mesh.corners.astype(np.int64)
    b = a[mesh.next_corner]
    n = max(mesh.vertex_count, 1)
    key = np.minimum(a, b) * n + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    ranked = key[order]
    first = np.ones(len(key), np.bool_)
    first[1:] = ranked[1:] != ranked[:-1]
    edge_of_ranked = np.cumsum(first) - 1
    corner_edge = np.empty(len(key), np.int32)
    corner_edge[order] = edge_of_ranked
    unique = ranked[first]
    edges = np.stack([unique // n, unique % n], axis=1).astype(np.int32)
    uses = np.bincount(edge_of_ranked, minlength=len(unique)).astype(np.int32)
    twin = np.full(len(key), -1, np.int32)
    starts = np.flatnonzero(first)
    pair = starts[uses == 2]
    c0, c1 = order[pair], order[pair + 1] if len(pair) else order[pair]
    opposite = a[c0] != a[c1]
    twin[c0[opposite]] = c1[opposite]
    twin[c1[opposite]] = c0[opposite]
    for array in (edges, corner_edge, uses, twin):
        array.flags.writeable = False
    return Topology(edges, corner_edge, uses, twin)


def face_components(mesh: PolyMesh) -> tuple[int, Ints]:
    """Number of parts connected through edges, and the part (F) of each face."""
    t = topology(mesh)
    c = np.flatnonzero(t.twin >= 0)
    faces = mesh.corner_face
    graph = coo_matrix(
        (np.ones(len(c), np.int8), (faces[c], faces[t.twin[c]])), shape=(mesh.face_count, mesh.face_count)
    )
    count, labels = connected_components(graph, directed=False)
    return int(count), labels.astype(np.int32)
