"""A profile turned about the upright axis."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.shapes.limits import check_count
from able_brick.core.shapes.mesh_builder import MeshBuilder, grid_uv

Profile = Sequence[tuple[float, float]]


def turned(profile: Profile, *, sides: int, facets: Sequence[int] | None = None) -> PolyMesh:
    """Closed solid of revolution: the profile of (radius, height) points, from bottom to top, about Y.

    Both ends are closed with one n-gon, or run to a point where the radius is 0. Radii in between must be
    above 0. `facets` gives the facet of each step of the profile (each its own when left out); the n-gons get
    facets of their own after those. uv in metres: round and along, flat steps and ends as seen from outside.
    """
    check_count("sides", sides, 3, 2000)
    r = np.array([p[0] for p in profile], np.float64)
    y = np.array([p[1] for p in profile], np.float64)
    if len(r) < 2 or (r[1:-1] <= 0).any() or r.min() < 0 or r.max() <= 0:
        raise GeometryError("A turned profile needs at least two points and radii above 0 between its ends.")
    return _revolved(r, y, sides, list(facets or range(len(r) - 1)), loop=False)


def turned_ring(profile: Profile, *, sides: int, facets: Sequence[int] | None = None) -> PolyMesh:
    """Ring: the closed profile of (radius, height) points, counter-clockwise with the radius to the right, about Y."""
    check_count("sides", sides, 3, 2000)
    r = np.array([p[0] for p in profile], np.float64)
    y = np.array([p[1] for p in profile], np.float64)
    if len(r) < 3 or r.min() <= 0:
        raise GeometryError("The profile of a ring needs at least three points and radii above 0.")
    return _revolved(r, y, sides, list(facets or range(len(r))), loop=True)


def _revolved(r: Floats, y: Floats, sides: int, facets: list[int], *, loop: bool) -> PolyMesh:
    angle = np.arange(sides + 1) * (2 * math.pi / sides)
    cos, sin = np.cos(angle[:-1]), -np.sin(angle[:-1])
    builder = MeshBuilder()
    for _ in range(max(facets) + 1):
        builder.new_facet()
    rings = []
    for radius, height in zip(r, y, strict=True):
        if radius == 0:
            ring = np.repeat(builder.points([[0.0, height, 0.0]]), sides + 1)
        else:
            ring = builder.points(np.stack([radius * cos, np.full(sides, height), radius * sin], axis=1))
            ring = np.append(ring, ring[0])
        rings.append(ring)
    steps = len(r) if loop else len(r) - 1
    nxt = (np.arange(len(r)) + 1) % len(r)
    length = np.hypot(r[nxt] - r, y[nxt] - y)
    along = np.concatenate([[0.0], np.cumsum(length)])
    around = angle * float(r.max())
    circle = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    k = 0
    while k < steps:  # steps of one facet that follow each other become one sheet
        end = k + 1
        while end < steps and facets[end] == facets[k] and (y[nxt[end]] == y[end]) == (y[nxt[k]] == y[k]):
            end += 1
        rows = [i % len(r) for i in range(k, end + 1)]
        grid = np.stack([rings[i] for i in rows], axis=1)
        if y[nxt[k]] == y[k]:
            outward = 1.0 if r[nxt[k]] < r[k] else -1.0  # a step toward the axis faces up
            uv = circle[:, None, :] * r[rows][None, :, None] * [1.0, outward]
        else:
            uv = grid_uv(around, along[k : end + 1])
        builder.sheet(grid, uv, facets[k])
        k = end
    if not loop:
        for at, ring, up in ((0, rings[0][:-1][::-1], -1.0), (-1, rings[-1][:-1], 1.0)):
            if r[at] > 0:
                flat = circle[:-1] * r[at] * [1.0, up]
                builder.faces(ring[None], (flat[::-1] if up < 0 else flat)[None])
    return builder.built()
