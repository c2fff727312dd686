"""How texture coordinates change over faces."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh


def uv_gradients(mesh: PolyMesh, points: Floats, uv: Floats, faces: Bools | None = None) -> Floats:
    """(F,3,2) by how much uv (C,2) change for every metre along each axis of points (V,3): one answer for each face, by
    least squares; 0 in the direction that a face does not reach along, and for others than `faces` (F)."""
    if faces is None or faces.all():
        corners, sizes = np.arange(len(mesh.corners)), mesh.face_sizes
    else:
        # few of many: only their corners are gone through
        corners, sizes = np.flatnonzero(faces[mesh.corner_face]), mesh.face_sizes[faces]
    if not len(sizes):
        return np.zeros((mesh.face_count, 3, 2))
    starts = np.cumsum(sizes) - sizes

    def centred(values: Floats) -> Floats:
        total = np.add.reduceat(values, starts, axis=0)
        out: Floats = values - np.repeat(total / sizes[:, None], sizes, axis=0)
        return out

    q, w = centred(points.take(mesh.corners[corners], axis=0)), centred(uv.take(corners, axis=0))
    a = np.add.reduceat(q[:, :, None] * q[:, None], starts, axis=0)
    b = np.add.reduceat(q[:, :, None] * w[:, None], starts, axis=0)
    found: Floats = np.linalg.pinv(a, rcond=1e-9, hermitian=True) @ b
    if faces is None or faces.all():
        return found
    out = np.zeros((mesh.face_count, 3, 2))
    out[faces] = found
    return out
