"""What comes of an operation on a mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Ints, PolyMesh
from able_brick.core.mesh.validity import degenerate_faces


@dataclass(frozen=True, eq=False)
class Edited:
    """A mesh after an operation; the old vertex (V) and the old face (F) of each of its own, −1 for those that are
    new; and the faces to be picked next."""

    mesh: PolyMesh
    vertex_from: Ints
    face_from: Ints
    faces: Ints


def refuse_flat(before: PolyMesh, out: Edited) -> Edited:
    """The edited mesh; GeometryError where a face has no area that had one, or is new."""
    flat = degenerate_faces(out.mesh)
    if flat.any():
        old = out.face_from
        was = np.zeros(len(flat), np.bool_)
        was[old >= 0] = degenerate_faces(before)[old[old >= 0]]
        bad = np.flatnonzero(flat & ~was)
        if len(bad):
            raise GeometryError(
                f"{len(bad)} {'face' if len(bad) == 1 else 'faces'} would have no area: an edge lies along the way, or "
                "what moves folds together. Choose another direction or number.",
                face=int(bad[0]),
            )
    return out
