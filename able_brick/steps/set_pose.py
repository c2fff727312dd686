"""Put a thing exactly where the numbers say."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import InputError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.place.dock import Motion
from able_brick.core.place.pose import from_degrees, quaternion, rotation
from able_brick.level.field import field
from able_brick.level.rows import Group, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.carry import carry
from able_brick.steps.draft import Draft, standing
from able_brick.steps.tool import Need, Tool


class SetPose(Tool):
    """Absolute position, turn and size; what is left out stays."""

    tool: Literal["set_pose"] = "set_pose"
    title = "Set position"
    about = "Puts the selected thing exactly where the numbers say"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=("placement", "array", "group"), least=1, most=1)
    hidden = True
    icon = "move"

    position: Vector | None = field(None, "Position", "Where the pivot stands", unit="m", widget="position")
    turn: Vector | None = field(None, "Turn", "Turn about X, Y and Z", unit="°", step=15)
    size: Vector | None = field(None, "Size", "Factors along the piece's axes; 1 is its own size", step=0.1)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        (row,) = rows
        if isinstance(row, Group):
            self._group(draft, row)
            return
        for thing in standing(rows):
            new: dict[str, object] = {}
            if self.position is not None:
                new["position"] = self.position
            if self.turn is not None:
                new["turn"] = quaternion(from_degrees(self.turn))
            if self.size is not None:
                if min(abs(s) for s in self.size) < 1e-4:
                    raise InputError("A size of 0 would flatten the piece; give factors other than 0.", field="size")
                new["size"] = self.size
            draft.put(thing.changed(**new))

    def _group(self, draft: Draft, group: Group) -> None:
        """The group's pivot goes there, and what is in it along."""
        if self.size is not None:
            raise InputError("A group has no size of its own; Size changes what is in it.", field="size")
        turn = rotation(group.turn) if self.turn is None else from_degrees(self.turn)
        position = group.position if self.position is None else self.position
        by = Rotation.identity() if self.turn is None else turn * rotation(group.turn).inv()
        carry(draft, group, Motion(by, np.asarray(group.position), np.subtract(position, group.position)))
        draft.put(group.changed(position=position, turn=group.turn if self.turn is None else quaternion(turn)))
