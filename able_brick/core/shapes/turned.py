"""A profile turned about the upright axis."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import check_count


def turned(profile: Sequence[tuple[float, float]], *, sides: int) -> PolyMesh:
    """Closed solid of revolution: the profile of (radius, height) points, from bottom to top, about Y.

    Both ends are closed with one n-gon, or run to a point where the radius is 0. Radii in between must be
    above 0. Facets: one for each step of the profile, then the caps; uv in metres round and along.
    """
    check_count("sides", sides, 3, 2000)
    r = np.array([p[0] for p in profile], np.float64)
    y = np.array([p[1] for p in profile], np.float64)
    if len(r) < 2 or (r[1:-1] <= 0).any() or r.min() < 0 or r.max() <= 0:
        raise GeometryError("A turned profile needs at least two points and radii above 0 between its ends.")
    angle = np.arange(sides + 1) * (2 * math.pi / sides)
    cos, sin = np.cos(angle[:-1]), -np.sin(angle[:-1])
    rings: list[np.ndarray] = []
    points: list[np.ndarray] = []
    count = 0
    for radius, height in zip(r, y, strict=True):
        if radius == 0:
            rings.append(np.full(sides, count))
            points.append(np.array([[0.0, height, 0.0]]))
        else:
            rings.append(count + np.arange(sides))
            points.append(np.stack([radius * cos, np.full(sides, height), radius * sin], axis=1))
        count += len(points[-1])
    corners: list[np.ndarray] = []
    sizes: list[int] = []
    uv: list[np.ndarray] = []
    facet: list[int] = []
    along = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(r), np.diff(y)))])
    width = angle * float(r.max())
    k = np.arange(sides)
    for step in range(len(r) - 1):
        low, high = rings[step], rings[step + 1]
        nxt = (k + 1) % sides
        columns = [(low, k, 0), (low, nxt, 0), (high, nxt, 1), (high, k, 1)]
        if r[step] == 0:
            del columns[1]
        elif r[step + 1] == 0:
            del columns[2]
        corners.append(np.stack([ring[i] for ring, i, _ in columns], axis=1).ravel())
        across = [width[k + (1 if i is nxt else 0)] for _, i, _ in columns]
        uv.append(
            np.stack(
                [np.stack(across, axis=1).ravel(), np.tile([along[step + up] for *_, up in columns], sides)],
                axis=1,
            )
        )
        sizes += [len(columns)] * sides
        facet += [step] * sides
    for end, ring in ((0, rings[0][::-1]), (-1, rings[-1])):
        if r[end] > 0:
            corners.append(ring)
            sizes.append(sides)
            facet.append(len(r) - 1 + (end != 0))
            flat = np.stack([r[end] * cos, r[end] * sin], axis=1)
            uv.append(flat[::-1] if end == 0 else flat)
    return PolyMesh.trusted(
        np.concatenate(points),
        np.concatenate([[0], np.cumsum(sizes)]),
        np.concatenate(corners),
        facet=np.array(facet),
        uv=np.concatenate(uv),
    )
