"""Carry things along: everything that stands in the level follows a motion."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.dock import Motion
from able_brick.level.rows import AThing, Placement, shifted
from able_brick.steps.draft import Draft


def carry(draft: Draft, top: AThing, motion: Motion) -> None:
    """Carry a thing and everything in it."""
    for thing in draft.things.under(top):
        draft.put(thing.moved(motion))


def carry_by(draft: Draft, tops: Sequence[AThing], shifts: Floats) -> None:
    """Carry things, each with everything in it by its own shift (N,3), or all by one (3,)."""
    shifts = np.broadcast_to(shifts, (len(tops), 3))
    single = [k for k, top in enumerate(tops) if isinstance(top, Placement)]
    moved = iter(shifted([row for row in tops if isinstance(row, Placement)], shifts[single]))
    still = Rotation.identity()
    for top, shift in zip(tops, shifts, strict=True):
        if isinstance(top, Placement):
            draft.put(next(moved))
        else:
            carry(draft, top, Motion(still, np.zeros(3), shift))
