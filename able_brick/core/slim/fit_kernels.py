"""Compiled parts of fitting: the nearest places of points on triangles, and sums over samples."""

from __future__ import annotations

import numpy as np
from numba import njit

from able_brick.core.slim.tree import box_distance, triangle_distance


@njit(cache=True, nogil=True)
def shares_at(p, a, b, c):  # type: ignore[no-untyped-def]
    """The shares of the second and third corner at the place of a triangle that is nearest to a point (Ericson 2004,
    ch. 5.1.5)."""
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    x, y, z = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    d1, d2 = ux * x + uy * y + uz * z, vx * x + vy * y + vz * z
    d3, d4, d5, d6 = d1 - uu, d2 - uv, d1 - uv, d2 - vv
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    if d1 <= 0.0 and d2 <= 0.0:
        return 0.0, 0.0
    if d3 >= 0.0 and d4 <= d3:
        return 1.0, 0.0
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return (d1 / (d1 - d3) if d1 > d3 else 0.0), 0.0
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 1.0
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        return 0.0, (d2 / (d2 - d6) if d2 > d6 else 0.0)
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        whole = (d4 - d3) + (d5 - d6)
        t = (d4 - d3) / whole if whole > 0.0 else 0.0
        return 1.0 - t, t
    whole = va + vb + vc
    if whole == 0.0:
        return 0.0, 0.0
    return vb / whole, vc / whole


@njit(cache=True, nogil=True)
def nearest_triangles(points, soup, around, near, order, low, high, child, out):  # type: ignore[no-untyped-def]
    """A triangle (n) that each point (n,3) lies at. Points that follow each other should be near each other: from where
    the one before lies the way goes on from neighbour to neighbour, `around` (T,3), −1 for none, as long as it leads
    closer; what is not within the squared distance `near` (T) of the triangle where that ends is looked up in the tree
    of all, and lies nowhere closer than there."""
    stack = np.empty(128, np.int64)
    found = 0
    for i in range(len(points)):
        p = points[i]
        best = triangle_distance(p, soup[found, 0], soup[found, 1], soup[found, 2])
        at = -1
        while at != found:
            at = found
            for k in range(3):
                t = around[at, k]
                if t >= 0:
                    d = triangle_distance(p, soup[t, 0], soup[t, 1], soup[t, 2])
                    if d < best:
                        best = d
                        found = t
        top = 0
        if best > near[found]:
            stack[0] = 0
            top = 1
        while top:
            top -= 1
            node = stack[top]
            if box_distance(p, low[node], high[node]) >= best:
                continue
            if child[node, 0] < 0:
                first = -child[node, 0] - 1
                for q in range(first, first + child[node, 1]):
                    t = order[q]
                    d = triangle_distance(p, soup[t, 0], soup[t, 1], soup[t, 2])
                    if d < best:
                        best = d
                        found = t
                continue
            a, b = child[node, 0], child[node, 1]
            if box_distance(p, low[a], high[a]) < box_distance(p, low[b], high[b]):
                a, b = b, a
            stack[top], stack[top + 1] = a, b
            top += 2
        out[i] = found


@njit(cache=True, nogil=True)
def equations(points, own, at, positions, triangles, normals, ways, ids, parts, away):  # type: ignore[no-untyped-def]
    """What each sample says of the three vertices round its nearest place: their `ids` (n,3), how much of a shift of
    each of them along its way counts there (n,3), and how far `away` (n) the sample is, along the triangle's normal.
    Samples whose surface looks elsewhere than the triangle says nothing; returns how many there are. `own` (n,3) are
    the normals where the samples were taken, `at` (n) their triangles."""
    count = 0
    for i in range(len(points)):
        t = at[i]
        n = normals[t]
        if own[i, 0] * n[0] + own[i, 1] * n[1] + own[i, 2] * n[2] <= 0.2:
            continue
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        p = points[i]
        v, w = shares_at(p, positions[a], positions[b], positions[c])
        u = 1.0 - v - w
        d = 0.0
        for k in range(3):
            d += (p[k] - u * positions[a, k] - v * positions[b, k] - w * positions[c, k]) * n[k]
        away[count] = d
        ids[count, 0], ids[count, 1], ids[count, 2] = a, b, c
        parts[count, 0] = u * (ways[a, 0] * n[0] + ways[a, 1] * n[1] + ways[a, 2] * n[2])
        parts[count, 1] = v * (ways[b, 0] * n[0] + ways[b, 1] * n[1] + ways[b, 2] * n[2])
        parts[count, 2] = w * (ways[c, 0] * n[0] + ways[c, 1] * n[1] + ways[c, 2] * n[2])
        count += 1
    return count


@njit(cache=True, nogil=True)
def solve(ids, parts, away, free, damping, rounds):  # type: ignore[no-untyped-def]
    """The shifts (V) of the free vertices with which the samples are, by least squares, nearest: conjugate gradients
    on the damped normal equations, scaled by their diagonal."""
    n = len(free)
    diagonal, right = np.zeros(n), np.zeros(n)
    for i in range(len(ids)):
        for k in range(3):
            diagonal[ids[i, k]] += parts[i, k] * parts[i, k]
            right[ids[i, k]] += parts[i, k] * away[i]
    damp = damping * diagonal + 1e-9 * diagonal.max()
    scale = diagonal + damp
    x, rest, way, image = np.zeros(n), np.zeros(n), np.zeros(n), np.zeros(n)
    size = 0.0
    for v in range(n):
        if free[v] and scale[v] > 0.0:
            rest[v] = right[v]
            way[v] = rest[v] / scale[v]
            size += rest[v] * way[v]
    first = size
    for _ in range(rounds):
        if size <= 1e-6 * first:
            break
        image[:] = damp * way
        for i in range(len(ids)):
            s = parts[i, 0] * way[ids[i, 0]] + parts[i, 1] * way[ids[i, 1]] + parts[i, 2] * way[ids[i, 2]]
            for k in range(3):
                image[ids[i, k]] += parts[i, k] * s
        along = 0.0
        for v in range(n):
            along += way[v] * image[v]
        if along <= 0.0:
            break
        step = size / along
        after = 0.0
        for v in range(n):
            if free[v] and scale[v] > 0.0:
                x[v] += step * way[v]
                rest[v] -= step * image[v]
                after += rest[v] * rest[v] / scale[v]
        for v in range(n):
            if free[v] and scale[v] > 0.0:
                way[v] = rest[v] / scale[v] + after / size * way[v]
        size = after
    return x


@njit(cache=True, nogil=True)
def farthest(ids, away, count):  # type: ignore[no-untyped-def]
    """(V) how far the farthest sample round each vertex is."""
    out = np.zeros(count)
    for i in range(len(ids)):
        for k in range(3):
            out[ids[i, k]] = max(out[ids[i, k]], abs(away[i]))
    return out


@njit(cache=True, nogil=True)
def worsened(ids, parts, away, shifts, far):  # type: ignore[no-untyped-def]
    """(V) the vertices round which the samples would be farther than they are: in sum of squares, or the farthest of
    them, which is so `far` (V)."""
    n = len(shifts)
    gain = np.zeros(n)
    out = np.zeros(n, np.bool_)
    for i in range(len(ids)):
        e = away[i]
        for k in range(3):
            e -= parts[i, k] * shifts[ids[i, k]]
        for k in range(3):
            v = ids[i, k]
            gain[v] += away[i] * away[i] - e * e
            if abs(e) > far[v]:
                out[v] = True
    return out | (gain < 0.0)
