"""A masonry arch: half an elliptical ring on two feet."""

from __future__ import annotations

import math

import numpy as np

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import check_count, check_length
from able_brick.core.shapes.mesh_builder import MeshBuilder, grid_uv


def arch(span: float, rise: float, thickness: float, depth: float, *, divisions: int = 12, rows: int = 1) -> PolyMesh:
    """Closed arch in metres over X: clear `span` and `rise`, the ring's `thickness`, `depth` along Z.

    `divisions` quads round, `rows` through the depth. Facets: outside, front, inside, back, feet.
    """
    for name, value in (("span", span), ("rise", rise), ("thickness", thickness), ("depth", depth)):
        check_length(name, value)
    check_count("divisions", divisions, 2, 1000)
    check_count("rows", rows, 1, 500)
    angle = np.linspace(0.0, math.pi, divisions + 1)
    cos, sin = np.cos(angle), np.sin(angle)
    cos[-1], sin[-1] = -1.0, 0.0
    if divisions % 2 == 0:
        cos[divisions // 2] = 0.0
    z = depth / 2 - depth * np.arange(rows + 1) / rows
    builder = MeshBuilder()

    def skin(a: float, b: float) -> tuple[np.ndarray, np.ndarray]:
        points = np.empty((divisions + 1, rows + 1, 3))
        points[..., 0], points[..., 1], points[..., 2] = (a * cos)[:, None], (b * sin)[:, None], z
        along = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(a * cos), np.diff(b * sin)))])
        return builder.points(points), along

    inner, inner_run = skin(span / 2, rise)
    outer, outer_run = skin(span / 2 + thickness, rise + thickness)
    across = depth * np.arange(rows + 1) / rows
    flat = np.stack([(span / 2) * cos, rise * sin], axis=1)
    wide = np.stack([(span / 2 + thickness) * cos, (rise + thickness) * sin], axis=1)
    face = np.stack([wide, flat], axis=1)
    builder.sheet(outer[:, ::-1], grid_uv(outer_run, across))
    builder.sheet(np.stack([outer[:, 0], inner[:, 0]], axis=1), face)
    builder.sheet(inner, grid_uv(inner_run, across))
    builder.sheet(np.stack([inner[:, -1], outer[:, -1]], axis=1), face[:, ::-1] * [-1.0, 1.0])
    foot = grid_uv([0.0, thickness], across)
    builder.sheet(np.stack([outer[0], inner[0]], axis=0), foot)
    builder.sheet(np.stack([inner[-1], outer[-1]], axis=0), foot)
    return builder.built()
