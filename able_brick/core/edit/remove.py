"""Taking faces away, and turning them over."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import assemble
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.regions import Region
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Indices, PolyMesh


def delete(mesh: PolyMesh, faces: Indices) -> Edited:
    """The mesh without faces, and without the vertices that only they had. Raises GeometryError where none is left."""
    region = Region.of(mesh, faces)
    if region.faces.all():
        raise GeometryError("No face would be left; delete the piece instead.")
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    return assemble(mesh, positions=mesh.positions, vertex_from=every, keep=~region.faces, corners=mesh.corners)


def flip(mesh: PolyMesh, faces: Indices) -> Edited:
    """The mesh with faces looking the other way."""
    region = Region.of(mesh, faces)
    order, sharp = np.arange(len(mesh.corners)), mesh.sharp.copy()
    for face in np.flatnonzero(region.faces):
        a, b = mesh.face_starts[face], mesh.face_starts[face + 1]
        order[a:b] = order[a:b][::-1]
        # the edge from a corner on is, the other way round, the one from the corner before
        sharp[a:b] = np.roll(mesh.sharp[a:b][::-1], -1)
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    chosen = np.flatnonzero(region.faces).astype(np.int32)
    return Edited(mesh.with_corners(order, sharp=sharp), every, np.arange(mesh.face_count, dtype=np.int32), chosen)
