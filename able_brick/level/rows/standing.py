"""What has a position, a turn and a size of its own, and shows a piece."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np

from able_brick.core.errors import SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.dock import Motion
from able_brick.core.place.pivots import permutation
from able_brick.core.place.pose import IDENTITY, ONE, ORIGIN, rotation, vector
from able_brick.level.rows.base import Extras, Quaternion, Scaling, Thing, Vector


class Standing(Thing):
    """Base of what stands by itself: turn as unit quaternion xyzw, size as factors.

    `image` is the axis of its own along which it stands mirrored, for as long as what it shows is its own mirror image
    along it. `extras` are what other tools stored with it in the file that it came from.
    """

    shows_pieces = True
    independent = True

    piece: str
    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY
    size: Vector = ONE
    image: Literal["x", "y", "z"] | None = None
    extras: Extras | None = None

    def needs(self) -> tuple[tuple[str, str], ...]:
        return (("piece", self.piece), *super().needs())

    @property
    def pieces(self) -> tuple[str, ...]:
        return (self.piece,)

    def with_piece(self, old: str, new: str) -> Self:
        return self.changed(piece=new) if self.piece == old else self

    def at(self, position: Vector) -> Self:
        """It at a position that is known to be sound."""
        return self._of({**self.__dict__, "position": position}, {*self.model_fields_set, "position"})

    def moved(self, motion: Motion) -> Self:
        position, turn = motion.stand(self.position, self.turn)
        return self.changed(position=position, turn=turn)

    def sized(self, scaling: Scaling) -> Self:
        own = self._own_factors(scaling)
        return self.changed(
            position=scaling.point(self.position), size=vector(own * self.size), **self._sized_with(own)
        )

    def _sized_with(self, own: Floats) -> dict[str, object]:
        """What else becomes larger, by factors (3,) along its own axes."""
        return {}

    def _own_factors(self, scaling: Scaling) -> Floats:
        """The factors (3,) along its own axes."""
        factors = scaling.factors
        if factors[0] == factors[1] == factors[2]:
            return factors
        # along its own axes the factors only change places; otherwise they would skew it
        swap = permutation(scaling.axes.inv() * rotation(self.turn), tolerance=1e-9)
        if swap is None:
            raise SelectionError(
                f"{self.name} is turned against these axes, so different factors would skew it. "
                "Size it along its own axes, or give one factor for all three.",
                id=self.id,
            )
        out: Floats = np.abs(swap.T) @ factors
        return out

    @property
    def anchor(self) -> Vector:
        return self.position

    @property
    def own_axes(self) -> Rotation:
        return rotation(self.turn)
