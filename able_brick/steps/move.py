"""Move placements, arrays and paths by a distance."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from able_brick.core.place.pose import rotation, vector
from able_brick.level.field import field
from able_brick.level.rows import LineArray, Path, Placement, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Stage, Tool


class Move(Tool):
    """Shift by a vector, in world axes or in each thing's own."""

    tool: Literal["move"] = "move"
    title: ClassVar[str] = "Move"
    about: ClassVar[str] = "Shifts the selection by exact distances"
    verb: ClassVar[Literal["Place"]] = "Place"
    stages: ClassVar[tuple[Stage, ...]] = ("build",)
    need: ClassVar[Need] = Need(kinds=("placement", "array", "path"), least=1)
    icon: ClassVar[str] = "move"

    by: Vector = field((0.0, 0.0, 0.0), "By", "Distance along X, Y and Z", unit="m", step=0.1)
    axes: Literal["world", "piece"] = field("world", "Axes", "The world's axes, or each thing's own")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        by = np.asarray(self.by)
        for row in rows:
            if isinstance(row, Path):
                points = tuple(p.model_copy(update={"position": vector(by + p.position)}) for p in row.points)
                draft.put(row.changed(points=points))
            elif isinstance(row, (Placement, LineArray)):
                d = rotation(row.turn).apply(by) if self.axes == "piece" else by
                draft.put(row.changed(position=vector(d + row.position)))
