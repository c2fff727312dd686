"""The one triangulation: for screen, counts, export and reduction alike."""

from __future__ import annotations

import mapbox_earcut
import numpy as np

from able_brick.core.mesh.face_kernels import quad_diagonals
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Ints, PolyMesh


@kept_with_mesh
def triangulate(mesh: PolyMesh) -> tuple[Ints, Ints]:
    """Corners (T,3) of each triangle and its face (T); a face's n − 2 triangles are consecutive, in face order.

    Quads are cut along the diagonal whose two triangles both face the quad's way and bend least, then the
    shorter one. N-gons are cut by ear clipping in their Newell plane, concave ones included.
    """
    sizes = mesh.face_sizes
    first = mesh.face_starts[:-1].astype(np.int64)
    offsets = np.concatenate([[0], np.cumsum(sizes - 2)]).astype(np.int64)
    out = np.empty((mesh.triangle_count, 3), np.int32)
    three = np.flatnonzero(sizes == 3)
    out[offsets[three]] = first[three, None] + np.arange(3)
    four = np.flatnonzero(sizes == 4).astype(np.int32)
    if len(four):
        diagonal = quad_diagonals(mesh.positions, mesh.corners, first[four], area_vectors(mesh)[four])
        base = first[four]
        table = np.array([[[0, 1, 2], [0, 2, 3]], [[1, 2, 3], [1, 3, 0]]])
        cut = table[diagonal] + base[:, None, None]
        out[offsets[four]] = cut[:, 0]
        out[offsets[four] + 1] = cut[:, 1]
    for face in np.flatnonzero(sizes > 4):
        out[offsets[face] : offsets[face + 1]] = first[face] + _clip_ears(mesh, int(face))
    faces = np.repeat(np.arange(mesh.face_count, dtype=np.int32), sizes - 2)
    out.flags.writeable = False
    faces.flags.writeable = False
    return out, faces


def _clip_ears(mesh: PolyMesh, face: int) -> Ints:
    """(n−2,3) corners within the face."""
    a, b = mesh.face_starts[face], mesh.face_starts[face + 1]
    n = int(b - a)
    p = mesh.positions[mesh.corners[a:b]]
    normal = area_vectors(mesh)[face]
    drop = int(np.abs(normal).argmax())
    flat = p[:, ((1, 2), (2, 0), (0, 1))[drop]]
    if normal[drop] < 0:
        flat[:, 0] *= -1
    ears = np.array(mapbox_earcut.triangulate_float64(flat, np.array([n], np.uint32)), np.int32).reshape(-1, 3)
    if len(ears) != n - 2:  # a face that crosses itself: cut as a fan, so that counts stay true
        k = np.arange(1, n - 1, dtype=np.int32)
        return np.stack([np.zeros_like(k), k, k + 1], axis=1)
    q = flat[ears]
    e, g = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
    turned = e[:, 0] * g[:, 1] - e[:, 1] * g[:, 0]
    if turned.sum() < 0:
        ears = ears[:, [0, 2, 1]]
    return ears.astype(np.int32)


def triangulated(mesh: PolyMesh) -> PolyMesh:
    """The mesh with every face cut into the triangles that the engine gets; uv, facets and sharp edges stay."""
    tris, face = triangulate(mesh)
    corner = tris.astype(np.int64)
    sharp = mesh.sharp[corner] & (mesh.next_corner[corner] == np.roll(corner, -1, axis=1))
    return mesh.with_corners(
        corner.ravel(),
        face_starts=np.arange(len(tris) + 1) * 3,
        material=mesh.material[face],
        facet=mesh.facet[face],
        sharp=sharp.ravel(),
    )
