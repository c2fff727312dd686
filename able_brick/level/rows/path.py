"""Curves in a level."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.cache import ByteCache
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.place.dock import Motion
from able_brick.core.place.pose import vector
from able_brick.level.rows.base import Scaling, Thing, Vector

_CURVES: ByteCache[Curve] = ByteCache(32 * 2**20, lambda c: c.nbytes)


class Point(BaseModel):
    """A point of a path; handles are offsets, None where the span is straight or automatic."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    position: Vector
    handle_in: Vector | None = None
    handle_out: Vector | None = None


class Path(Thing):
    """A curve in the level."""

    kind: Literal["path"] = "path"
    words: ClassVar[str] = "a path"

    points: tuple[Point, ...]
    closed: bool = False
    smooth: bool = True

    def curve(self) -> Curve:
        """The curve itself."""

        def made() -> Curve:
            points = [PathPoint(p.position, p.handle_in, p.handle_out) for p in self.points]
            return curve(points, closed=self.closed, smooth=self.smooth)

        return _CURVES.get((self.points, self.closed, self.smooth), made)

    def drawn(self) -> Floats:
        return self.curve().drawn()

    def moved(self, motion: Motion) -> Self:
        def turned(handle: Vector | None) -> Vector | None:
            return None if handle is None else vector(motion.turn.apply(handle))

        return self.changed(
            points=tuple(
                Point(
                    position=vector(motion.point(np.asarray(p.position, np.float64))),
                    handle_in=turned(p.handle_in),
                    handle_out=turned(p.handle_out),
                )
                for p in self.points
            )
        )

    def sized(self, scaling: Scaling) -> Self:
        return self.changed(
            points=tuple(
                Point(
                    position=scaling.point(p.position),
                    handle_in=None if p.handle_in is None else vector(scaling.vector(p.handle_in)),
                    handle_out=None if p.handle_out is None else vector(scaling.vector(p.handle_out)),
                )
                for p in self.points
            )
        )

    @property
    def anchor(self) -> Vector:
        """The middle of its points."""
        return vector(np.mean([p.position for p in self.points], axis=0))
