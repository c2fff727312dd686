"""The curves across bevelled edges, at both of their ends."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.bevel_corners import BevelledFans, Moves
from able_brick.core.edit.profile import profiles
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


@dataclass(frozen=True, eq=False)
class Rails:
    """`lines` (r,s+1): the points across each bevelled spoke, from the sector after it to the one before.

    `first` (e): the first corner of each bevelled edge; `begin` and `end` (e): the spokes where its corner is, and
    where the next one is. `places` (q,3) of the points that are no corner's, numbered on from those.
    """

    lines: Indices
    first: Indices
    begin: Indices
    end: Indices
    places: Floats
    #: Spokes that end in the middle of a surface, where a face takes the curve for its corner: those, and the corners.
    lone: Indices
    lone_corners: Indices

    def across(self) -> tuple[Indices, Indices]:
        """(e,s+1) the curves at the begin and the end of each edge, from the face of its first corner on."""
        return self.lines[self.begin], self.lines[self.end][:, ::-1]


def rails(
    mesh: PolyMesh, edges: Indices, round_: BevelledFans, moves: Moves, places: Floats, segments: int, shape: float
) -> Rails:
    """The curves across edges (e) of a mesh where the places (p,3) of corners are known."""
    t, found, spokes = topology(mesh), round_.fans, round_.spokes
    fans = len(found.vertex)
    of = np.repeat(np.arange(fans), np.diff(round_.spoke_starts))
    k = np.arange(len(spokes)) - round_.spoke_starts[of]
    n = np.diff(round_.spoke_starts)[of]
    closed, base = found.closed[of], round_.sector_starts[of]
    after, ahead = base + np.where(closed, k, k + 1), base + np.where(closed, (k - 1) % n, k)
    begin, end = moves.starts[after], moves.starts[ahead + 1] - 1
    sizes = np.diff(moves.starts)
    sectors = np.diff(round_.sector_starts)
    #: Fans where an edge or two lead through, with a point on either side.
    through = (np.maximum.reduceat(sizes, round_.sector_starts[:-1]) == 1) & (sectors == 2)
    line = _lines(mesh, found.vertex[of], spokes, through[of], (n == 1) & (sizes[after] == 2), places, begin, end)
    turn = _turns(mesh, spokes)
    pair = np.flatnonzero(through & found.closed)
    first = round_.spoke_starts[pair]
    turn[first] = (turn[first] + turn[first + 1]) / 2
    # the second of two has the curve of the first
    second = np.zeros(len(spokes), np.bool_)
    second[first + 1] = True
    curved = np.flatnonzero(~second & (begin != end))
    one, toward, other = (x[curved] for x in line)
    points = profiles(one, toward, other, segments, shape, turn[curved])[:, 1:-1]
    lines = np.repeat(begin[:, None], segments + 1, axis=1)
    lines[:, -1] = end
    lines[curved, 1:-1] = len(places) + np.arange(points.shape[0] * points.shape[1]).reshape(points.shape[:2])
    lines[first + 1] = lines[first, ::-1]
    lone = np.flatnonzero((n == 1) & closed & (sizes[after] == 2))
    c = np.flatnonzero(np.isin(t.corner_edge, edges))
    own, at = np.unique(t.corner_edge[c], return_index=True)
    ends = _ends(mesh, c[at], spokes, own, found.vertex[of])
    return Rails(
        lines, c[at], *ends, points.reshape(-1, 3), lone, found.corners[found.starts[of[lone]] + 1].astype(np.int64)
    )


def _ends(mesh: PolyMesh, first: Indices, spokes: Indices, edges: Indices, vertex: Indices) -> tuple[Indices, Indices]:
    """The spokes (r) at the begin and at the end of edges (e), by the first corner of each and the vertices (r) of the
    spokes' fans."""
    number = np.searchsorted(edges, topology(mesh).corner_edge[spokes])
    begins = mesh.corners[first][number] == vertex
    out = np.empty((2, len(edges)), np.int64)
    out[0, number[begins]], out[1, number[~begins]] = np.flatnonzero(begins), np.flatnonzero(~begins)
    return out[0], out[1]


def _turns(mesh: PolyMesh, spokes: Indices) -> Floats:
    """(r) the angles between the faces at spokes, radians."""
    normals = unit(area_vectors(mesh))
    one, other = (normals[mesh.corner_face[c]] for c in (spokes, topology(mesh).twin[spokes]))
    out: Floats = np.arccos(np.clip(dots(one, other), -1.0, 1.0))
    return out


def _lines(
    mesh: PolyMesh,
    vertex: Indices,
    spokes: Indices,
    through: Bools,
    lone: Bools,
    places: Floats,
    begin: Indices,
    end: Indices,
) -> tuple[Floats, Floats, Floats]:
    """(r,3) where curves begin, what they are drawn toward, and where they end: the vertex where edges lead through or
    one ends, else the place on the edge that is as far along."""
    one, other, middle = places[begin], places[end], mesh.positions[vertex]
    tail = mesh.positions[mesh.corners[spokes]]
    way = unit(mesh.positions[mesh.corners[mesh.next_corner[spokes]]] - tail)
    along = np.where(through | lone, 0.0, dots((one + other) / 2 - middle, way))
    return one, middle + way * along[:, None], other
