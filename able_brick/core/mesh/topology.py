"""What touches what: unique edges, faces on each edge, opposite corners, borders, components."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from able_brick.core.mesh.numbering import edge_tables, joined_numbers
from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh, following


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


def topology(mesh: PolyMesh) -> Topology:
    """Connectivity of a mesh. Meshes that share their faces' arrays share it."""
    return kept_topology(_Same(mesh.face_starts), _Same(mesh.corners), mesh.vertex_count)


class _Same:
    """An array as a key: this one, not an equal one."""

    def __init__(self, array: Ints) -> None:
        self.array = array

    def __hash__(self) -> int:
        return id(self.array)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.array is self.array


@lru_cache(maxsize=16)
def kept_topology(starts: _Same, corners: _Same, vertices: int) -> Topology:
    """Connectivity by the faces' arrays, kept for those used last."""
    edges, corner_edge, uses, twin = edge_tables(corners.array, following(starts.array), vertices)
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
