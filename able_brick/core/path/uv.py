"""Texture coordinates of what is stretched and bent along a path."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats, PolyMesh


def uv_slopes(mesh: PolyMesh, points: Floats) -> Floats | None:
    """(C,2) by how much each corner's uv change for every metre along the path; None where there are none.

    `points` (V,3) are as they run. One answer for each face, by least squares over its three directions.
    """
    if mesh.uv is None:
        return None
    p, uv = points[mesh.corners], mesh.uv
    face, n = mesh.corner_face, mesh.face_count

    def centred(values: Floats) -> Floats:
        total = np.stack([np.bincount(face, values[:, k], n) for k in range(values.shape[1])], axis=1)
        out: Floats = values - (total / mesh.face_sizes[:, None])[face]
        return out

    q, w = centred(p), centred(uv)
    a = np.empty((n, 3, 3))
    for i in range(3):
        for j in range(3):
            a[:, i, j] = np.bincount(face, q[:, i] * q[:, j], n)
    b = np.stack(
        [np.stack([np.bincount(face, q[:, i] * w[:, k], n) for i in range(3)], axis=1) for k in (0, 1)], axis=2
    )
    # what a face does not reach along is left alone
    slope: Floats = (np.linalg.pinv(a, rcond=1e-9, hermitian=True) @ b)[:, 0][face]
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
