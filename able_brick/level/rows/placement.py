"""A piece that stands in a level."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from able_brick.core.place.pose import Poses
from able_brick.level.rows.shown import Around, Look, Shown
from able_brick.level.rows.standing import Standing


class Placement(Standing):
    """A piece standing in the level: turn as unit quaternion xyzw, size as factors."""

    kind: Literal["placement"] = "placement"
    words: ClassVar[str] = "a placement"

    def shown(self, around: Around) -> Shown | None:
        piece = around.piece(self.piece)
        if piece is None:
            return None
        return Shown.of(Look(piece), Poses.of(np.array([self.position]), np.array(self.turn), np.array(self.size)))
