"""Vertices that must stay where they are, so that neighbours go on meeting there."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final

import numpy as np

from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh
from able_brick.core.mesh.topology import topology

#: Vertices are on a side of the box within this, metres.
ON_SIDE: Final = 1e-5
#: Sides of a box, by axis and direction.
SIDES: Final = ("-x", "+x", "-y", "+y", "-z", "+z")


def open_borders(mesh: PolyMesh) -> Bools:
    """(V) the vertices on edges with one face."""
    out = np.zeros(mesh.vertex_count, np.bool_)
    t = topology(mesh)
    out[t.edges[t.edge_uses == 1]] = True
    return out


def on_sides(points: Floats, sides: Iterable[str]) -> Bools:
    """(n) the points (n,3) on sides of the box round all of them."""
    out = np.zeros(len(points), np.bool_)
    if not len(points):
        return out
    low, high = points.min(axis=0), points.max(axis=0)
    for side in sides:
        axis = "xyz".index(side[1])
        edge = low[axis] if side[0] == "-" else high[axis]
        out |= np.abs(points[:, axis] - edge) <= ON_SIDE
    return out
