"""Size things by factors."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import SelectionError
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Quaternion, Scaling, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.about import (
    STANDING,
    About,
    AxesOf,
    about_field,
    axes_field,
    axes_of,
    centre_of,
    frame_field,
    picked_field,
    point_field,
)
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops


class Size(Tool):
    """Larger or smaller, by one factor or one for each axis."""

    tool: Literal["size"] = "size"
    title = "Size"
    about = "Makes the selection larger or smaller by exact factors, about a point"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    key = "Z"
    icon = "scaling"

    factors: Vector = field((1.0, 1.0, 1.0), "Factors", "Along X, Y and Z; 1 leaves it", step=0.1)
    axes: AxesOf = axes_field("piece")
    frame: Quaternion = frame_field()
    about_what: About = about_field()
    picked: FeatureAt | None = picked_field("that stays")
    point: Vector = point_field("that stays")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        if min(self.factors) < 1e-4:
            raise SelectionError(
                f"A factor of {min(self.factors):g} would flatten or turn over what is selected; give factors above 0.",
                field="factors",
            )
        things = tops(draft, rows)
        centre = centre_of(draft, things, self.about_what, self.point, self.picked)
        for top in things:
            axes = axes_of(draft, self.axes, top, things[0], self.frame)
            about = top.anchor if self.about_what == "own pivot" else centre
            scaling = Scaling(np.asarray(self.factors), axes, np.asarray(about))
            for thing in draft.things.under(top):
                draft.put(thing.sized(scaling))
