"""The planes of a mesh's faces."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh

#: A face lies in a plane when no corner is farther from it than this share of the face's extent.
_FLAT: Final = 1e-5


@dataclass(frozen=True, eq=False)
class Planes:
    """Of each face its unit normal (F,3), the distance (F) of its plane from the origin along it, metres, and whether
    it is flat (F). Normals along an axis are exact."""

    normal: Floats
    offset: Floats
    flat: Bools


@kept_with_mesh
def face_planes(mesh: PolyMesh) -> Planes:
    """The planes of all faces, through their first corners."""
    normal = unit(area_vectors(mesh))
    normal = unit(np.where(np.abs(normal) < 1e-13, 0.0, normal))
    first = mesh.positions[mesh.corners[mesh.face_starts[:-1]]]
    offset = dots(normal, first)
    flat = np.ones(mesh.face_count, np.bool_)
    if (mesh.face_sizes > 3).any():
        points = mesh.positions[mesh.corners]
        away = np.abs(dots(normal[mesh.corner_face], points) - offset[mesh.corner_face])
        reach = np.abs(points - first[mesh.corner_face]).max(axis=1)
        starts = mesh.face_starts[:-1]
        flat = np.maximum.reduceat(away, starts) <= _FLAT * np.maximum.reduceat(reach, starts)
    for array in (normal, offset, flat):
        array.flags.writeable = False
    return Planes(normal, offset, flat)


def planes_of_both(first: PolyMesh, second: PolyMesh, *, turned: bool) -> Planes:
    """The planes of the faces of two meshes one after the other, those of the second turned over where that is so."""
    a, b = face_planes(first), face_planes(second)
    sign = -1.0 if turned else 1.0
    return Planes(
        np.concatenate([a.normal, sign * b.normal]),
        np.concatenate([a.offset, sign * b.offset]),
        np.concatenate([a.flat, b.flat]),
    )
