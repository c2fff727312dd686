"""Faces that are not flat."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.mesh.normals import area_vectors, crossed, dots, unit
from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh
from able_brick.core.mesh.triangulate import triangulate

#: A face whose parts meet at more than this angle, radians, is bent: engines cut it one way or the other.
BENT: Final = float(np.radians(1.0))


def bent_faces(mesh: PolyMesh) -> Ints:
    """Quads, rising, whose halves meet at an angle, cut either way; and faces of more corners with a triangle that
    looks another way than the whole."""
    bent = _quads(mesh) | _n_gons(mesh)
    return np.flatnonzero(bent).astype(np.int32)


def _quads(mesh: PolyMesh) -> Bools:
    out = np.zeros(mesh.face_count, np.bool_)
    quads = np.flatnonzero(mesh.face_sizes == 4)
    p = mesh.positions[mesh.corners[mesh.face_starts[quads][:, None] + np.arange(4)]]
    for a in (0, 1):
        b, c, d = (a + 1) % 4, (a + 2) % 4, (a + 3) % 4
        one = unit(crossed(p[:, b] - p[:, a], p[:, c] - p[:, a]))
        other = unit(crossed(p[:, c] - p[:, a], p[:, d] - p[:, a]))
        out[quads] |= dots(one, other) < np.cos(BENT)
    return out


def _n_gons(mesh: PolyMesh) -> Bools:
    out = np.zeros(mesh.face_count, np.bool_)
    if not (mesh.face_sizes > 4).any():
        return out
    corners, face = triangulate(mesh)
    at = np.flatnonzero(mesh.face_sizes[face] > 4)
    p = mesh.positions[mesh.corners[corners[at]]]
    across = crossed(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    size, whole = np.sqrt(dots(across, across)), area_vectors(mesh)[face[at]]
    total = np.sqrt(dots(whole, whole))
    # a triangle of next to no area has no direction that counts
    counts = size > 1e-6 * total
    out[face[at[counts & (dots(across, whole) < np.cos(BENT) * size * total)]]] = True
    return out
