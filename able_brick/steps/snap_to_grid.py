"""Put pivots on grid points."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.place.copies import on_grid
from able_brick.level.field import field
from able_brick.level.snapshot import ARow
from able_brick.steps.about import STANDING
from able_brick.steps.carry import carry_by
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops


class SnapToGrid(Tool):
    """Move each thing so that its pivot lies on the nearest grid point."""

    tool: Literal["snap_to_grid"] = "snap_to_grid"
    title = "Snap to grid"
    about = "Puts each pivot on the nearest grid point"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    icon = "grid-3x3"
    instant = True

    step: float | None = field(None, "Step", "Grid step; empty for the level's own", unit="m", step=0.25, gt=0, le=1000)
    x: bool = field(True, "Along X", "Snap this coordinate")
    y: bool = field(True, "Along Y", "Snap this coordinate")
    z: bool = field(True, "Along Z", "Snap this coordinate")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        step = self.step or draft.level.step
        things = tops(draft, rows)
        places = np.array([on_grid(t.anchor, step, axes=(self.x, self.y, self.z)) for t in things])
        carry_by(draft, things, places - [t.anchor for t in things])
        draft.note = f"On the {step:g} m grid"
