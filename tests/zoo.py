"""The named meshes that every operation is crossed with."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from able_brick.core.mesh.combine import joined, moved
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.core.shapes.cylinder import cylinder
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.prism import prism
from able_brick.core.shapes.turned import turned


def bumpy_ball(n: int = 48) -> PolyMesh:
    """A closed smooth form with hollows, 2 n (n − 1) triangles or so."""
    angle = np.linspace(0, math.pi, n + 1)
    radius = np.sin(angle) * (1 + 0.12 * np.sin(6 * angle))
    points = list(zip(radius, -np.cos(angle), strict=True))
    points[0], points[-1] = (0.0, -1.0), (0.0, 1.0)
    return turned(points, sides=n)


def waves(n: int = 40) -> PolyMesh:
    """An open sheet with two materials meeting in a wavy line, and uv."""
    sheet = plane(4.0, 4.0, divisions=(n, n))
    p = np.array(sheet.positions)
    p[:, 1] = 0.2 * np.sin(2 * p[:, 0]) * np.cos(3 * p[:, 2])
    centre = p[sheet.corners.reshape(-1, 4)].mean(axis=1)
    material = (centre[:, 0] > 0.3 * np.sin(2 * centre[:, 2])).astype(np.int32)
    return PolyMesh.checked(p, sheet.face_sizes, sheet.corners, material=material, uv=sheet.uv)


def fin() -> PolyMesh:
    """Three sheets on one edge."""
    p = [(0, 0, 0), (0, 1, 0), (1, 0, 0), (-1, 0, 0), (0, 0, 1)]
    return PolyMesh.checked(p, [3, 3, 3], [0, 2, 1, 0, 1, 3, 0, 1, 4])


ZOO: dict[str, Callable[[], PolyMesh]] = {
    "box": lambda: box(1.0, 2.0, 3.0),
    "divided box": lambda: box(4.0, 1.0, 2.0, divisions=(5, 2, 3)),
    "hexagon": lambda: cylinder(1.0, 2.0, sides=6),
    "drum": lambda: cylinder(0.5, 3.0, sides=64, rows=12),
    "cone": lambda: turned([(1.0, 0.0), (0.0, 2.0)], sides=16),
    "arrow": lambda: prism([(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)], 1.0),
    "sheet": lambda: plane(3.0, 2.0, divisions=(6, 4)),
    "ball": bumpy_ball,
    "waves": waves,
    "fin": fin,
    "two parts": lambda: joined([box(1, 1, 1), moved(bumpy_ball(16), (3, 0, 0))], materials=[0, 1]),
}
CLOSED = ("box", "divided box", "hexagon", "drum", "cone", "arrow", "ball", "two parts")
