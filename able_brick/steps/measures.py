"""Keep a measured distance in sight."""

from __future__ import annotations

import math
from typing import Literal

from able_brick.core.errors import InputError
from able_brick.level.field import field
from able_brick.level.rows import Measure, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Tool


class KeepMeasure(Tool):
    """A distance between two points, drawn with its length until it is deleted."""

    tool: Literal["keep_measure"] = "keep_measure"
    title = "Measure"
    about = "Distances and angles between picked features, kept in sight if wanted; room for a player"
    verb = "Keep"
    stages = ("build",)
    key = "M"
    icon = "ruler-dimension-line"

    start: Vector = field((0.0, 0.0, 0.0), "From", "One end", unit="m", widget="position")
    end: Vector = field((1.0, 0.0, 0.0), "To", "The other end", unit="m", widget="position")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        length = math.dist(self.start, self.end)
        if length < 1e-9:
            raise InputError("The two ends are one point; pick another.", field="end")
        measure = Measure(
            id=draft.new_id("measure"),
            level=draft.level_id,
            name=draft.unique_name("Measure", "measure"),
            start=self.start,
            end=self.end,
        )
        draft.put(measure)
        draft.select = (measure.id,)
        draft.note = f"{length:.3f} m"
