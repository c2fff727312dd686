"""Making a polygon mesh from the triangles that files hold."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import degenerate_faces


def same_rows(rows: npt.NDArray[np.floating]) -> npt.NDArray[np.int64]:
    """(N) for each row (N,3) the number of its value, equal for exactly equal rows; −0 equals 0."""
    clean = np.ascontiguousarray(rows + 0.0)
    order = np.lexsort(clean.T[::-1])
    step = np.ones(len(rows), np.bool_)
    step[1:] = (clean[order][1:] != clean[order][:-1]).any(axis=1)
    out = np.empty(len(rows), np.int64)
    out[order] = np.cumsum(step) - 1
    return out


def from_triangles(
    position: Floats,
    triangles: npt.NDArray[np.integer],
    *,
    material: npt.NDArray[np.integer],
    normal: Floats | None = None,
    uv: Floats | None = None,
    colour: Floats | None = None,
) -> tuple[PolyMesh, list[str]]:
    """A welded mesh from file vertices (N,…) and triangles (T,3); and notes of what was dropped.

    Exactly coincident positions become one vertex, in their first order; faces without area and unused vertices go.
    With normals, edges where they differ are marked sharp and nothing else is; without, the usual angle counts.
    """
    notes: list[str] = []
    value = same_rows(position)
    first = np.full(int(value.max(initial=-1)) + 1, len(value), np.int64)
    np.minimum.at(first, value, np.arange(len(value)))
    rank = np.empty(len(first), np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(len(first))
    vertex = rank[value]
    points = position[np.sort(first)]
    tris = vertex[triangles]
    sound = (tris[:, 0] != tris[:, 1]) & (tris[:, 1] != tris[:, 2]) & (tris[:, 0] != tris[:, 2])
    if sound.any():
        trial = PolyMesh.trusted(points, np.arange(int(sound.sum()) + 1) * 3, tris[sound].ravel())
        sound[sound] = ~degenerate_faces(trial)
    if not sound.all():
        notes.append(f"{int((~sound).sum())} faces without area were dropped.")
    triangles, tris, material = triangles[sound], tris[sound], material[sound]
    used = np.zeros(len(points), np.bool_)
    used[tris] = True
    if not used.all():
        notes.append(f"{int((~used).sum())} unused vertices were dropped.")
    renumber = np.cumsum(used) - 1
    corner = triangles.ravel()
    mesh = PolyMesh.trusted(points[used], np.arange(len(tris) + 1) * 3, renumber[tris].ravel())
    sharp = np.zeros(len(corner), np.bool_)
    if normal is not None and len(corner):
        t = topology(mesh)
        c = np.flatnonzero(t.twin >= 0)
        across = t.twin[c]

        def differ(a: npt.NDArray[np.integer], b: npt.NDArray[np.integer]) -> npt.NDArray[np.bool_]:
            out: npt.NDArray[np.bool_] = (np.abs(normal[corner[a]] - normal[corner[b]]) > 1e-3).any(axis=1)
            return out

        sharp[c] = differ(c, mesh.next_corner[across]) | differ(mesh.next_corner[c], across)
    return (
        PolyMesh.checked(
            mesh.positions,
            mesh.face_sizes,
            mesh.corners,
            material=material,
            sharp=sharp,
            uv=None if uv is None else uv[corner],
            colour=None if colour is None else colour[corner],
            **({} if normal is None else {"smooth_angle": np.pi}),
        ),
        notes,
    )
