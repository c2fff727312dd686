"""How near a player's eyes come to what stands in a level."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.polymesh import Floats

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats

#: How high the eyes of a player are over the ground, metres.
EYES: Final = 1.7
#: No nearer than this is anything looked at, metres.
NEAREST: Final = 0.5


def from_way(points: Floats, low: Floats, high: Floats) -> Floats:
    """(n) distances from the eyes on a way through points (m,3) to boxes from low to high (n,3), metres, at least
    `NEAREST`."""
    eyes = np.ascontiguousarray(points) + np.array([0.0, EYES, 0.0])
    out: Floats = np.maximum(_to_boxes(eyes, np.ascontiguousarray(low), np.ascontiguousarray(high)), NEAREST)
    return out


def from_anywhere(low: Floats, high: Floats) -> Floats:
    """(n) the same for a player who may stand anywhere on the ground, or on what stands there up to the eyes."""
    return np.maximum(np.maximum(low[:, 1] - EYES, -high[:, 1]), NEAREST)


@kernel
def _to_boxes(eyes: Floats, low: Floats, high: Floats) -> Floats:
    out = np.empty(len(low))
    for i in range(len(low)):
        best = np.inf
        for k in range(len(eyes)):
            square = 0.0
            for j in range(3):
                away = max(max(low[i, j] - eyes[k, j], eyes[k, j] - high[i, j]), 0.0)
                square += away * away
            best = min(best, square)
        out[i] = np.sqrt(best)
    return out
