"""One operation after another."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.mesh.polymesh import Indices, PolyMesh


def unchanged(mesh: PolyMesh) -> Edited:
    """A mesh to which nothing has been done."""
    nothing = np.zeros(0, np.int32)
    return Edited(
        mesh, np.arange(mesh.vertex_count, dtype=np.int32), np.arange(mesh.face_count, dtype=np.int32), nothing
    )


def composed(first: Edited, then: Edited) -> Edited:
    """What comes of an operation on the result of another, as of one."""
    return replace(
        then,
        vertex_from=_through(first.vertex_from, then.vertex_from),
        face_from=_through(first.face_from, then.face_from),
    )


def _through(first: Indices, then: Indices) -> Indices:
    out: Indices = np.where(then >= 0, first[np.maximum(then, 0)], -1).astype(np.int32)
    return out
