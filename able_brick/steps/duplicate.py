"""Copies at a typed distance."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.place.copies import MOST_ITEMS, check_items, repeated
from able_brick.core.place.pose import rotation, vector
from able_brick.core.text import counted
from able_brick.level.evaluate import axis_vector
from able_brick.level.field import field
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, standing
from able_brick.steps.tool import Need, Stage, Tool


class Duplicate(Tool):
    """Copies along an axis, each one distance further."""

    tool: Literal["duplicate"] = "duplicate"
    title: ClassVar[str] = "Duplicate"
    about: ClassVar[str] = "Copies the selection, each copy one distance further"
    verb: ClassVar[Literal["Copy"]] = "Copy"
    stages: ClassVar[tuple[Stage, ...]] = ("build",)
    need: ClassVar[Need] = Need(kinds=("placement", "array"), least=1)
    key: ClassVar[str | None] = "Ctrl+D"
    icon: ClassVar[str] = "copy"

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
    axes: Literal["world", "piece"] = field("world", "Axes", "The world's axes, or each thing's own")
    linked: bool = field(True, "Linked", "Copies share the piece; off gives each copy a piece of its own")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = standing(rows)
        check_items(self.count * len(things), "The run of copies")
        if self.distance == 0:
            raise GeometryError("With a distance of 0 m all copies would stand on one spot; give a distance.")
        made: list[str] = []
        names = {t.id: t.name for t in things}
        taken = {t.name for t in draft.snapshot.things[draft.level_id].values()}
        for thing in things:
            offset = np.asarray(axis_vector(self.axis)) * self.distance
            if self.axes == "piece":
                offset = rotation(thing.turn).apply(offset)
            piece = thing.piece if self.linked else self._own_piece(draft, thing.piece)
            number = 2
            for position in repeated(thing.position, offset, self.count):
                base = names[thing.id].rstrip("0123456789 ") or names[thing.id]
                while f"{base} {number}" in taken:
                    number += 1
                name = f"{base} {number}"
                taken.add(name)
                copy = thing.changed(id=draft.new_id(thing.kind), name=name, piece=piece, position=vector(position))
                draft.put(copy)
                made.append(copy.id)
        draft.select = tuple(made)
        draft.note = (
            f"{counted(len(made), 'copy', 'copies')}, the last one {abs(self.distance) * self.count:.2f} m away"
        )

    @staticmethod
    def _own_piece(draft: Draft, piece: str) -> str:
        source = draft.piece(piece)
        own = draft.new_id("piece")
        draft.put(source.changed(id=own, name=draft.unique_name(source.name, "piece")))
        return own
