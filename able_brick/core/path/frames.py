"""What is upright beside a path, and turns from directions."""

from __future__ import annotations

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.normals import dots, unit
from able_brick.core.mesh.polymesh import Floats

UP = np.array([0.0, 1.0, 0.0])


def upright_sides(tangent: Floats) -> Floats:
    """(n,3) Y × tangent, normalised; where the tangent is vertical, the last side is kept."""
    cross = np.zeros_like(tangent)
    cross[:, 0], cross[:, 2] = tangent[:, 2], -tangent[:, 0]
    good = dots(cross, cross) > 1e-18
    if good.all():
        return unit(cross)
    if not good.any():
        return np.broadcast_to(np.array([1.0, 0.0, 0.0]), tangent.shape).copy()
    last = np.maximum.accumulate(np.where(good, np.arange(len(good)), -1))
    last[last < 0] = int(np.flatnonzero(good)[0])
    return unit(cross[last])


@kernel
def turns_of(x: Floats, y: Floats, z: Floats) -> Floats:
    """(n,4) unit quaternions xyzw, w ≥ 0, of the turns whose axes are x, y, z (n,3) each. After Shepperd 1978."""
    out = np.empty((len(x), 4))
    for i in range(len(x)):
        a, b, c = x[i, 0], y[i, 1], z[i, 2]
        trace = a + b + c
        q = out[i]
        if trace >= a and trace >= b and trace >= c:
            q[0], q[1], q[2], q[3] = y[i, 2] - z[i, 1], z[i, 0] - x[i, 2], x[i, 1] - y[i, 0], 1.0 + trace
        elif a >= b and a >= c:
            q[0], q[1], q[2], q[3] = 1.0 + a - b - c, x[i, 1] + y[i, 0], z[i, 0] + x[i, 2], y[i, 2] - z[i, 1]
        elif b >= c:
            q[0], q[1], q[2], q[3] = x[i, 1] + y[i, 0], 1.0 + b - a - c, y[i, 2] + z[i, 1], z[i, 0] - x[i, 2]
        else:
            q[0], q[1], q[2], q[3] = z[i, 0] + x[i, 2], y[i, 2] + z[i, 1], 1.0 + c - a - b, x[i, 1] - y[i, 0]
        size = np.sqrt(q[0] ** 2 + q[1] ** 2 + q[2] ** 2 + q[3] ** 2)
        if q[3] < 0:
            size = -size
        for k in range(4):
            q[k] /= size
    return out
