"""The loops of a bound that no point of a surface is farther from another one than."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.slim.tree import nearest_one, triangle_distance

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices

#: Pieces of one triangle that wait to be looked at.
_STACK = 512
#: Triangles over one piece that wait to be looked at.
_WAITING = 4096
#: Corners of a triangle that is cut by three planes, at most.
_CLIPPED = 8
#: Share of its longest edge by which a piece is shrunk before it is asked what lies over it.
_SHRUNK = 1e-10
#: Halvings by which the place is found where two triangles are equally far.
_HALVINGS = 26
#: A place that is nearer to an end of an edge than this share of it is that end.
_AT_END = 1e-4
#: Pieces that come from more cuts than this are halved along their longest edge.
_DEEP = 60


@kernel
def nearest_of_all(
    points: Floats,
    soup: Floats,
    low: Floats,
    high: Floats,
    child: Indices,
    first: int,
    last: int,
    away: Floats,
    nearest: Indices,
) -> None:
    """For points `first` to before `last` their distances `away` and the triangles that are `nearest`."""
    stack = np.empty(128, np.int64)
    found = 0
    for i in range(first, last):
        # what follows in a mesh lies near: where the one before led to is a good first guess
        one = soup[found]
        guess = triangle_distance(points[i], one[0], one[1], one[2])
        best, found = nearest_one(points[i], soup, low, high, child, guess, found, stack)
        away[i], nearest[i] = np.sqrt(best), found


@kernel
def _nearest_from(
    at: Floats, near: Indices, soup: Floats, low: Floats, high: Floats, child: Indices, stack: Indices
) -> tuple[float, int]:
    """The nearest triangle to a place and its squared distance, looked for from three that are `near`."""
    best, found = np.inf, 0
    for m in range(3):
        one = soup[near[m]]
        x = triangle_distance(at, one[0], one[1], one[2])
        if x < best:
            best, found = x, near[m]
    return nearest_one(at, soup, low, high, child, best, found, stack)


@kernel
def _between(
    corner: Floats, i: int, j: int, one: Floats, other: Floats, enough: float, at: Floats
) -> tuple[float, float]:
    """The share of the edge from corner `i` to `j`, and its place in `at`, where two triangles are equally far, or both
    within half of what is `enough`; squared distance of the nearer one from there."""
    lo, hi, s = 0.0, 1.0, 0.5
    near = 0.25 * enough * enough
    best = 0.0
    for _ in range(_HALVINGS):
        s = 0.5 * (lo + hi)
        for c in range(3):
            at[c] = corner[i, c] + s * (corner[j, c] - corner[i, c])
        d = triangle_distance(at, one[0], one[1], one[2])
        e = triangle_distance(at, other[0], other[1], other[2])
        best = min(d, e)
        if max(d, e) <= near:
            break
        if d <= e:
            lo = s
        else:
            hi = s
    return s, best


@kernel
def _inward(corner: Floats, normal: Floats, side: Floats) -> bool:
    """Fill `side` (3,4) with planes through the edges of a piece, of unit normals that point into it; whether it has an
    area, with its unit `normal` (3,)."""
    for c in range(3):
        a, b = (c + 1) % 3, (c + 2) % 3
        normal[c] = (corner[1, a] - corner[0, a]) * (corner[2, b] - corner[0, b]) - (corner[1, b] - corner[0, b]) * (
            corner[2, a] - corner[0, a]
        )
    long = np.sqrt(normal[0] ** 2 + normal[1] ** 2 + normal[2] ** 2)
    if not long > 0.0:
        return False
    for c in range(3):
        normal[c] /= long
    for k in range(3):
        i, j = k, (k + 1) % 3
        ex, ey, ez = corner[j, 0] - corner[i, 0], corner[j, 1] - corner[i, 1], corner[j, 2] - corner[i, 2]
        x = normal[1] * ez - normal[2] * ey
        y = normal[2] * ex - normal[0] * ez
        z = normal[0] * ey - normal[1] * ex
        e = np.sqrt(x * x + y * y + z * z)
        if not e > 0.0:
            return False
        side[k, 0], side[k, 1], side[k, 2] = x / e, y / e, z / e
        side[k, 3] = -(side[k, 0] * corner[i, 0] + side[k, 1] * corner[i, 1] + side[k, 2] * corner[i, 2])
    return True


@kernel
def _clipped(soup: Floats, t: int, side: Floats, polygon: Floats, spare: Floats) -> int:
    """The corners of a triangle that is cut to what lies over a piece: how many of them stand in `polygon`."""
    for k in range(3):
        for c in range(3):
            polygon[k, c] = soup[t, k, c]
    count = 3
    for s in range(3):
        kept = 0
        a, b, c, d = side[s, 0], side[s, 1], side[s, 2], side[s, 3]
        last = a * polygon[count - 1, 0] + b * polygon[count - 1, 1] + c * polygon[count - 1, 2] + d
        for k in range(count):
            now = a * polygon[k, 0] + b * polygon[k, 1] + c * polygon[k, 2] + d
            if (now >= 0.0) != (last >= 0.0):
                share = last / (last - now)
                for m in range(3):
                    from_there = polygon[k - 1 if k else count - 1, m]
                    spare[kept, m] = from_there + share * (polygon[k, m] - from_there)
                kept += 1
            if now >= 0.0:
                for m in range(3):
                    spare[kept, m] = polygon[k, m]
                kept += 1
            last = now
        count = kept
        if count == 0:
            return 0
        for k in range(count):
            for m in range(3):
                polygon[k, m] = spare[k, m]
    return count


@kernel
def _over(
    corner: Floats,
    near: int,
    soup: Floats,
    beside: Indices,
    longest: float,
    enough: float,
    stamp: Indices,
    number: int,
    waiting: Indices,
    work: Floats,
) -> float:
    """How far the other surface is, at most, from a piece that it covers as a whole, measured across the piece; `inf`
    where it does not, or is farther than `enough`.

    The triangles are followed from one that is `near` over all edges that lie over the piece. Then no border of them
    does, so that they cover all of it equally often, counted by the sides that they show: how often is their area over
    the piece as a part of its own.
    """
    normal, side = work[0, 0], work[1]
    if not _inward(corner, normal, side):
        return np.inf
    shrunk = _SHRUNK * longest
    for k in range(3):
        side[k, 3] -= shrunk
    own = 0.0
    for c in range(3):
        a, b = (c + 1) % 3, (c + 2) % 3
        own += normal[c] * (
            (corner[1, a] - corner[0, a]) * (corner[2, b] - corner[0, b])
            - (corner[1, b] - corner[0, b]) * (corner[2, a] - corner[0, a])
        )
    polygon, spare = work[2], work[3]
    height = -(normal[0] * corner[0, 0] + normal[1] * corner[0, 1] + normal[2] * corner[0, 2])
    stamp[near], waiting[0], count = number, near, 1
    covered, farthest = 0.0, 0.0
    while count:
        count -= 1
        t = waiting[count]
        corners = _clipped(soup, t, side, polygon, spare)
        for k in range(corners):
            h = abs(normal[0] * polygon[k, 0] + normal[1] * polygon[k, 1] + normal[2] * polygon[k, 2] + height)
            if h > enough:
                return np.inf
            farthest = max(farthest, h)
        for k in range(1, corners - 1):
            for c in range(3):
                a, b = (c + 1) % 3, (c + 2) % 3
                covered += normal[c] * (
                    (polygon[k, a] - polygon[0, a]) * (polygon[k + 1, b] - polygon[0, b])
                    - (polygon[k, b] - polygon[0, b]) * (polygon[k + 1, a] - polygon[0, a])
                )
        for k in range(3):
            # what of the edge lies over the piece
            j = (k + 1) % 3
            lo, hi = 0.0, 1.0
            for s in range(3):
                d = side[s, 3]
                e = side[s, 3]
                for m in range(3):
                    d += side[s, m] * soup[t, k, m]
                    e += side[s, m] * soup[t, j, m]
                if d < 0.0 and e < 0.0:
                    lo, hi = 1.0, 0.0
                elif d < 0.0:
                    lo = max(lo, d / (d - e))
                elif e < 0.0:
                    hi = min(hi, d / (d - e))
            if lo > hi:
                continue
            other = beside[t, k]
            if other < 0 or count + 1 >= len(waiting):
                return np.inf
            if stamp[other] != number:
                stamp[other] = number
                waiting[count] = other
                count += 1
    if abs(covered) < 0.5 * own:
        return np.inf
    return farthest + 3.0 * shrunk * longest * longest / own  # by so much corners have moved, at most


@kernel
def bound_of(
    points: Floats,
    tris: Indices,
    away: Floats,
    nearest: Indices,
    soup: Floats,
    low: Floats,
    high: Floats,
    child: Indices,
    beside: Indices,
    seen: float,
    ratio: float,
    floor: float,
    most: Indices,
    first: int,
    last: int,
) -> tuple[float, float, int]:
    """(largest distance met, bound, triangle that was met there or −1) over the triangles `first` to before `last` of a
    surface, metres.

    `points` (V,3) and `tris` (T,3) are the surface, `away` and `nearest` the distances of its vertices and where those
    lead; `soup`, the tree and what is `beside` each edge are the other one. A triangle is cut until no piece of it can
    be farther than `ratio` times the largest distance that was met (`seen` at first), or than `floor`; after `most` (T)
    cuts of a triangle twice that will do, and so on, so that it ends. The distance from a triangle is convex, so it is
    largest at a piece's corners.
    """
    bound = 0.0
    met_at = -1
    corners = np.empty((_STACK, 3, 3))
    far = np.empty((_STACK, 3))
    near = np.empty((_STACK, 3), np.int64)
    depth = np.empty(_STACK, np.int64)
    corner, d, n, at = np.empty((3, 3)), np.empty(3), np.empty(3, np.int64), np.empty(3)
    lengths, nodes, work = np.empty(3), np.empty(128, np.int64), np.empty((4, _CLIPPED, 4))
    stamp, waiting, number = np.zeros(len(soup), np.int32), np.empty(_WAITING, np.int64), 0
    for t in range(first, last):
        for k in range(3):
            v = tris[t, k]
            corners[0, k] = points[v]
            far[0, k], near[0, k] = away[v], nearest[v]
        depth[0] = 0
        top, cuts = 1, 0
        looser = 1.0
        while top:
            top -= 1
            corner[:], d[:], n[:], deep = corners[top], far[top], near[top], depth[top]
            largest = max(d[0], d[1], d[2])
            if largest > seen:
                seen, met_at = largest, t
            enough = max(ratio * seen, floor) * looser
            if n[0] == n[1] == n[2]:
                bound = max(bound, largest)
                continue
            upper = np.inf
            for k in range(3):
                if (k > 0 and n[k] == n[0]) or (k > 1 and n[k] == n[1]):
                    continue
                one = soup[n[k]]
                worst = 0.0
                for j in range(3):
                    if n[j] == n[k]:
                        worst = max(worst, d[j])
                    else:
                        worst = max(worst, np.sqrt(triangle_distance(corner[j], one[0], one[1], one[2])))
                upper = min(upper, worst)
            long, widest = -1.0, 0
            for k in range(3):
                e = 0.0
                for c in range(3):
                    e += (corner[(k + 1) % 3, c] - corner[k, c]) ** 2
                lengths[k] = e
                if e > long:
                    long, widest = e, k
            # no point is farther from all corners than the longest edge by √3
            upper = min(upper, largest + np.sqrt(long / 3.0))
            if upper > enough:
                for c in range(3):
                    at[c] = (corner[0, c] + corner[1, c] + corner[2, c]) / 3.0
                best, found = _nearest_from(at, n, soup, low, high, child, nodes)
                if best > seen * seen:
                    seen, met_at = np.sqrt(best), t
                number += 1
                over = _over(corner, found, soup, beside, np.sqrt(long), enough, stamp, number, waiting, work)
                upper = min(upper, over)
            if upper <= enough or top + 2 >= _STACK:
                bound = max(bound, upper)
                continue
            # cut the longest edge whose ends are nearest to different triangles, else the longest
            edge, share, best, found = -1, 0.5, np.inf, 0
            if deep < _DEEP:
                tried = 0.0
                for k in range(3):
                    if n[k] == n[(k + 1) % 3] or lengths[k] <= tried:
                        continue
                    s, x = _between(corner, k, (k + 1) % 3, soup[n[k]], soup[n[(k + 1) % 3]], enough, at)
                    if _AT_END < s < 1.0 - _AT_END:
                        edge, share, best, found, tried = k, s, x, n[k], lengths[k]
            if edge < 0:
                edge = widest
            i, j = edge, (edge + 1) % 3
            for c in range(3):
                at[c] = corner[i, c] + share * (corner[j, c] - corner[i, c])
            if not best <= seen * seen:
                best, found = _nearest_from(at, n, soup, low, high, child, nodes)
            cuts += 1
            if cuts >= most[t]:
                cuts, looser = 0, 2.0 * looser
            for half in range(2):
                gone = j if half == 0 else i
                corners[top] = corner
                far[top], near[top] = d, n
                corners[top, gone] = at
                far[top, gone], near[top, gone] = np.sqrt(best), found
                depth[top] = deep + 1
                top += 1
    return seen, bound, met_at
