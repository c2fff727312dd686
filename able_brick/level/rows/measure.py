"""Distances that are kept in sight."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np

from able_brick.core.place.dock import Motion
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import vector
from able_brick.level.rows.base import Scaling, Thing, Vector


class Measure(Thing):
    """A distance that is kept in sight: between two points of the world, metres."""

    kind: Literal["measure"] = "measure"
    words = "a measure"

    start: Vector
    end: Vector

    def moved(self, motion: Motion) -> Self:
        start, end = (vector(motion.point(np.asarray(p, np.float64))) for p in (self.start, self.end))
        return self.changed(start=start, end=end)

    def sized(self, scaling: Scaling) -> Self:
        return self.changed(start=scaling.point(self.start), end=scaling.point(self.end))

    def reflected(self, over: Reflection) -> Self:
        return self.changed(start=over.point(self.start), end=over.point(self.end))

    @property
    def anchor(self) -> Vector:
        return self.start
