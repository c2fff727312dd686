"""Points of a piece that meet points of the world in these very numbers."""

from __future__ import annotations

from itertools import product

import numpy as np

from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pose import IDENTITY, Quaternion, Vector, rotation, to_world

#: So many neighbours in the last place are tried on either side.
_TRIES = 3


def meeting(
    world: Floats, position: Vector, turn: Quaternion, size: Vector, pivot: Vector, axes: Quaternion = IDENTITY
) -> Floats:
    """The place (3,) in a mesh that stands at a place of the world (3,) where a placement shows it, exactly where there
    is one; else within a unit in the last place or so."""
    goal = np.asarray(world, np.float64)
    local = rotation(turn).inv().apply(goal - np.asarray(position)) / np.asarray(size)
    best: Floats = rotation(axes).apply(local) + np.asarray(pivot)

    def off(points: Floats) -> Floats:
        out: Floats = np.abs(to_world(points, position, turn, size, pivot, axes) - goal).max(axis=1)
        return out

    unit = np.maximum(np.spacing(np.abs(best)), np.spacing(np.abs(goal)))
    steps = np.array(list(product(range(-_TRIES, _TRIES + 1), repeat=3)), np.float64)
    for _ in range(3):
        candidates = best + steps * unit
        found = off(candidates)
        best = candidates[int(np.argmin(found))]
        if not found.min() > 0:
            break
        unit = unit / 2
    return best
