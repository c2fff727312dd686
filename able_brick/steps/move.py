"""Move things by a distance."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.level.field import field
from able_brick.level.rows import Quaternion, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.about import STANDING, AxesOf, axes_field, axes_of, frame_field
from able_brick.steps.carry import carry_by
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops


class Move(Tool):
    """Shift by a vector, in world axes, each thing's own, or others."""

    tool: Literal["move"] = "move"
    title = "Move"
    about = "Moves the selection by exact distances"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    icon = "move"

    by: Vector = field((0.0, 0.0, 0.0), "By", "Distance along X, Y and Z", unit="m", step=0.1)
    axes: AxesOf = axes_field()
    frame: Quaternion = frame_field()

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        by = np.asarray(self.by)
        things = tops(draft, rows)
        if self.axes != "world":
            by = np.array([axes_of(draft, self.axes, t, things[0], self.frame).apply(by) for t in things])
        carry_by(draft, things, by)
