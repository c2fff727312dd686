"""Kernels of the middles of faces."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices


@kernel
def blind_faces(points: Floats, starts: Indices, corners: Indices, faces: Indices, area: Floats, clear: float) -> Bools:
    """(n) faces (n) the mean of whose corners is not farther inside of each of their edges than a share of their
    longest one. Points (V,3), starts (F+1), corners (C), and vectors of the faces' areas (F,3)."""
    out = np.zeros(len(faces), np.bool_)
    mean, normal, side = np.empty(3), np.empty(3), np.empty(3)
    for i in range(len(faces)):
        f = faces[i]
        a, b = starts[f], starts[f + 1]
        size = math.sqrt(area[f, 0] ** 2 + area[f, 1] ** 2 + area[f, 2] ** 2)
        for j in range(3):
            normal[j] = area[f, j] / size if size > 0.0 else 0.0
            mean[j] = 0.0
            for c in range(a, b):
                mean[j] += points[corners[c], j] / (b - a)
        longest, least = 0.0, math.inf
        for c in range(a, b):
            p, q = corners[c], corners[c + 1 if c + 1 < b else a]
            for j in range(3):
                k, m = (j + 1) % 3, (j + 2) % 3
                side[j] = normal[k] * (points[q, m] - points[p, m]) - normal[m] * (points[q, k] - points[p, k])
            long, inside = 0.0, 0.0
            for j in range(3):
                long += (points[q, j] - points[p, j]) ** 2
                inside += side[j] * (mean[j] - points[p, j])
            long = math.sqrt(long)
            longest = max(longest, long)
            least = min(least, inside / long if long > 0.0 else 0.0)
        out[i] = least <= clear * longest
    return out
