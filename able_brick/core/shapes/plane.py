"""A flat sheet of quads, facing up."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import check_count, check_length


def plane(width: float, depth: float, *, divisions: tuple[int, int] = (1, 1)) -> PolyMesh:
    """Open sheet of width (X) and depth (Z) in metres in y = 0, centred on the origin; uv in metres, v toward −Z."""
    size = np.array([check_length("width", width), check_length("depth", depth)])
    n = np.array([check_count("divisions", d, 1, 1000) for d in divisions])
    x, z = (a.ravel() for a in np.meshgrid(np.arange(n[0] + 1), np.arange(n[1] + 1), indexing="ij"))
    flat = np.stack([x, z], axis=1) * (size / n)
    positions = np.stack([flat[:, 0] - size[0] / 2, np.zeros(len(x)), flat[:, 1] - size[1] / 2], axis=1)
    i, j = (a.ravel() for a in np.meshgrid(np.arange(n[0]), np.arange(n[1]), indexing="ij"))
    at = i * (n[1] + 1) + j
    corners = np.stack([at, at + 1, at + n[1] + 2, at + n[1] + 1], axis=1).ravel()
    return PolyMesh.trusted(
        positions, np.arange(len(i) + 1) * 4, corners, uv=(flat * [1.0, -1.0] + [0.0, size[1]])[corners]
    )
