"""Places on a flat face: those of the grid that lie on it."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pivots import up_along
from able_brick.core.place.pose import rotation

#: A face whose corners leave their plane by more than this share of its size is not flat.
_FLAT: Final = 1e-6
#: A place within so many metres of the border is on the face.
_BORDER: Final = 1e-9
#: The grid is made finer by halves, so often at most, until one of its places lies on the face.
_HALVES: Final = 4


def face_place(loop: Floats, normal: Floats, target: Floats, unit: float) -> Floats | None:
    """The place (3,) on a flat face that is meant by a point (3,) on it.

    `loop` (n,3), its unit `normal` (3,) and the points are in the world, metres. The place is that of the face's grid
    nearest to the target: on a face along the axes the world's own, on others one that is level and begins where the
    plane is nearest to the origin; `unit` is its step, made finer where the face is too narrow for it, 0 for the target
    itself. None where the face is not flat, or has no such place.
    """
    frame: Floats = rotation(up_along(normal)).as_matrix()
    flat = loop @ frame
    height = float(flat[:, 1].mean())
    size = float(np.ptp(loop, axis=0).max())
    if not size > 0 or float(np.abs(flat[:, 1] - height).max()) > _FLAT * size:
        return None
    outline, wanted = flat[:, [0, 2]], (target @ frame)[[0, 2]]
    steps = [0.0] if unit == 0 else [unit / 2**k for k in range(_HALVES)]
    for step in steps:
        spot = np.round(wanted / step) * step if step else wanted
        if _on(outline, spot):
            out: Floats = frame @ np.array([spot[0], height, spot[1]])
            return out
    return None


def _on(outline: Floats, spot: Floats) -> bool:
    """Whether a spot (2,) lies within an outline (n,2) or on its border: an odd number of its sides is to the right."""
    a, b = outline, np.roll(outline, -1, axis=0)
    way = b - a
    along = np.clip(((spot - a) * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), 1e-300), 0, 1)
    if float(np.linalg.norm(a + along[:, None] * way - spot, axis=1).min()) <= _BORDER:
        return True
    crossed = (a[:, 1] > spot[1]) != (b[:, 1] > spot[1])
    rise = np.where(crossed, way[:, 1], 1.0)
    at = a[:, 0] + (spot[1] - a[:, 1]) / rise * way[:, 0]
    return bool((crossed & (at > spot[0])).sum() % 2)
