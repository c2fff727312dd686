"""How texture coordinates change over faces."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh


def uv_gradients(mesh: PolyMesh, points: Floats, uv: Floats, faces: Bools | None = None) -> Floats:
    """(F,3,2) by how much uv (C,2) change for every metre along each axis of points (V,3): one answer for each face, by
    least squares; 0 in the direction that a face does not reach along, and for others than `faces` (F)."""
    p = points[mesh.corners]
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
    out = np.zeros((n, 3, 2))
    chosen = np.ones(n, np.bool_) if faces is None else faces
    out[chosen] = np.linalg.pinv(a[chosen], rcond=1e-9, hermitian=True) @ b[chosen]
    return out
