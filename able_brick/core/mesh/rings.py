"""Loops and rings of edges, borders, and the corners round each vertex."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import chain

import numpy as np

from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.polymesh import Ints, PolyMesh
from able_brick.core.mesh.topology import topology


@dataclass(frozen=True, eq=False)
class Chain:
    """Edges (n) int32 in their order, and whether the last leads on to the first."""

    edges: Ints
    closed: bool


@dataclass(frozen=True, eq=False)
class VertexCorners:
    """The corners round each vertex: `corners` (C) int32, those of vertex v from starts[v] to starts[v + 1], rising."""

    starts: Ints
    corners: Ints

    def of(self, vertex: int) -> Ints:
        """The corners (n) at a vertex."""
        return self.corners[self.starts[vertex] : self.starts[vertex + 1]]


@kept_with_mesh
def vertex_corners(mesh: PolyMesh) -> VertexCorners:
    """The corners round each vertex."""
    counts = np.bincount(mesh.corners, minlength=mesh.vertex_count)
    starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
    corners = np.argsort(mesh.corners, kind="stable").astype(np.int32)
    for array in (starts, corners):
        array.flags.writeable = False
    return VertexCorners(starts, corners)


def edge_loop(mesh: PolyMesh, edge: int) -> Chain:
    """The loop through an edge: straight on at every vertex where four two-faced edges meet, and along the border from
    an edge of it. It ends where neither leads on."""
    t = topology(mesh)
    if t.border[edge]:
        return next(c for c in borders(mesh) if edge in c.edges)
    valence = np.bincount(t.edges.ravel(), minlength=mesh.vertex_count)
    inner = np.ones(mesh.vertex_count, np.bool_)
    inner[t.edges[t.edge_uses != 2].ravel()] = False

    def on(corner: int) -> int:
        """The corner from which the loop goes on after the edge from a corner to its next; -1 at its end."""
        after = int(mesh.next_corner[corner])
        end = int(mesh.corners[after])
        if valence[end] != 4 or not inner[end] or t.twin[after] < 0:
            return -1
        return int(mesh.next_corner[t.twin[after]])

    return _both_ways(mesh, edge, on)


def edge_ring(mesh: PolyMesh, edge: int) -> Chain:
    """The ring through an edge: the opposite edges across quads, as far as there are quads on both sides. From an edge
    of more than two faces it goes over each of them; what is beyond the second comes last."""
    t = topology(mesh)

    def on(corner: int) -> int:
        """The corner on the far side of the quad that the edge from a corner bounds, seen from beyond it."""
        face = int(mesh.corner_face[corner])
        if mesh.face_sizes[face] != 4:
            return -1
        far = int(mesh.next_corner[mesh.next_corner[corner]])
        twin = int(t.twin[far])
        return twin if twin >= 0 else -2 - far

    return _both_ways(mesh, edge, on)


def _both_ways(mesh: PolyMesh, edge: int, on: Callable[[int], int]) -> Chain:
    """Edges from one, first one way and then the other; `on` leads from a corner to the next, below -1 to the last."""
    t = topology(mesh)
    ways: list[list[int]] = []
    seen = {edge}
    starts = np.flatnonzero(t.corner_edge == edge).tolist()
    for start in starts:
        way: list[int] = []
        at = on(int(start))
        while at != -1:
            here = int(t.corner_edge[at if at >= 0 else -2 - at])
            if here == edge and not ways and len(starts) <= 2:
                return Chain(np.array([edge, *way], np.int32), closed=True)
            if here in seen:
                break
            seen.add(here)
            way.append(here)
            if at < 0:
                break
            at = on(at)
        ways.append(way)
    back = ways[1][::-1] if len(ways) > 1 else []
    return Chain(np.array([*back, edge, *ways[0], *chain.from_iterable(ways[2:])], np.int32), closed=False)


def borders(mesh: PolyMesh) -> list[Chain]:
    """The borders: chains of edges with one face, by lowest corner, in the direction in which the face there runs."""
    t = topology(mesh)
    border = t.border[t.corner_edge]
    beyond = _beyond(mesh)
    done = np.zeros(len(mesh.corners), np.bool_)
    out: list[Chain] = []
    for start in np.flatnonzero(border).tolist():
        if done[start]:
            continue
        way: list[int] = []
        at, ahead = start, True
        while at >= 0 and not done[at]:
            done[at] = True
            way.append(int(t.corner_edge[at]))
            at, ahead = _next_border(mesh, beyond, at, ahead)
        out.append(Chain(np.array(way, np.int32), closed=at == start))
    return out


def _beyond(mesh: PolyMesh) -> Ints:
    """(C) the corner with the same edge in the face beyond it, whichever way that runs; -1 where there are not two."""
    t = topology(mesh)
    order, _ = t.by_edge
    order = order[t.edge_uses[t.corner_edge[order]] == 2]
    out = np.full(len(mesh.corners), -1, np.int32)
    out[order[0::2]], out[order[1::2]] = order[1::2], order[0::2]
    return out


def _next_border(mesh: PolyMesh, beyond: Ints, corner: int, ahead: bool) -> tuple[int, bool]:
    """The corner of the border edge that follows the one from a corner, which is gone along `ahead` or backward, and
    which way it is gone along; -1 where it is lost among several sheets. Faces may run against each other."""
    t = topology(mesh)
    starts = mesh.face_starts
    at = corner
    for _ in range(len(mesh.corners)):
        face = int(mesh.corner_face[at])
        begin, end = int(starts[face]), int(starts[face + 1])
        # the other edge of the face at the end of this one
        at = begin + (at - begin + (1 if ahead else -1)) % (end - begin)
        if t.edge_uses[t.corner_edge[at]] == 1:
            return at, ahead
        if beyond[at] < 0:
            break
        middle = mesh.corners[at if ahead else mesh.next_corner[at]]
        at = int(beyond[at])
        ahead = bool(mesh.corners[mesh.next_corner[at]] == middle)
    return -1, ahead
