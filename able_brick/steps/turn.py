"""Turn things about a pivot."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.lazy_imports import Rotation
from able_brick.core.place.dock import Motion
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Quaternion, Vector
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
from able_brick.steps.carry import carry
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops

_AXES = {"x": np.array([1.0, 0, 0]), "y": np.array([0, 1.0, 0]), "z": np.array([0, 0, 1.0])}


class Turn(Tool):
    """Turn by an angle about an axis through a pivot."""

    tool: Literal["turn"] = "turn"
    title = "Turn"
    about = "Turns the selection by an exact angle"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    icon = "rotate-cw"

    angle: float = field(
        90.0, "Angle", "Counter-clockwise seen from the axis's end", unit="°", step=15, ge=-36_000, le=36_000
    )
    axis: Literal["x", "y", "z"] = field("y", "Axis", "The axis to turn about")
    axes: AxesOf = axes_field()
    frame: Quaternion = frame_field()
    about_what: About = about_field()
    picked: FeatureAt | None = picked_field("to turn about")
    point: Vector = point_field("to turn about")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        centre = centre_of(draft, things, self.about_what, self.point, self.picked)
        for thing in things:
            axis = axes_of(draft, self.axes, thing, things[0], self.frame).apply(_AXES[self.axis])
            by = Rotation.from_rotvec(np.radians(self.angle) * axis)
            about = thing.anchor if self.about_what == "own pivot" else centre
            carry(draft, thing, Motion(by, np.asarray(about), np.zeros(3)))
