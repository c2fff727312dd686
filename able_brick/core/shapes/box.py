"""A box of quads, standing on its base centre."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import check_count, check_length

#: (running axis u, running axis v, fixed axis, at the high end): u × v points outward.
_SIDES = ((1, 2, 0, 1), (2, 1, 0, 0), (0, 2, 1, 0), (2, 0, 1, 1), (0, 1, 2, 1), (1, 0, 2, 0))


def box(
    width: float,
    height: float,
    depth: float,
    *,
    divisions: tuple[int, int, int] = (1, 1, 1),
) -> PolyMesh:
    """Closed box of width (X), height (Y) and depth (Z) in metres, divided into quads along each axis.

    The base centre is the origin. Each side is a facet; uv is in metres on each side.
    Raises GeometryError for sizes or divisions outside the allowed range.
    """
    size = np.array([check_length("width", width), check_length("height", height), check_length("depth", depth)])
    n = np.array([check_count("divisions", d, 1, 1000) for d in divisions])
    lattice, uv, facet = [], [], []
    for side, (u, v, w, high) in enumerate(_SIDES):
        i, j = (a.ravel() for a in np.meshgrid(np.arange(n[u]), np.arange(n[v]), indexing="ij"))
        quad = np.zeros((len(i), 4, 3), np.int64)
        for corner, (du, dv) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
            quad[:, corner, u] = i + du
            quad[:, corner, v] = j + dv
        quad[:, :, w] = n[w] * high
        lattice.append(quad.reshape(-1, 3))
        flat = quad.reshape(-1, 3)[:, [u, v]] * (size[[u, v]] / n[[u, v]])
        uv.append(flat[:, ::-1] * (-1, 1) if u == 1 else flat)
        facet.append(np.full(len(i), side, np.int32))
    points = np.concatenate(lattice)
    key = (points[:, 0] * (n[1] + 1) + points[:, 1]) * (n[2] + 1) + points[:, 2]
    _, first, corners = np.unique(key, return_index=True, return_inverse=True)
    positions = points[first] * (size / n) - np.array([size[0] / 2, 0.0, size[2] / 2])
    faces = len(points) // 4
    return PolyMesh.trusted(
        positions, np.arange(faces + 1) * 4, corners, facet=np.concatenate(facet), uv=np.concatenate(uv)
    )
