"""The point about which a selection is turned or spread."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from able_brick.core.errors import InputError
from able_brick.core.place.pose import vector
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import LineArray, Placement, Vector
from able_brick.steps.draft import Draft


def centre_of(
    draft: Draft, things: Sequence[Placement | LineArray], about: str, point: Vector, picked: FeatureAt | None
) -> Vector:
    """The middle of the things' pivots, the pivot of the first, a picked feature, or a typed point, metres.

    Raises InputError when the feature is still to be picked.
    """
    match about:
        case "middle":
            return vector(np.mean([t.position for t in things], axis=0))
        case "first":
            return things[0].position
        case "picked":
            if picked is None:
                raise InputError("Nothing is picked yet: click a vertex, edge or face in the view.", field="picked")
            return vector(spot_of(draft.snapshot, draft.level_id, draft.load, picked).point)
        case _:
            return point
