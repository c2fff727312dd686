"""Faces copied within their mesh."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, like_corners
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import marked
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh


def copy_faces(mesh: PolyMesh, faces: Indices, shift: Floats) -> Edited:
    """Copy faces to beside them, by a shift (3,), as a part of their own; the copies are picked next."""
    picked = marked(mesh, "face", faces)
    own = np.flatnonzero(picked)
    c = np.flatnonzero(picked[mesh.corner_face])
    vertices, at = np.unique(mesh.corners[c], return_inverse=True)
    added = Faces(
        mesh.face_sizes[own],
        (mesh.vertex_count + at.ravel()).astype(np.int32),
        like_corners(mesh, c),
        own.astype(np.int32),
        mesh.sharp[c],
    )
    return assemble(
        mesh,
        positions=np.concatenate([mesh.positions, mesh.positions[vertices] + shift]),
        added=added,
        next_=Next(added=np.ones(len(own), np.bool_)),
    )
