"""What touches what: unique edges, faces on each edge, opposite corners, borders, components."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from able_brick.core.mesh.numbering import edge_tables, joined_numbers
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
    edges, corner_edge, uses, twin = edge_tables(mesh.corners, mesh.next_corner, mesh.vertex_count)
    for array in (edges, corner_edge, uses, twin):
        array.flags.writeable = False
    return Topology(edges, corner_edge, uses, twin)


def face_components(mesh: PolyMesh) -> tuple[int, Ints]:
    """Number of parts connected through edges, and the part (F) of each face."""
    t = topology(mesh)
    c = np.flatnonzero(t.twin >= 0)
    faces = mesh.corner_face
    labels, count = joined_numbers(mesh.face_count, faces[c], faces[t.twin[c]])
    return int(count), labels
