"""Where the corners of faces go as edges are bevelled."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.fans import Fans, fans
from able_brick.core.mesh.normals import area_vectors, crossed, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.spans import spans, within
from able_brick.core.mesh.topology import topology

#: Below this sine an edge lies along another one.
_ALONG = 1e-3
#: Faces whose normals agree by this cosine lie in a plane.
_FLAT = 1.0 - 1e-9


@dataclass(frozen=True, eq=False)
class BevelledFans:
    """Fans (n) that have bevelled edges; a closed one begins with such an edge.

    `spokes` (r): the bevelled ones of all fans one after the other, each by a corner, those of fan i from
    spoke_starts[i] to spoke_starts[i + 1]. Between two of them, or between one and the border, lies a sector:
    bevelled spoke k of a fan lies before its sector k, in an open fan before its sector k + 1. `sector_starts` (n + 1)
    numbers sectors by fans.
    """

    fans: Fans
    spoke_starts: Indices
    spokes: Indices
    sector_starts: Indices


@dataclass(frozen=True, eq=False)
class Moves:
    """Where vertices go for each metre of width: `vertex` (p) and `way` (p,3) of each new point. Those of sector s are
    from starts[s] to starts[s + 1], counter-clockwise. `one` and `two` (C): the points of each corner of a face, in the
    order of the face, −1 where there is none; `corner` (p): the last corner of its fan that each point belongs to."""

    vertex: Indices
    way: Floats
    starts: Indices
    one: Indices
    two: Indices
    corner: Indices


@dataclass(frozen=True, eq=False)
class _Sectors:
    """s sectors by their `fan`; `low` and `high`: the spokes of the fan where they begin and end, −1 and the one after
    its last for the border, and in a closed fan the one after its last for its first."""

    fan: Indices
    low: Indices
    high: Indices
    #: Whether it begins and ends with a bevelled edge.
    begins: Bools
    ends: Bools


def bevelled_fans(mesh: PolyMesh, chosen: Bools) -> tuple[BevelledFans, Moves]:
    """The fans at the ends of chosen edges (E), and where their corners go."""
    t = topology(mesh)
    found = _with_marks(fans(mesh, np.unique(t.edges[chosen])), chosen[t.corner_edge])
    marks = chosen[t.corner_edge[found.spokes]]
    count = np.diff(found.spoke_starts)
    of_spoke = np.repeat(np.arange(len(found.vertex)), count)
    at = np.flatnonzero(marks)
    own, local = of_spoke[at], at - found.spoke_starts[of_spoke[at]]
    starts = np.searchsorted(own, np.arange(len(found.vertex) + 1))
    # an open fan begins at the border
    opened = np.flatnonzero(~found.closed)
    fan, low = np.concatenate([opened, own]), np.concatenate([np.full(len(opened), -1), local])
    order = np.lexsort((low, fan))
    fan, low = fan[order], low[order]
    last = np.append(fan[1:] != fan[:-1], True)
    high = np.where(last, count[fan], np.append(low[1:], 0))
    sectors = _Sectors(fan, low, high, low >= 0, ~last | found.closed[fan])
    bevelled = BevelledFans(found, starts, found.spokes[at], np.searchsorted(fan, np.arange(len(found.vertex) + 1)))
    return bevelled, _moves(mesh, found, sectors)


def _with_marks(found: Fans, marked: Bools) -> Fans:
    """Those of fans that have a spoke of which the corner is marked (C); closed ones turned so that they begin with
    it."""
    marks = marked[found.spokes]
    count = np.diff(found.spoke_starts)
    has = np.add.reduceat(marks, found.spoke_starts[:-1], dtype=np.int64) > 0
    keep = np.flatnonzero(has)
    spokes = spans(found.spoke_starts[keep], count[keep])
    starts = np.concatenate([[0], np.cumsum(count[keep])])
    of_spoke = np.repeat(np.arange(len(keep)), count[keep])
    at = np.flatnonzero(marks[spokes])
    lead = at[np.searchsorted(of_spoke[at], np.arange(len(keep)))] - starts[:-1]
    lead[~found.closed[keep]] = 0
    turned = starts[of_spoke] + (within(count[keep]) + lead[of_spoke]) % count[keep][of_spoke]
    ordered = found.spokes[spokes[turned]]
    corners, sizes = found.corners[spans(found.starts[keep], np.diff(found.starts)[keep])], np.diff(found.starts)[keep]
    # spokes of closed fans are their corners
    closed = np.repeat(found.closed[keep], sizes)
    corners[closed] = ordered[found.closed[keep][of_spoke]]
    return Fans(
        found.vertex[keep], found.closed[keep], np.concatenate([[0], np.cumsum(sizes)]), corners, starts, ordered
    )


def _moves(mesh: PolyMesh, found: Fans, sectors: _Sectors) -> Moves:
    fan = sectors.fan
    inner = sectors.high - sectors.low - 1
    count = np.maximum(inner, 1)
    # corners of each sector, and the directions of spokes away from the vertex
    first = np.maximum(sectors.low, 0)
    sizes = np.minimum(sectors.high, np.diff(found.starts)[fan]) - first
    begin = found.starts[fan] + first
    corners = found.corners[spans(begin, sizes)]
    of_spoke = np.repeat(np.arange(len(found.vertex)), np.diff(found.spoke_starts))
    tail, head = mesh.corners[found.spokes], mesh.corners[mesh.next_corner[found.spokes]]
    own = found.vertex[of_spoke]
    away = unit(mesh.positions.take(np.where(tail == own, head, tail), axis=0) - mesh.positions.take(own, axis=0))
    base = found.spoke_starts[fan]
    # square to the bevelled edges, into the sector
    normals = unit(area_vectors(mesh))
    low_way = away[base + np.maximum(sectors.low, 0)]
    high_way = away[base + np.where(sectors.ends, sectors.high % np.diff(found.spoke_starts)[fan], 0)]
    near, far = (normals.take(mesh.corner_face[found.corners[k]], axis=0) for k in (begin, begin + sizes - 1))
    into, out = crossed(near, low_way), crossed(high_way, far)
    into[~sectors.begins], out[~sectors.ends] = 0.0, 0.0
    # points, slot j of their sector
    of = np.repeat(np.arange(len(fan)), count)
    slot = within(count)
    line = away[np.minimum(base[of] + sectors.low[of] + 1 + slot, len(away) - 1)]
    starts = np.concatenate([[0], np.cumsum(count)])
    way = _slides(sectors, into, out, line, starts, of, slot, count)
    both = sectors.begins & sectors.ends
    mitred = np.flatnonzero(both & (inner == 0))
    way[starts[mitred]] = _mitres(into[mitred], out[mitred], low_way[mitred], high_way[mitred])
    flat = np.flatnonzero(both & (inner == 1) & (dots(near, far) > _FLAT))
    along = line[starts[flat]]
    way[starts[flat]] = _mitres(into[flat], out[flat], along, along)
    # corner j lies between the spokes j and j + 1 of the sector; a face comes in by the later one
    mine = np.repeat(np.arange(len(fan)), sizes)
    ahead = (~sectors.begins).astype(np.int64)
    later = within(sizes) + ahead[mine]
    one, two = np.full(len(mesh.corners), -1), np.full(len(mesh.corners), -1)
    one[corners] = starts[mine] + np.minimum(later, count[mine] - 1)
    pair = (later >= 1) & (later < count[mine])
    two[corners[pair]] = (starts[mine] + later - 1)[pair]
    last = np.where(count[of] == 1, sizes[of] - 1, np.minimum(slot - ahead[of] + 1, sizes[of] - 1))
    return Moves(found.vertex[fan[of]], way, starts, one, two, found.corners[begin[of] + last])


def _mitres(first: Floats, last: Floats, one: Floats, other: Floats) -> Floats:
    """The moves (n,3) by which corners come to lie a metre from both edges of them, in their planes."""
    half = 1.0 + dots(first, last)
    # edges that lie on each other: along them
    lie = half <= 1e-6
    out: Floats = (first + last) / np.where(lie, 1.0, half)[:, None]
    out[lie] = ((one + other) / 2)[lie]
    return out


def _slides(
    sectors: _Sectors,
    into: Floats,
    out: Floats,
    line: Floats,
    starts: Indices,
    of: Indices,
    slot: Indices,
    count: Indices,
) -> Floats:
    """The moves (p,3) along the spokes of points: a metre from the bevelled edges on both sides, evenly between."""

    def reach(side: Floats, line: Floats, there: Bools) -> Floats:
        sine = dots(side, line)
        finite = there & (sine > _ALONG)
        answer: Floats = np.where(finite, 1.0 / np.where(finite, sine, 1.0), np.nan)
        return answer

    begin = reach(into, line[starts[:-1]], sectors.begins)
    end = reach(out, line[starts[1:] - 1], sectors.ends)
    lost = np.isnan(begin) & np.isnan(end)
    begin, end = np.where(np.isnan(begin), end, begin), np.where(np.isnan(end), begin, end)
    step = np.where(
        count[of] == 1, (begin[of] + end[of]) / 2, begin[of] + slot * ((end - begin) / np.maximum(count - 1, 1))[of]
    )
    mean = (into + out) / (sectors.begins.astype(int) + sectors.ends)[:, None]
    way: Floats = np.where(lost[of][:, None], mean[of], line * np.where(lost[of], 0.0, step)[:, None])
    return way
