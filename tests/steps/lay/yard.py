"""What the tests of laying share."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st

from able_brick.core.place.items import item_to_world
from able_brick.level.evaluate import items_of
from tests.steps.test_steps import Sheet

CORNERED = [{"position": p} for p in ((0, 0, 0), (20, 0, 0), (20, 0, 20))]
SMOOTH = [{"position": p} for p in ((0, 0, 0), (14, 0, 6), (30, 0, -4))]
number = st.floats(-20, 20)
vec = st.tuples(number, number, number)


def placements(sheet: Sheet) -> int:
    return sheet.summary().placements


def points_of(sheet: Sheet, thing: str) -> np.ndarray:
    """World vertices (n,3) of all items of a thing."""
    shown = items_of(sheet.snapshot, sheet.row(thing))
    assert shown is not None
    found = [f for f in (shown.item(k) for k in range(shown.count)) if f is not None]
    load = sheet.meshes.__getitem__
    return np.concatenate([item_to_world(lk.mesh(load).positions, p, lk.pivot, lk.axes) for lk, p in found])


def places_of(sheet: Sheet) -> list[np.ndarray]:
    sheet.summary()
    found = [items_of(sheet.snapshot, t) for t in sheet.snapshot.of("level-1").values() if t.pieces]
    return [b.poses.rows() for s in found if s is not None for b in s.batches]
