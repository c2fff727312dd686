"""Repetition in lines, grids and rings: the motions that lead from the first item to each other one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.copies import check_items
from able_brick.core.place.pose import Poses, Quaternion, Vector, rotation


@dataclass(frozen=True, eq=False)
class Motions:
    """How n items stand as the first one sees them: shifts (n,3) metres and turns (n,4) about its own place, in its own
    axes. The first is no motion at all."""

    shifts: Floats
    turns: Floats

    def __len__(self) -> int:
        return len(self.shifts)

    def poses(self, position: Vector, turn: Quaternion, size: Vector) -> Poses:
        """Poses of items of which the first stands there; that one is exactly the given."""
        own = rotation(turn)
        positions = np.asarray(position) + own.apply(self.shifts)
        turns = np.array((own * Rotation.from_quat(self.turns)).as_quat())
        plain = (self.turns == (0.0, 0.0, 0.0, 1.0)).all(axis=1)
        turns[plain] = turn
        return Poses.of(positions, turns, np.asarray(size))


def _still(n: int) -> Floats:
    return np.tile([0.0, 0.0, 0.0, 1.0], (n, 1))


def grid(counts: Sequence[int], steps: Sequence[Sequence[float] | Floats]) -> Motions:
    """Items in one, two or three directions: counts in each, and the step (3,) from one to the next, metres. The first
    direction runs fastest. Raises GeometryError for absurd counts."""
    total = check_items(int(np.prod([int(c) for c in counts], dtype=object)), "The array")
    shifts = np.zeros((1, 3))
    for count, step in zip(counts, steps, strict=True):
        along = np.arange(count)[:, None] * np.asarray(step, np.float64)
        shifts = (along[:, None] + shifts[None]).reshape(-1, 3)
    return Motions(shifts, _still(total))


def ring(count: int, centre: Sequence[float] | Floats, axis: int, *, sweep: float, turned: bool) -> Motions:
    """Items on a circle about an axis (0 … 2) through a centre (3,) that the first one sees, metres.

    Item k is at k · sweep / n round a whole circle, at k · sweep / (n − 1) on a part of it; sweep in radians. Items
    turn with it, or only move. Raises GeometryError for absurd counts, and where all would stand on one spot.
    """
    check_items(count, "The ring")
    c = np.asarray(centre, np.float64)
    flat = np.delete(c, axis)
    if count > 1 and not turned and not float(np.linalg.norm(flat)) > 1e-9:
        raise GeometryError("The ring has no radius, so that all its items would stand on one spot; give one.")
    whole = abs(abs(sweep) - 2 * np.pi) < 1e-9
    parts = count if whole else max(count - 1, 1)
    angles = np.arange(count) * (sweep / parts)
    vectors = np.zeros((count, 3))
    vectors[:, axis] = angles
    turns = Rotation.from_rotvec(vectors)
    shifts = c - turns.apply(np.tile(c, (count, 1)))
    shifts[0] = 0.0
    quats = turns.as_quat(canonical=True)
    quats[0] = (0.0, 0.0, 0.0, 1.0)
    return Motions(shifts, quats if turned else _still(count))
