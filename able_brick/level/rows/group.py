"""Things that are moved as one."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from scipy.spatial.transform import Rotation

from able_brick.core.place.dock import Motion
from able_brick.core.place.pose import IDENTITY, ORIGIN, rotation
from able_brick.level.rows.base import Quaternion, Scaling, Thing, Vector


class Group(Thing):
    """Things moved as one, and the group's own pivot in the world.

    What is in it keeps world coordinates of its own: putting things in and taking them out moves nothing.
    """

    kind: Literal["group"] = "group"
    words: ClassVar[str] = "a group"

    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY

    def moved(self, motion: Motion) -> Self:
        position, turn = motion.stand(self.position, self.turn)
        return self.changed(position=position, turn=turn)

    def sized(self, scaling: Scaling) -> Self:
        return self.changed(position=scaling.point(self.position))

    @property
    def anchor(self) -> Vector:
        return self.position

    @property
    def own_axes(self) -> Rotation:
        return rotation(self.turn)
