"""A whole mesh divided and put on a smoother surface."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.errors import GeometryError
from able_brick.core.finish.smooth import smoothed
from able_brick.core.mesh.polymesh import PolyMesh


def smooth(mesh: PolyMesh, levels: int, *, crease_angle: float | None = None) -> Edited:
    """Smooth subdivision, as `smoothed` does it; the old vertices keep their numbers. Raises GeometryError for no
    level, and where there would be too many faces."""
    if levels < 1:
        raise GeometryError("Give at least 1 level.", received=levels)
    made = smoothed(mesh, levels, crease_angle=crease_angle)
    vertex_from = np.full(made.vertex_count, -1, np.int32)
    vertex_from[: mesh.vertex_count] = np.arange(mesh.vertex_count)
    out = Edited(made, vertex_from, np.full(made.face_count, -1, np.int32), np.zeros(0, np.int32))
    return refuse_flat(mesh, out)
