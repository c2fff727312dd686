"""Rays against triangles: the first that each meets."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.polymesh import Floats

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats


@kernel
def _first_hits(origins: Floats, directions: Floats, a: Floats, u: Floats, v: Floats, far: float) -> Floats:
    out = np.full(len(origins), far)
    for r in range(len(origins)):
        ox, oy, oz = origins[r]
        dx, dy, dz = directions[r]
        best = far
        for t in range(len(a)):
            px = dy * v[t, 2] - dz * v[t, 1]
            py = dz * v[t, 0] - dx * v[t, 2]
            pz = dx * v[t, 1] - dy * v[t, 0]
            det = u[t, 0] * px + u[t, 1] * py + u[t, 2] * pz
            if abs(det) < 1e-14:
                continue
            sx, sy, sz = ox - a[t, 0], oy - a[t, 1], oz - a[t, 2]
            first = (sx * px + sy * py + sz * pz) / det
            if first < -1e-9 or first > 1 + 1e-9:
                continue
            qx = sy * u[t, 2] - sz * u[t, 1]
            qy = sz * u[t, 0] - sx * u[t, 2]
            qz = sx * u[t, 1] - sy * u[t, 0]
            second = (dx * qx + dy * qy + dz * qz) / det
            if second < -1e-9 or first + second > 1 + 1e-9:
                continue
            away = (v[t, 0] * qx + v[t, 1] * qy + v[t, 2] * qz) / det
            if 0 <= away < best:
                best = away
        out[r] = best
    return out


def first_hits(origins: Floats, directions: Floats, triangles: Floats, far: float) -> Floats:
    """How far rays from origins (R,3) along unit directions (R,3) go until they meet one of the triangles (T,3,3).

    From either side; `far` where they meet none; (R,) metres. After Möller & Trumbore 1997.
    """
    tri = np.ascontiguousarray(triangles, np.float64)
    out: Floats = _first_hits(
        np.ascontiguousarray(origins, np.float64),
        np.ascontiguousarray(directions, np.float64),
        np.ascontiguousarray(tri[:, 0]),
        np.ascontiguousarray(tri[:, 1] - tri[:, 0]),
        np.ascontiguousarray(tri[:, 2] - tri[:, 0]),
        far,
    )
    return out
