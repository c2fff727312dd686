"""Spheres, standing on their lowest point."""

from __future__ import annotations

import math

import numpy as np

from able_brick.core.mesh.combine import with_positions
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.core.shapes.limits import check_count, check_length
from able_brick.core.shapes.turned import turned


def sphere(radius: float, *, sides: int = 24, rows: int = 12) -> PolyMesh:
    """Closed sphere of `sides` quads round and `rows` from pole to pole, with triangles at the poles; one facet."""
    check_length("radius", radius)
    check_count("rows", rows, 2, 1000)
    angles = [math.pi * k / rows for k in range(rows + 1)]
    profile = [(radius * math.sin(a), radius * (1 - math.cos(a))) for a in angles]
    profile[0], profile[-1] = (0.0, 0.0), (0.0, 2 * radius)
    return turned(profile, sides=sides, facets=[0] * rows)


def even_sphere(radius: float, *, divisions: int = 8) -> PolyMesh:
    """Closed sphere of even quads: a cube of `divisions` by `divisions` on each side, blown up; six facets.

    The lattice is spaced by equal angles, so that the quads differ little in size.
    """
    check_length("radius", radius)
    check_count("divisions", divisions, 1, 400)
    cube = box(2.0, 2.0, 2.0, divisions=(divisions, divisions, divisions))
    lattice = np.array(cube.positions) - [0.0, 1.0, 0.0]
    round_ = np.tan(lattice * (math.pi / 4))
    round_ *= radius / np.linalg.norm(round_, axis=1, keepdims=True)
    mesh = with_positions(cube, round_ + np.array([0.0, radius, 0.0]))
    uv = None if cube.uv is None else cube.uv * (radius * math.pi / 4)
    return PolyMesh.trusted(mesh.positions, mesh.face_starts, mesh.corners, facet=mesh.facet, uv=uv)
