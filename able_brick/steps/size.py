"""Size things by factors."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.errors import SelectionError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.dock import plain
from able_brick.core.place.pivots import permutation
from able_brick.core.place.pose import rotation, vector
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Course, Group, LineArray, Measure, Path, Point, Quaternion, Vector
from able_brick.level.snapshot import ARow, AThing
from able_brick.steps.about import (
    STANDING,
    About,
    AxesOf,
    about_field,
    anchor,
    axes_field,
    axes_of,
    centre_of,
    frame_field,
    picked_field,
    point_field,
)
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Stage, Tool
from able_brick.steps.tree import tops


class Size(Tool):
    """Larger or smaller, by one factor or one for each axis."""

    tool: Literal["size"] = "size"
    title: ClassVar[str] = "Size"
    about: ClassVar[str] = "Makes the selection larger or smaller by exact factors, about a point"
    verb: ClassVar[Literal["Place"]] = "Place"
    stages: ClassVar[tuple[Stage, ...]] = ("build",)
    need: ClassVar[Need] = Need(kinds=STANDING, least=1)
    key: ClassVar[str | None] = "Z"
    icon: ClassVar[str] = "scaling"

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
            about = anchor(top) if self.about_what == "own pivot" else centre
            for thing in draft.things.under(top):
                draft.put(_sized(thing, np.asarray(self.factors), axes, np.asarray(about)))


def _sized(thing: AThing, factors: Floats, axes: Rotation, about: Floats) -> AThing:
    """The thing scaled by factors (3,) along axes, about a point (3,): p' = c + A diag(f) Aᵀ (p − c)."""

    def spread(p: Vector | Floats) -> Floats:
        out: Floats = axes.apply(axes.inv().apply(np.asarray(p, np.float64)) * factors)
        return out

    def place(p: Vector) -> Vector:
        return plain(spread(np.subtract(p, about)) + about)

    if isinstance(thing, Measure):
        return thing.changed(start=place(thing.start), end=place(thing.end))
    if isinstance(thing, Course):
        return thing
    if isinstance(thing, Path):
        return thing.changed(
            points=tuple(
                Point(
                    position=place(p.position),
                    handle_in=None if p.handle_in is None else vector(spread(p.handle_in)),
                    handle_out=None if p.handle_out is None else vector(spread(p.handle_out)),
                )
                for p in thing.points
            )
        )
    if isinstance(thing, Group):
        return thing.changed(position=place(thing.position))
    if factors[0] == factors[1] == factors[2]:
        own = factors
    else:
        # along the thing's own axes the factors only change places; otherwise they would skew it
        swap = permutation(axes.inv() * rotation(thing.turn), tolerance=1e-9)
        if swap is None:
            raise SelectionError(
                f"{thing.name} is turned against these axes, so different factors would skew it. "
                "Size it along its own axes, or give one factor for all three.",
                id=thing.id,
            )
        own = np.abs(swap.T) @ factors
    changed: dict[str, object] = {"position": place(thing.position), "size": vector(own * thing.size)}
    if isinstance(thing, LineArray) and thing.spacing_by == "metres":
        changed["spacing"] = thing.spacing * float(own["xyz".index(thing.axis[-1])])
    return thing.changed(**changed)
