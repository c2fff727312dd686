"""Texture coordinates of what is stretched and bent along a path."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.uv_gradients import uv_gradients


def uv_slopes(mesh: PolyMesh, points: Floats) -> Floats | None:
    """(C,2) by how much each corner's uv change for every metre along the path; None where there are none.

    `points` (V,3) are as they run. One answer for each face, by least squares over its three directions.
    """
    if mesh.uv is None:
        return None
    slope: Floats = uv_gradients(mesh, points, mesh.uv)[:, 0][mesh.corner_face]
    return slope


def along(points: Floats, stretch: float, shift: float) -> Floats:
    """(V) how far points (V,3) as they run move along the path when they are stretched from their start and shifted."""
    s = points[:, 0]
    return np.asarray((s - s.min(initial=np.inf)) * (stretch - 1.0) + shift if len(s) else s)


def continued_uv(mesh: PolyMesh, points: Floats, stretch: float, shift: float) -> PolyMesh:
    """The mesh with the texel density along the path that it has unstretched.

    `points` (V,3) are as they run; where they go `shift` metres on and are stretched by a factor, each face's uv go on
    with how they change along the path.
    """
    if mesh.uv is None or (abs(stretch - 1.0) <= 1e-12 and shift == 0.0):
        return mesh
    slopes = uv_slopes(mesh, points)
    return (
        mesh
        if slopes is None
        else mesh.replaced(uv=mesh.uv + slopes * along(points, stretch, shift)[mesh.corners][:, None])
    )
