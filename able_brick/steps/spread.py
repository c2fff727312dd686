"""Spread: change only the distances between things."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.place.sizes import spread
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.about import centre_of, picked_field, point_field
from able_brick.steps.carry import carry_by
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops


class Spread(Tool):
    """Distances from a pivot times an exact factor; turns and sizes stay."""

    tool: Literal["spread"] = "spread"
    title = "Spread"
    about = "Changes only the distances between things, by an exact factor; their sizes stay"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=("placement", "array", "group"), least=1)
    icon = "unfold-horizontal"

    by: Literal["all", "axes"] = field("all", "By", "One factor, or one for each of the world's axes")
    factor: float = field(
        1.0, "Factor", "Distances become this many times as long", step=0.1, ge=-1000, le=1000, when={"by": ["all"]}
    )
    factors: Vector = field((1.0, 1.0, 1.0), "Factors", "Along X, Y and Z", step=0.1, when={"by": ["axes"]})
    about_what: Literal["middle", "first", "picked", "point"] = field(
        "middle",
        "About",
        "The middle of all pivots, the pivot of what was selected first, a picked feature, or a typed point",
    )
    picked: FeatureAt | None = picked_field("that stays")
    point: Vector = point_field("that stays")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        centre = centre_of(draft, things, self.about_what, self.point, self.picked)
        factors = (self.factor,) * 3 if self.by == "all" else self.factors
        shifts = np.array([np.subtract(spread(t.anchor, centre, factors), t.anchor) for t in things])
        carry_by(draft, things, shifts)
        draft.note = f"moved by up to {np.linalg.norm(shifts, axis=1).max():.3f} m"
