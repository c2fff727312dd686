"""Moving, turning and sizing vertices."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh


def vertices_of(mesh: PolyMesh, faces: Ints) -> Bools:
    """(V) the vertices of faces."""
    picked = np.zeros(mesh.face_count, np.bool_)
    picked[faces] = True
    out = np.zeros(mesh.vertex_count, np.bool_)
    out[mesh.corners[picked[mesh.corner_face]]] = True
    return out


def carry(mesh: PolyMesh, faces: Ints, matrix: Floats, shift: Floats, about: Floats) -> Edited:
    """Put the vertices of faces elsewhere: about + matrix (3,3) · (p − about) + shift, metres; all others stay bit for
    bit. Raises GeometryError where that is no place."""
    chosen = vertices_of(mesh, faces)
    positions = mesh.positions.copy()
    positions[chosen] = about + (positions[chosen] - about) @ np.asarray(matrix).T + shift
    if not np.isfinite(positions).all() or float(np.abs(positions).max(initial=0.0)) > 1e6:
        raise GeometryError("That would put vertices farther than 1 000 km away; give less.")
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    return Edited(mesh.replaced(positions=positions), every, np.arange(mesh.face_count, dtype=np.int32), np.sort(faces))
