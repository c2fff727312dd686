"""Copies at a typed distance."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.place.copies import MOST_ITEMS, repeated
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.forms import axis_vector
from able_brick.level.rows import Quaternion
from able_brick.level.snapshot import ARow
from able_brick.steps.about import STANDING, AxesOf, axes_field, axes_of, frame_field
from able_brick.steps.copying import Copier, check_copies, linked_field
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops


class Duplicate(Tool):
    """Copies along an axis, each one distance further."""

    tool: Literal["duplicate"] = "duplicate"
    title = "Duplicate"
    about = "Copies the selection, each copy a distance further along"
    verb = "Copy"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    key = "Ctrl+D"
    icon = "copy"

    distance: float = field(
        1.0,
        "Distance",
        "From one copy to the next; negative goes the other way",
        unit="m",
        step=0.1,
        ge=-1e6,
        le=1e6,
    )
    count: int = field(1, "Copies", "How many copies", ge=1, le=MOST_ITEMS)
    axis: Literal["x", "y", "z"] = field("x", "Along", "The axis to go along")
    axes: AxesOf = axes_field()
    frame: Quaternion = frame_field()
    linked: bool = linked_field()

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        check_copies(draft, things, self.count)
        if self.distance == 0:
            raise GeometryError("With a distance of 0 m all copies would stand on one spot; give a distance.")
        copier = Copier(draft, linked=self.linked)
        made: list[str] = []
        for thing in things:
            offset = np.asarray(axis_vector(self.axis)) * self.distance
            if self.axes != "world":
                offset = axes_of(draft, self.axes, thing, things[0], self.frame).apply(offset)
            made += copier.copies(thing, repeated(thing.anchor, offset, self.count) - np.asarray(thing.anchor))
        draft.select = tuple(dict.fromkeys(made))
        draft.note = (
            f"{counted(len(made), 'copy', 'copies')}, the last one {abs(self.distance) * self.count:.2f} m away"
        )
