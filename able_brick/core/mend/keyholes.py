"""Faces that run to a hole and back along one way."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, like_corners
from able_brick.core.edit.edited import Edited
from able_brick.core.errors import GeometryError
from able_brick.core.files.keyholes import cut_keyhole
from able_brick.core.mend.places import places
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh


def keyhole_faces(mesh: PolyMesh) -> Ints:
    """Faces, rising, that come back to a place that they have been to, other than from the corner before."""
    place = places(mesh)[mesh.corners].astype(np.int64)
    fresh = place != place[mesh.next_corner]
    key = np.sort((mesh.corner_face.astype(np.int64) * max(1, mesh.vertex_count) + place)[fresh])
    return np.unique(key[1:][key[1:] == key[:-1]] // max(1, mesh.vertex_count)).astype(np.int32)


def cut_keyholes(mesh: PolyMesh, faces: Indices) -> Edited:
    """Cut such faces into ones that go to each place once; these are picked next. Raises GeometryError where none of
    them has an area."""
    place = places(mesh)
    keep = np.ones(mesh.face_count, np.bool_)
    corners: list[Ints] = []
    sharp: list[np.ndarray] = []
    sizes: list[int] = []
    like: list[int] = []
    for face in faces.tolist():
        c = np.arange(mesh.face_starts[face], mesh.face_starts[face + 1])
        c = c[place[mesh.corners[c]] != place[mesh.corners[mesh.next_corner[c]]]]
        loops = cut_keyhole(mesh.positions[mesh.corners[c]], place[mesh.corners[c]].astype(np.int64))
        if not loops:
            continue
        keep[face] = False
        for loop in loops:
            corners.append(c[loop])
            sharp.append(mesh.sharp[c[loop]] & ((np.roll(loop, -1) - loop) % len(c) == 1))
            sizes.append(len(loop))
            like.append(face)
    if not like:
        raise GeometryError("They have no area; delete them.")
    at = np.concatenate(corners)
    added = Faces(
        np.array(sizes, np.int32), mesh.corners[at], like_corners(mesh, at), np.array(like), np.concatenate(sharp)
    )
    next_ = Next(added=np.ones(len(like), np.bool_))
    return assemble(mesh, positions=mesh.positions, keep=keep, added=added, next_=next_, normals=True)
