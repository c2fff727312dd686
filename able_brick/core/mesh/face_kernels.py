"""Faces without area and faces that may stand twice, compiled."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints


@kernel
def flat_faces(points: Floats, starts: Indices, vertex: Indices, keep: Bools, size: Indices, tolerance: float) -> Bools:
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
def mark_likely_twice(
    starts: Indices, corners: Indices, faces: Indices, twin: Indices, uses: Indices, out: Bools
) -> None:
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


@kernel
def quad_diagonals(points: Floats, vertex: Indices, first: Indices, whole: Floats) -> Ints:
    """(Q) 0 where the diagonal of a quad runs from its first corner, 1 where from the second: the one whose two
    triangles both face the quad's way (Q,3), that bends least, that is shorter.

    points (V,3), vertex (C), first corners (Q) of the quads.
    """
    out = np.zeros(len(first), np.int32)
    n = np.empty((2, 3))
    sound, bend, long = np.zeros(2, np.bool_), np.zeros(2), np.zeros(2)
    for f in range(len(first)):
        size = np.sqrt(whole[f, 0] ** 2 + whole[f, 1] ** 2 + whole[f, 2] ** 2)
        for i in range(2):
            a, b = vertex[first[f] + i], vertex[first[f] + 1 + i]
            c, d = vertex[first[f] + 2 + i], vertex[first[f] + (3 + i) % 4]
            length = 0.0
            for j in range(3):
                k, m = (j + 1) % 3, (j + 2) % 3
                uk, um = points[c, k] - points[a, k], points[c, m] - points[a, m]
                n[0, j] = (points[b, k] - points[a, k]) * um - (points[b, m] - points[a, m]) * uk
                n[1, j] = uk * (points[d, m] - points[a, m]) - um * (points[d, k] - points[a, k])
                length += (points[a, j] - points[c, j]) ** 2
            one, other, both = 0.0, 0.0, 0.0
            up, down = 0.0, 0.0
            for j in range(3):
                one += n[0, j] ** 2
                other += n[1, j] ** 2
                both += n[0, j] * n[1, j]
                w = whole[f, j] / size if size > 0.0 else 0.0
                up += n[0, j] * w
                down += n[1, j] * w
            sound[i] = up > 0.0 and down > 0.0
            scale = np.sqrt(one) * np.sqrt(other)
            bend[i] = both / scale if scale > 0.0 else 0.0
            long[i] = np.sqrt(length)
        if sound[0] != sound[1]:
            out[f] = sound[1]
        elif bend[1] > bend[0] + 1e-9 or (abs(bend[1] - bend[0]) <= 1e-9 and long[1] < long[0] * (1 - 1e-9)):
            out[f] = 1
    return out
