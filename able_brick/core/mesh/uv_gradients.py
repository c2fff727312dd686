"""How texture coordinates change over faces."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh


def uv_gradients(mesh: PolyMesh, points: Floats, uv: Floats, faces: Bools | None = None) -> Floats:
    """(F,3,2) by how much uv (C,2) change for every metre along each axis of points (V,3): one answer for each face, by
    least squares; 0 in the direction that a face does not reach along, and for others than `faces` (F)."""
    if faces is None or faces.all():
        corners, face, sizes = np.arange(len(mesh.corners)), mesh.corner_face, mesh.face_sizes
    else:
        # few of many: only their corners are gone through
        corners = np.flatnonzero(faces[mesh.corner_face])
        number = np.cumsum(faces) - 1
        face, sizes = number[mesh.corner_face[corners]].astype(np.int32), mesh.face_sizes[faces]
    n = len(sizes)
    p = points[mesh.corners[corners]]

    def centred(values: Floats) -> Floats:
        total = np.stack([np.bincount(face, values[:, k], n) for k in range(values.shape[1])], axis=1)
        out: Floats = values - (total / sizes[:, None])[face]
        return out

    q, w = centred(p), centred(uv[corners])
    a = np.empty((n, 3, 3))
    for i in range(3):
        for j in range(3):
            a[:, i, j] = np.bincount(face, q[:, i] * q[:, j], n)
    b = np.stack(
        [np.stack([np.bincount(face, q[:, i] * w[:, k], n) for i in range(3)], axis=1) for k in (0, 1)], axis=2
    )
    found: Floats = np.linalg.pinv(a, rcond=1e-9, hermitian=True) @ b
    if faces is None or faces.all():
        return found
    out = np.zeros((mesh.face_count, 3, 2))
    out[faces] = found
    return out
