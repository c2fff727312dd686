"""What touches what: unique edges, faces on each edge, opposite corners, borders, components."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from weakref import WeakValueDictionary

import numpy as np

from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.numbering import edge_tables, face_parts
from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh, following


@dataclass(frozen=True, eq=False)
class Topology:
    """Derived connectivity of a mesh.

    edges (E,2) int32, lower vertex first; corner_edge (C) int32, the edge from each corner to the next;
    edge_uses (E) int32, faces on each edge; twin (C) int32, the corner on the other side of a two-faced edge that
    runs the opposite way, or −1; faces: the arrays face_starts and corners that it was made from.
    """

    edges: Ints
    corner_edge: Ints
    edge_uses: Ints
    twin: Ints
    faces: tuple[Ints, Ints]

    @cached_property
    def by_edge(self) -> tuple[Ints, Ints]:
        """(C) the corners in the order of the edges from them; (E+1) where those of each edge begin."""
        order = np.argsort(self.corner_edge, kind="stable").astype(np.int32)
        starts = np.concatenate([[0], np.cumsum(self.edge_uses)]).astype(np.int32)
        for array in (order, starts):
            array.flags.writeable = False
        return order, starts

    def corners_of_edge(self, edge: int) -> Ints:
        """The corners (n) from which an edge leads on, one for each face on it."""
        order, starts = self.by_edge
        return order[starts[edge] : starts[edge + 1]]

    @property
    def border(self) -> Bools:
        """(E) edges with exactly one face."""
        return np.equal(self.edge_uses, 1)

    @cached_property
    def parts(self) -> tuple[int, Ints]:
        """Number of parts connected through edges, and the part (F) of each face."""
        labels, count = face_parts(self.faces[0], self.twin)
        labels.flags.writeable = False
        return int(count), labels

    @property
    def is_closed(self) -> bool:
        """Every edge has two faces that run along it in opposite directions."""
        return bool(len(self.twin)) and bool((self.twin >= 0).all())


#: Connectivities in use, by the identities of the faces' arrays, which each of them holds.
_IN_USE: WeakValueDictionary[tuple[int, int], Topology] = WeakValueDictionary()


@kept_with_mesh
def topology(mesh: PolyMesh) -> Topology:
    """Connectivity of a mesh. Meshes that share their faces' arrays share it."""
    key = (id(mesh.face_starts), id(mesh.corners))
    found = _IN_USE.get(key)
    if found is None or found.faces[0] is not mesh.face_starts or found.faces[1] is not mesh.corners:
        edges, corner_edge, uses, twin = edge_tables(mesh.corners, following(mesh.face_starts), mesh.vertex_count)
        for array in (edges, corner_edge, uses, twin):
            array.flags.writeable = False
        found = _IN_USE[key] = Topology(edges, corner_edge, uses, twin, (mesh.face_starts, mesh.corners))
    return found


def face_components(mesh: PolyMesh) -> tuple[int, Ints]:
    """Number of parts connected through edges, and the part (F) of each face."""
    return topology(mesh).parts
