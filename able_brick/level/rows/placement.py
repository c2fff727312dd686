"""A piece that stands in a level."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.dock import plain_all
from able_brick.core.place.pose import Poses
from able_brick.level.rows.base import MOST
from able_brick.level.rows.instances import Drawable, Instances, LevelContext
from able_brick.level.rows.standing import Standing


class Placement(Standing):
    """A piece standing in the level: turn as unit quaternion xyzw, size as factors."""

    kind: Literal["placement"] = "placement"
    words = "a placement"

    def shown(self, context: LevelContext) -> Instances | None:
        piece = context.piece(self.piece)
        if piece is None:
            return None
        return Instances.of(
            Drawable(piece), Poses.of(np.array([self.position]), np.array(self.turn), np.array(self.size))
        )


def shifted(rows: Sequence[Placement], shifts: Floats) -> list[Placement]:
    """Placements, each shifted by (N,3) without a turn. Raises GeometryError where a number is out of range."""
    if not rows:
        return []
    positions = np.array([r.position for r in rows]) + shifts
    places = plain_all(positions)
    if not (np.abs(positions) < MOST).all():
        return [row.changed(position=place) for row, place in zip(rows, places, strict=True)]
    return [row.at(place) for row, place in zip(rows, places, strict=True)]
