"""Kernels of bending: how items come out along a path, how finely they are divided, and where their vertices go."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices


@kernel
def framed(side: Floats, up: Floats) -> tuple[Floats, Floats, Floats]:
    """Directions along, up and to the right (n,3 each) of the frames that stand across a path of sides and ups."""
    n = len(side)
    along, over, right = np.zeros((n, 3)), np.zeros((n, 3)), np.zeros((n, 3))
    s, u = np.empty(3), np.empty(3)
    for i in range(n):
        size = math.sqrt(side[i, 0] ** 2 + side[i, 1] ** 2 + side[i, 2] ** 2)
        for j in range(3):
            s[j] = side[i, j] / size if size > 0 else 0.0
        ahead = up[i, 0] * s[0] + up[i, 1] * s[1] + up[i, 2] * s[2]
        for j in range(3):
            u[j] = up[i, j] - s[j] * ahead
        size = math.sqrt(u[0] ** 2 + u[1] ** 2 + u[2] ** 2)
        for j in range(3):
            u[j] = u[j] / size if size > 0 else 0.0
        for j in range(3):
            p, q = (j + 1) % 3, (j + 2) % 3
            along[i, j] = s[p] * u[q] - s[q] * u[p]
            over[i, j] = u[j]
            right[i, j] = -s[j]
    return along, over, right


@kernel
def outer_lines(origin: Floats, side: Floats, up: Floats, corners: Floats) -> Floats:
    """(n,4,3) points at sides and heights `corners` (4,2) of sections (n,3 each)."""
    n = len(origin)
    out = np.empty((n, 4, 3))
    for i in range(n):
        for c in range(4):
            for j in range(3):
                out[i, c, j] = origin[i, j] + corners[c, 0] * side[i, j] + corners[c, 1] * up[i, j]
    return out


@kernel
def as_framed(points: Floats, positions: Floats, turns: Floats) -> Floats:
    """Points (n,m,3) as the frames of their items see them, at positions (n,3) and turns (n,4): along, up, side."""
    n, m = points.shape[0], points.shape[1]
    out = np.empty((n, m, 3))
    for i in range(n):
        x, y, z, w = turns[i, 0], turns[i, 1], turns[i, 2], turns[i, 3]
        a0, a1, a2 = 1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)
        b0, b1, b2 = 2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)
        c0, c1, c2 = 2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)
        for k in range(m):
            p, q, r = points[i, k, 0] - positions[i, 0], points[i, k, 1] - positions[i, 1], 0.0
            r = points[i, k, 2] - positions[i, 2]
            out[i, k, 0] = a0 * p + a1 * q + a2 * r
            out[i, k, 1] = b0 * p + b1 * q + b2 * r
            out[i, k, 2] = -(c0 * p + c1 * q + c2 * r)
    return out


@kernel
def bends(lines: Floats, step: Floats) -> Floats:
    """(n) how strongly lines (n,m,4,3), sampled every `step` (n), bend at most: the second derivative.

    Samples lie half a step within: what the second differences lead to at the very ends, where bends are strongest on
    paths that wind ever more tightly, counts too.
    """
    n, m = lines.shape[0], lines.shape[1]
    out = np.zeros(n)
    d = np.empty((m - 2, 3))
    for i in range(n):
        most = 0.0
        for c in range(4):
            for k in range(m - 2):
                for j in range(3):
                    d[k, j] = lines[i, k + 2, c, j] - 2 * lines[i, k + 1, c, j] + lines[i, k, c, j]
                most = max(most, d[k, 0] ** 2 + d[k, 1] ** 2 + d[k, 2] ** 2)
            first, last = 0.0, 0.0
            for j in range(3):
                first += (d[0, j] + 1.5 * (d[0, j] - d[1, j])) ** 2
                last += (d[m - 3, j] + 1.5 * (d[m - 3, j] - d[m - 4, j])) ** 2
            most = max(most, max(first, last))
        out[i] = math.sqrt(most) / step[i] ** 2
    return out


@kernel
def division_stations(starts: Floats, long: Floats, parts: Indices) -> Floats:
    """Lengths from the path's start to the ends and middles of all parts: 2 · parts + 1 for each item."""
    total = 0
    for i in range(len(parts)):
        total += 2 * parts[i] + 1
    out = np.empty(total)
    at = 0
    for i in range(len(parts)):
        n = 2 * parts[i]
        for k in range(n + 1):
            out[at] = starts[i] + long[i] * (k / n)
            at += 1
    return out


@kernel
def farthest_middles(origin: Floats, side: Floats, up: Floats, corners: Floats, parts: Indices) -> Floats:
    """(n) how far the middles of edges are from the curve at most, metres; sections at `division_stations`."""
    out = np.empty(len(parts))
    at = 0
    for i in range(len(parts)):
        most = 0.0
        for k in range(parts[i]):
            a, b, e = at + 2 * k, at + 2 * k + 1, at + 2 * k + 2
            for c in range(4):
                u, v = corners[c, 0], corners[c, 1]
                off = 0.0
                for j in range(3):
                    first = origin[a, j] + u * side[a, j] + v * up[a, j]
                    last = origin[e, j] + u * side[e, j] + v * up[e, j]
                    off += (origin[b, j] + u * side[b, j] + v * up[b, j] - (first + last) / 2) ** 2
                most = max(most, off)
        out[i] = math.sqrt(most)
        at += 2 * parts[i] + 1
    return out


