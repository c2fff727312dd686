"""Turn placements and arrays about a pivot."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.place.pose import quaternion, rotation, vector
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.about import centre_of
from able_brick.steps.draft import Draft, standing
from able_brick.steps.tool import Need, Stage, Tool

_AXES = {"x": np.array([1.0, 0, 0]), "y": np.array([0, 1.0, 0]), "z": np.array([0, 0, 1.0])}


class Turn(Tool):
    """Turn by an angle about an axis through a pivot."""

    tool: Literal["turn"] = "turn"
    title: ClassVar[str] = "Turn"
    about: ClassVar[str] = "Turns the selection by an exact angle"
    verb: ClassVar[Literal["Place"]] = "Place"
    stages: ClassVar[tuple[Stage, ...]] = ("build",)
    need: ClassVar[Need] = Need(kinds=("placement", "array"), least=1)
    icon: ClassVar[str] = "rotate-cw"

    angle: float = field(
        90.0, "Angle", "Counter-clockwise seen from the axis's end", unit="°", step=15, ge=-36_000, le=36_000
    )
    axis: Literal["x", "y", "z"] = field("y", "Axis", "The axis to turn about")
    axes: Literal["world", "piece"] = field("world", "Axes", "The world's axes, or each thing's own")
    about_what: Literal["own pivot", "middle", "picked", "point"] = field(
        "own pivot",
        "About",
        "Each its own pivot, the middle of all pivots, a feature picked in the view, or a typed point",
    )
    picked: FeatureAt | None = field(
        None, "Picked", "The vertex, edge or face to turn about", widget="feature at", when={"about_what": ["picked"]}
    )
    point: Vector = field(
        (0.0, 0.0, 0.0),
        "Point",
        "The point to turn about",
        unit="m",
        widget="position",
        when={"about_what": ["point"]},
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = standing(rows)
        centre = np.asarray(centre_of(draft, things, self.about_what, self.point, self.picked))
        for thing in things:
            own = rotation(thing.turn)
            axis = own.apply(_AXES[self.axis]) if self.axes == "piece" else _AXES[self.axis]
            by = Rotation.from_rotvec(np.radians(self.angle) * axis)
            position = thing.position
            if self.about_what != "own pivot":
                position = vector(centre + by.apply(np.asarray(thing.position) - centre))
            draft.put(thing.changed(position=position, turn=quaternion(by * own)))
