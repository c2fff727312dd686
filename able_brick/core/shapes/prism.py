"""An outline drawn up into a solid."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import check_length


def prism(outline: Sequence[tuple[float, float]], depth: float) -> PolyMesh:
    """Closed solid: an outline of (x, y) points, counter-clockwise seen from +Z, drawn from −depth/2 to depth/2 in Z.

    The outline may be concave but must not cross itself; the two ends are n-gons. Facets: one for each wall, then
    the ends; uv in metres.
    """
    check_length("depth", depth)
    flat = np.asarray(outline, np.float64)
    n = len(flat)
    if n < 3:
        raise GeometryError(f"An outline needs at least 3 points; {n} given.")
    nxt = np.roll(flat, -1, axis=0)
    if float((flat[:, 0] * nxt[:, 1] - flat[:, 1] * nxt[:, 0]).sum()) <= 0:
        raise GeometryError("The outline runs clockwise or has no area; give its points counter-clockwise.")
    half = depth / 2
    positions = np.concatenate([np.column_stack([flat, np.full(n, -half)]), np.column_stack([flat, np.full(n, half)])])
    k = np.arange(n)
    j = (k + 1) % n
    walls = np.stack([k, j, j + n, k + n], axis=1)
    run = np.concatenate([[0.0], np.cumsum(np.hypot(*(nxt - flat).T))])
    wall_uv = np.empty((n, 4, 2))
    wall_uv[:, [0, 3], 0] = run[:-1, None]
    wall_uv[:, [1, 2], 0] = run[1:, None]
    wall_uv[:, [0, 1], 1] = 0.0
    wall_uv[:, [2, 3], 1] = depth
    return PolyMesh.trusted(
        positions,
        np.concatenate([np.arange(n + 1) * 4, [5 * n, 6 * n]]),
        np.concatenate([walls.ravel(), k[::-1], k + n]),
        facet=np.arange(n + 2),
        uv=np.concatenate([wall_uv.reshape(-1, 2), flat[::-1] * [-1, 1], flat]),
    )