@kernel
def straight_off(
    local: Floats, share: Floats, stretch: Floats, corners: Floats, run_low: float, length: float
) -> Floats:
    """(n) how far samples (n,m,4,3), as framed, are from where a frame and a stretch alone would put them, metres."""
    n, m = local.shape[0], local.shape[1]
    out = np.zeros(n)
    for i in range(n):
        for k in range(m):
            along = (run_low + share[k] * length) * stretch[i]
            for c in range(4):
                out[i] = max(out[i], abs(local[i, k, c, 0] - along))
                out[i] = max(out[i], abs(local[i, k, c, 1] - corners[c, 1]))
                out[i] = max(out[i], abs(local[i, k, c, 2] - corners[c, 0]))
    return out


@kernel
def boxes(local: Floats, ends: Floats) -> tuple[Floats, Floats]:
    """Low and high (n,3) round samples (n,m,3) and ends (2n,4,3), as framed; Z to the right."""
    n = len(local)
    low, high = np.full((n, 3), np.inf), np.full((n, 3), -np.inf)
    for i in range(n):
        for j in range(3):
            sign = -1.0 if j == 2 else 1.0
            for k in range(local.shape[1]):
                value = sign * local[i, k, j]
                low[i, j], high[i, j] = min(low[i, j], value), max(high[i, j], value)
            for c in range(4):
                a, b = sign * ends[i, c, j], sign * ends[n + i, c, j]
                low[i, j], high[i, j] = min(low[i, j], min(a, b)), max(high[i, j], max(a, b))
    return low, high


@kernel
def item_stations(
    s: Floats, low: float, high: float, grain: float, starts: Floats, ends: Floats, breaks: Floats
) -> Floats:
    """(m,k) lengths from the path's start to lengths `s` (k) along a piece from low to high, for items that begin and
    end at (m) each; at the ends and in corners those very numbers."""
    out = np.empty((len(starts), len(s)))
    for i in range(len(starts)):
        scale = (ends[i] - starts[i]) / (high - low)
        for k in range(len(s)):
            at = starts[i] + (s[k] - low) * scale
            if s[k] <= low + grain:
                at = starts[i]
            elif s[k] >= high - grain:
                at = ends[i]
            for corner in breaks:
                if abs(at - corner) <= 1e-9 * max(1.0, corner):
                    at = corner
            out[i, k] = at
    return out


@kernel
def spread(origin: Floats, side: Floats, up: Floats, index: Indices, points: Floats, out: Floats) -> None:
    """Points (V,3), each in the section of its number, at sections (m,k,3 each)."""
    for i in range(len(out)):
        for v in range(len(points)):
            k = index[v]
            a, b = points[v, 1], points[v, 2]
            for j in range(3):
                out[i, v, j] = origin[i, k, j] + a * side[i, k, j] + b * up[i, k, j]


@kernel
def touch_mitres(
    at: Floats,
    corners: Floats,
    origin: Floats,
    side: Floats,
    up: Floats,
    reach: float,
    index: Indices,
    points: Floats,
    out: Floats,
) -> None:
    """Put what comes to its place in the mitre of a corner (k) into the very same point (out (m,V,3), changed).

    Rows stand at lengths (m,k) along the way; sections of the corners (k,3 each) reach so far at most.
    """
    for i in range(len(out)):
        for v in range(len(points)):
            s = at[i, index[v]]
            k = np.searchsorted(corners, s - reach)
            while k < len(corners) and corners[k] <= s + reach:
                a, b = points[v, 1], points[v, 2]
                off, size = 0.0, 1.0
                for j in range(3):
                    there = origin[k, j] + a * side[k, j] + b * up[k, j]
                    off = max(off, abs(out[i, v, j] - there))
                    size = max(size, abs(there))
                if off <= 1e-11 * size:
                    for j in range(3):
                        out[i, v, j] = origin[k, j] + a * side[k, j] + b * up[k, j]
                k += 1


@kernel
def lean(
    origin: Floats,
    side: Floats,
    up: Floats,
    step: float,
    scale: Floats,
    index: Indices,
    points: Floats,
    normals: Floats,
    out: Floats,
) -> None:
    """Unit normals (H,3) at points (H,3) turned and leant with sections (2,m,k,3 each), a step before and after."""
    t, s, m = np.empty(3), np.empty(3), np.empty(3)
    for i in range(len(out)):
        for v in range(len(points)):
            k = index[v]
            a, b = points[v, 1], points[v, 2]
            for j in range(3):
                before = origin[0, i, k, j] + a * side[0, i, k, j] + b * up[0, i, k, j]
                after = origin[1, i, k, j] + a * side[1, i, k, j] + b * up[1, i, k, j]
                t[j] = (after - before) / (2 * step) * scale[i]
                s[j] = (side[0, i, k, j] + side[1, i, k, j]) / 2
                m[j] = (up[0, i, k, j] + up[1, i, k, j]) / 2
            # cofactors: what a normal becomes under any change of form; T × S = U
            x, y, z = normals[v, 0], normals[v, 1], normals[v, 2]
            total = 0.0
            for j in range(3):
                p, q = (j + 1) % 3, (j + 2) % 3
                su = s[p] * m[q] - s[q] * m[p]
                ut = m[p] * t[q] - m[q] * t[p]
                ts = t[p] * s[q] - t[q] * s[p]
                out[i, v, j] = x * su + y * ut + z * ts
                total += out[i, v, j] ** 2
            total = math.sqrt(total)
            for j in range(3):
                out[i, v, j] = out[i, v, j] / total if total > 0.0 else (normals[v, 0] if j == 0 else 0.0)
