"""Things that are moved as one."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.lazy_imports import Rotation
from able_brick.core.place.dock import Motion
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import IDENTITY, ORIGIN, rotation
from able_brick.level.forms import Repeat
from able_brick.level.rows.base import Extras, Quaternion, Scaling, Thing, Vector


class Strewn(BaseModel):
    """How what is in a group was strewn: pieces over a face of an item, so that it can be strewn otherwise."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    pieces: tuple[str, ...]
    thing: str
    item: int
    face: int
    seed: int
    offset: Vector
    turn: Vector
    smallest: float
    largest: float
    whole: Literal["face", "all faces that look that way"]
    density: float
    apart: float
    stand: Literal["upright", "along the normal"]


class Group(Thing):
    """Things moved as one, and the group's own pivot in the world.

    What is in it keeps world coordinates of its own: putting things in and taking them out moves nothing. `repeat`
    shows all of it again and again, along the group's axes; `mirror` shows it a second time, across the plane through
    its pivot that is at right angles to one of its axes. `strewn` says how what is in it came there by chance;
    `extras` are what other tools stored with it in the file that it came from.
    """

    kind: Literal["group"] = "group"
    words = "a group"
    independent = True

    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY
    repeat: Repeat | None = None
    left_out: tuple[int, ...] = ()
    mirror: Literal["x", "y", "z"] | None = None
    strewn: Strewn | None = None
    extras: Extras | None = None

    def moved(self, motion: Motion) -> Self:
        position, turn = motion.stand(self.position, self.turn)
        return self.changed(position=position, turn=turn)

    def reflected(self, over: Reflection) -> Self:
        repeat = self.repeat
        if repeat is not None:
            repeat = Repeat.model_validate({**dict(repeat), **repeat.turned_over(0)})
        return self.changed(position=over.point(self.position), turn=over.turn(self.turn), repeat=repeat)

    def sized(self, scaling: Scaling) -> Self:
        if self.repeat is None:
            return self.changed(position=scaling.point(self.position))
        own = np.diag(self.own_axes.inv().as_matrix() @ scaling.matrix() @ self.own_axes.as_matrix())
        repeat = Repeat.model_validate({**dict(self.repeat), **self.repeat.scaled(own)})
        return self.changed(position=scaling.point(self.position), repeat=repeat)

    @property
    def anchor(self) -> Vector:
        return self.position

    @property
    def own_axes(self) -> Rotation:
        return rotation(self.turn)
