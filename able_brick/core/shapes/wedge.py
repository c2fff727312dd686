"""Wedges and pyramids, standing on their base centre."""

from __future__ import annotations

import math

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import SHORTEST, check_count, check_length
from able_brick.core.shapes.mesh_builder import MeshBuilder, grid_uv


def wedge(width: float, height: float, depth: float, *, rows: int = 1) -> PolyMesh:
    """Closed ramp in metres: rises from its front (+Z) to its full height at the back, in `rows` quads.

    Facets: slope, base, back, the two sides.
    """
    for name, value in (("width", width), ("height", height), ("depth", depth)):
        check_length(name, value)
    check_count("rows", rows, 1, 1000)
    share = np.arange(rows + 1) / rows
    x = np.array([-width / 2, width / 2])
    z = depth / 2 - depth * share
    builder = MeshBuilder()
    floor = np.stack(np.broadcast_arrays(x[:, None], 0.0, z[None, :]), axis=-1)
    low = builder.points(floor)
    high = low.copy()
    high[:, 1:] = builder.points(floor[:, 1:] + np.stack(np.broadcast_arrays(0.0, height * share[1:], 0.0), axis=-1))
    run = math.hypot(height, depth) * share
    builder.sheet(high, grid_uv(x, run))
    builder.sheet(low[::-1], grid_uv(-x[::-1], depth * share))
    builder.sheet(np.stack([high[:, -1], low[:, -1]], axis=1), grid_uv(-x, [height, 0.0]))
    side = np.stack([np.stack([z, 0 * z], axis=1), np.stack([z, height * share], axis=1)], axis=1)
    builder.sheet(np.stack([low[0], high[0]], axis=1)[::-1], side[::-1])
    builder.sheet(np.stack([low[1], high[1]], axis=1), side * [-1.0, 1.0])
    return builder.built()


def pyramid(width: float, height: float, depth: float, *, top: float = 0.0, rows: int = 1) -> PolyMesh:
    """Closed four-sided pyramid in metres in `rows` quads; `top` is the share of the base that is left at the top.

    Facets: the four sides, the base, and the top where it is flat.
    """
    for name, value in (("width", width), ("height", height), ("depth", depth)):
        check_length(name, value)
    if not 0.0 <= top <= 1.0:
        raise GeometryError(f"Top is {top:g}; give 0 to 1.", field="top", received=top, allowed=[0, 1])
    top = top if top * min(width, depth) >= SHORTEST else 0.0
    check_count("rows", rows, 1, 1000)
    base = np.array([[-1, 1], [1, 1], [1, -1], [-1, -1]]) * [width / 2, depth / 2]
    share = 1 - (1 - top) * np.arange(rows + 1) / rows
    share[-1] = top
    builder = MeshBuilder()
    rings = []
    for k, s in enumerate(share):
        y = height * k / rows
        if s == 0:
            rings.append(np.repeat(builder.points([[0.0, height, 0.0]]), 4))
        else:
            rings.append(builder.points(np.stack([base[:, 0] * s, np.full(4, y), base[:, 1] * s], axis=1)))
    grid = np.stack(rings, axis=1)
    for side, (size, other) in enumerate(((width, depth), (depth, width)) * 2):
        slant = math.hypot(height, (1 - top) * other / 2) * np.arange(rows + 1) / rows
        half = size / 2 * share
        uv = np.stack([np.stack([-half, slant], axis=1), np.stack([half, slant], axis=1)], axis=0)
        builder.sheet(grid[[side, (side + 1) % 4]], uv)
    flat = base * [1.0, -1.0]
    builder.faces(grid[None, ::-1, 0], (base[::-1])[None])
    if top > 0:
        builder.faces(grid[None, :, -1], (flat * top)[None])
    return builder.built()
