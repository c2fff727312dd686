"""A piece that stands in a level."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from able_brick.core.place.pose import Poses
from able_brick.level.rows.path import Path
from able_brick.level.rows.piece import Piece
from able_brick.level.rows.standing import Standing


class Placement(Standing):
    """A piece standing in the level: turn as unit quaternion xyzw, size as factors."""

    kind: Literal["placement"] = "placement"
    words: ClassVar[str] = "a placement"

    def poses(self, piece: Piece | None, path: Path | None) -> Poses | None:
        if piece is None:
            return None
        return Poses.of(np.array([self.position]), np.array(self.turn), np.array(self.size))
