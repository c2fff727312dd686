"""Taking faces away, and turning them over."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import assemble
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.fans import before
from able_brick.core.edit.regions import Region
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Indices, PolyMesh


def delete(mesh: PolyMesh, faces: Indices) -> Edited:
    """The mesh without faces, and without the vertices that only they had. Raises GeometryError where none is left."""
    region = Region.of(mesh, faces)
    if region.faces.all():
        raise GeometryError("No face would be left; delete the piece instead.")
    return assemble(mesh, positions=mesh.positions, keep=~region.faces, corners=mesh.corners)


def flip(mesh: PolyMesh, faces: Indices) -> Edited:
    """The mesh with faces looking the other way."""
    region = Region.of(mesh, faces)
    order, sharp = np.arange(len(mesh.corners)), mesh.sharp.copy()
    c = np.flatnonzero(region.inside)
    face = mesh.corner_face[c]
    order[c] = mesh.face_starts[face] + mesh.face_starts[face + 1] - 1 - c
    # the edge from a corner on is, the other way round, the one to the corner that is there then
    sharp[c] = mesh.sharp[before(mesh)[order[c]]]
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    chosen = np.flatnonzero(region.faces).astype(np.int32)
    return Edited(mesh.with_corners(order, sharp=sharp), every, np.arange(mesh.face_count, dtype=np.int32), chosen)
