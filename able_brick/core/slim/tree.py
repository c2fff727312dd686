"""A tree of boxes round triangles, and how far points are from them."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.polymesh import Floats, Indices, Ints

_LEAF = 8
#: Triangle order (T), boxes (N,3) low and high, child (N,2).
Tree: TypeAlias = tuple[Indices, Floats, Floats, Indices]


@kernel
def build_tree(soup: Floats) -> tuple[Indices, Floats, Floats, Indices]:
    """Bounding-box tree: triangle order (T), boxes (N,3) low and high, child (N,2): both, or −start−1 and count."""
    n = len(soup)
    order = np.arange(n)
    centres = (soup[:, 0] + soup[:, 1] + soup[:, 2]) / 3.0
    size = max(1, 4 * (n // _LEAF + 1))
    low = np.empty((size, 3))
    high = np.empty((size, 3))
    child = np.empty((size, 2), np.int64)
    stack = np.empty((128, 3), np.int64)
    stack[0, 0], stack[0, 1], stack[0, 2] = 0, 0, n
    top, nodes = 1, 1
    while top:
        top -= 1
        node, a, b = stack[top, 0], stack[top, 1], stack[top, 2]
        for k in range(3):
            lo, hi = np.inf, -np.inf
            for i in range(a, b):
                for j in range(3):
                    x = soup[order[i], j, k]
                    lo = min(lo, x)
                    hi = max(hi, x)
            low[node, k], high[node, k] = lo, hi
        if b - a <= _LEAF:
            child[node, 0], child[node, 1] = -a - 1, b - a
            continue
        axis = 0
        for k in range(1, 3):
            if high[node, k] - low[node, k] > high[node, axis] - low[node, axis]:
                axis = k
        part = order[a:b]
        middle = (b - a) // 2
        order[a:b] = part[np.argsort(centres[part, axis])]
        child[node, 0], child[node, 1] = nodes, nodes + 1
        stack[top, 0], stack[top, 1], stack[top, 2] = nodes, a, a + middle
        stack[top + 1, 0], stack[top + 1, 1], stack[top + 1, 2] = nodes + 1, a + middle, b
        top += 2
        nodes += 2
    return order, low[:nodes], high[:nodes], child[:nodes]


@kernel
def box_distance(p: Floats, low: Floats, high: Floats) -> float:
    d = 0.0
    for k in range(3):
        x = max(max(low[k] - p[k], p[k] - high[k]), 0.0)
        d += x * x
    return d


@kernel
def nearest_one(
    p: Floats, soup: Floats, low: Floats, high: Floats, child: Indices, best: float, found: int, stack: Indices
) -> tuple[float, int]:
    """Squared distance from a point to the nearest triangle and which one that is, where it is nearer than the one that
    was `found` at `best`. `stack` has room for 128 numbers."""
    stack[0] = 0
    top = 1
    while top:
        top -= 1
        node = stack[top]
        if box_distance(p, low[node], high[node]) >= best:
            continue
        if child[node, 0] < 0:
            first = -child[node, 0] - 1
            for t in range(first, first + child[node, 1]):
                d = triangle_distance(p, soup[t, 0], soup[t, 1], soup[t, 2])
                if d < best:
                    best, found = d, t
            continue
        a, b = child[node, 0], child[node, 1]
        if box_distance(p, low[a], high[a]) < box_distance(p, low[b], high[b]):
            a, b = b, a
        stack[top], stack[top + 1] = a, b
        top += 2
    return best, found


@kernel
def nearest_distances(points: Floats, soup: Floats, low: Floats, high: Floats, child: Indices) -> Floats:
    """Squared distance (n) from each point to the nearest triangle."""
    out = np.empty(len(points))
    stack = np.empty(128, np.int64)
    for i in range(len(points)):
        out[i] = nearest_one(points[i], soup, low, high, child, np.inf, 0, stack)[0]
    return out


@kernel
def nearest_others(
    points: Floats, own: Indices, soup: Floats, label: Indices, low: Floats, high: Floats, child: Indices
) -> tuple[Floats, Ints]:
    """Squared distance (n) from each point to the nearest triangle with another label (T) than its `own` (n), and that
    label (n), −1 where there is no other; triangles with a label of −1 are none. Points of one label are quickest one
    after the other."""
    out, near = np.empty(len(points)), np.full(len(points), -1, np.int32)
    stack = np.empty(128, np.int64)
    for i in range(len(points)):
        p, best = points[i], np.inf
        if i > 0 and own[i] == own[i - 1]:  # no farther than by way of the point before
            q = points[i - 1]
            x, y, z = p[0] - q[0], p[1] - q[1], p[2] - q[2]
            way = np.sqrt(out[i - 1]) + np.sqrt(x * x + y * y + z * z)
            best = way * way * (1.0 + 1e-9) + 1e-300
        stack[0] = 0
        top = 1
        while top:
            top -= 1
            node = stack[top]
            if box_distance(p, low[node], high[node]) >= best:
                continue
            if child[node, 0] < 0:
                first = -child[node, 0] - 1
                for t in range(first, first + child[node, 1]):
                    if label[t] != own[i] and label[t] >= 0:
                        d = triangle_distance(p, soup[t, 0], soup[t, 1], soup[t, 2])
                        if d < best:
                            best, near[i] = d, label[t]
                continue
            a, b = child[node, 0], child[node, 1]
            if box_distance(p, low[a], high[a]) < box_distance(p, low[b], high[b]):
                a, b = b, a
            stack[top], stack[top + 1] = a, b
            top += 2
        out[i] = best
    return out, near


@kernel
def _segment_distance(x: float, y: float, z: float, ux: float, uy: float, uz: float) -> float:
    """Squared distance from a point to the segment from the origin to u."""
    uu = ux * ux + uy * uy + uz * uz
    s = min(max((x * ux + y * uy + z * uz) / uu, 0.0), 1.0) if uu > 0.0 else 0.0
    x, y, z = x - s * ux, y - s * uy, z - s * uz
    return x * x + y * y + z * z


@kernel
def nearest_place(
    x: float, y: float, z: float, ux: float, uy: float, uz: float, vx: float, vy: float, vz: float
) -> tuple[float, float, float]:
    """The shares of u and v at the place that is nearest to a point on the triangle from the origin to u and v, by the
    region it falls in (Ericson 2004, ch. 5.1.5), and the squared distance to there."""
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    d1, d2 = ux * x + uy * y + uz * z, vx * x + vy * y + vz * z
    d3, d4, d5, d6 = d1 - uu, d2 - uv, d1 - uv, d2 - vv
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    s, t = 0.0, 0.0
    if d1 <= 0.0 and d2 <= 0.0:
        pass
    elif d3 >= 0.0 and d4 <= d3:
        s = 1.0
    elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        s = d1 / (d1 - d3) if d1 > d3 else 0.0
    elif d6 >= 0.0 and d5 <= d6:
        t = 1.0
    elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        t = d2 / (d2 - d6) if d2 > d6 else 0.0
    elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        whole = (d4 - d3) + (d5 - d6)
        t = (d4 - d3) / whole if whole > 0.0 else 0.0
        s = 1.0 - t
    elif va + vb + vc != 0.0:
        s, t = vb / (va + vb + vc), vc / (va + vb + vc)
    x, y, z = x - s * ux - t * vx, y - s * uy - t * vy, z - s * uz - t * vz
    return s, t, x * x + y * y + z * z


@kernel
def triangle_distance(p: Floats, a: Floats, b: Floats, c: Floats) -> float:
    """Squared distance from a point to a triangle."""
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    x, y, z = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    if uu * vv - uv * uv <= 1e-30 * uu * vv:  # without area: as its edges
        ab, ac = _segment_distance(x, y, z, ux, uy, uz), _segment_distance(x, y, z, vx, vy, vz)
        return min(ab, ac, _segment_distance(x - ux, y - uy, z - uz, vx - ux, vy - uy, vz - uz))
    return nearest_place(x, y, z, ux, uy, uz, vx, vy, vz)[2]
