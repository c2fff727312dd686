"""Faces without area and faces that may stand twice, compiled."""

from __future__ import annotations

import numpy as np

from able_brick.core.kernel import kernel


@kernel
def flat_faces(points, starts, vertex, keep, size, tolerance):  # type: ignore[no-untyped-def]
    """(F) faces whose doubled area is at most the tolerance times their longest edge squared, m².

    points (V,3), starts (F+1), vertex (C); only corners in `keep` (C) count, and faces of `size` (F) 0 are passed over.
    """
    out = np.zeros(len(size), np.bool_)
    for f in range(len(size)):
        if size[f] == 0:
            continue
        a, b = starts[f], starts[f + 1]
        first = -1
        before = -1
        longest = 0.0
        x = y = z = 0.0
        for c in range(a, b):
            if not keep[c]:
                continue
            v = vertex[c]
            if first < 0:
                first = v
            else:
                ux = points[before, 0] - points[first, 0]
                uy = points[before, 1] - points[first, 1]
                uz = points[before, 2] - points[first, 2]
                wx = points[v, 0] - points[first, 0]
                wy = points[v, 1] - points[first, 1]
                wz = points[v, 2] - points[first, 2]
                x += uy * wz - uz * wy
                y += uz * wx - ux * wz
                z += ux * wy - uy * wx
                d = 0.0
                for k in range(3):
                    d += (points[v, k] - points[before, k]) ** 2
                longest = max(longest, d)
            before = v
        d = 0.0
        for k in range(3):
            d += (points[first, k] - points[before, k]) ** 2
        longest = max(longest, d)
        out[f] = np.sqrt(x * x + y * y + z * z) <= tolerance * longest
    return out


@kernel
def mark_likely_twice(starts, corners, faces, twin, uses, out):  # type: ignore[no-untyped-def]
    """Mark in `out` (F) every face that may have the vertices of another one; only few others.

    Two triangles, and two quads, on the same vertices share an edge: where the edges are plain, the neighbours tell.
    starts (F+1), corners (C), faces (C) of the corners, twin (C), uses (C) faces at each corner's edge.
    """
    for f in range(len(out)):
        a, b = starts[f], starts[f + 1]
        if b - a > 4:
            out[f] = True
            continue
        for c in range(a, b):
            if uses[c] == 1:
                continue
            if twin[c] < 0:
                out[f] = True
                break
            g = faces[twin[c]]
            if starts[g + 1] - starts[g] != b - a:
                continue
            shared = 0
            for i in range(a, b):
                for j in range(starts[g], starts[g + 1]):
                    if corners[i] == corners[j]:
                        shared += 1
                        break
            if shared == b - a:
                out[f] = True
                break
