"""Sums over faces and corners, compiled."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices


@kernel
def face_vectors(positions: Floats, starts: Indices, corners: Indices) -> Floats:
    """(F,3) half the sums of the cross products of each face's corners, measured from its first."""
    out = np.zeros((len(starts) - 1, 3))
    for f in range(len(starts) - 1):
        a, b = starts[f], starts[f + 1]
        o = corners[a]
        px = positions[corners[a + 1], 0] - positions[o, 0]
        py = positions[corners[a + 1], 1] - positions[o, 1]
        pz = positions[corners[a + 1], 2] - positions[o, 2]
        x = y = z = 0.0
        for c in range(a + 2, b):
            v = corners[c]
            qx = positions[v, 0] - positions[o, 0]
            qy = positions[v, 1] - positions[o, 1]
            qz = positions[v, 2] - positions[o, 2]
            x += py * qz - pz * qy
            y += pz * qx - px * qz
            z += px * qy - py * qx
            px, py, pz = qx, qy, qz
        out[f, 0], out[f, 1], out[f, 2] = 0.5 * x, 0.5 * y, 0.5 * z
    return out


@kernel
def units(vectors: Floats) -> Floats:
    """(N,3) scaled to length 1; zero vectors stay zero."""
    out = np.zeros_like(vectors)
    for i in range(len(vectors)):
        d = np.sqrt(vectors[i, 0] ** 2 + vectors[i, 1] ** 2 + vectors[i, 2] ** 2)
        if d > 0:
            for k in range(3):
                out[i, k] = vectors[i, k] / d
    return out


@kernel
def mark_sharp(
    normals: Floats, corner_face: Indices, corner_edge: Indices, twin: Indices, flags: Bools, limit: float, out: Bools
) -> None:
    """Clear `out` (E) where two faces meet along opposite ways with a cosine of at least `limit` and no flag (C)."""
    for c in range(len(twin)):
        t = twin[c]
        if t < 0:
            continue
        f, g = corner_face[c], corner_face[t]
        dot = normals[f, 0] * normals[g, 0] + normals[f, 1] * normals[g, 1] + normals[f, 2] * normals[g, 2]
        out[corner_edge[c]] = dot < limit
    for c in range(len(flags)):
        if flags[c]:
            out[corner_edge[c]] = True


@kernel
def angle_weighted(
    positions: Floats, starts: Indices, corners: Indices, face_normals: Floats, group: Indices, count: int
) -> Floats:
    """(G,3) sums of face normals weighted by the angle of each corner in its group."""
    out = np.zeros((count, 3))
    for f in range(len(starts) - 1):
        a, b = starts[f], starts[f + 1]
        v, w = corners[b - 1], corners[a]
        bx, by, bz = (
            positions[w, 0] - positions[v, 0],
            positions[w, 1] - positions[v, 1],
            positions[w, 2] - positions[v, 2],
        )
        d = np.sqrt(bx * bx + by * by + bz * bz)
        if d > 0:
            bx, by, bz = bx / d, by / d, bz / d
        for c in range(a, b):
            v = corners[c]
            w = corners[c + 1] if c + 1 < b else corners[a]
            x, y, z = (
                positions[w, 0] - positions[v, 0],
                positions[w, 1] - positions[v, 1],
                positions[w, 2] - positions[v, 2],
            )
            d = np.sqrt(x * x + y * y + z * z)
            if d > 0:
                x, y, z = x / d, y / d, z / d
            dot = -(x * bx + y * by + z * bz)
            angle = np.arccos(min(1.0, max(-1.0, dot)))
            g = group[c]
            for k in range(3):
                out[g, k] += face_normals[f, k] * angle
            bx, by, bz = x, y, z
    return out
