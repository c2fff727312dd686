"""Curves in a level."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.cache import ByteCache
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.path.guide import Guide
from able_brick.core.place.dock import Motion
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import vector
from able_brick.level.rows.base import Number, Scaling, Thing, Vector

_CURVES: ByteCache[Curve] = ByteCache(32 * 2**20, lambda c: c.nbytes)
_GUIDES: ByteCache[Guide] = ByteCache(64 * 2**20, lambda g: 4096 + 3200 * g.curve.span_count)


class Point(BaseModel):
    """A point of a path; handles are offsets, None where the span is straight or automatic. `roll` leans what is laid
    there about the way, degrees, None as the points beside it say; `sharp` points of a smooth path are corners."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    position: Vector
    handle_in: Vector | None = None
    handle_out: Vector | None = None
    roll: Number | None = 0.0
    sharp: bool = False

    def changed(self, **values: object) -> Point:
        """The point with other values, validated anew."""
        return Point.model_validate({**dict(self), **values})

    @property
    def leaning_back(self) -> float | None:
        """How it leans as the path is seen from its other end, or in a mirror."""
        return None if self.roll is None else -self.roll + 0.0

    def with_places(
        self,
        position: Vector,
        handle_in: Vector | None,
        handle_out: Vector | None,
        *,
        over: bool = False,
    ) -> Point:
        """The point elsewhere, with other handles; leaning to the other side where it is turned `over`."""
        return Point(
            position=position,
            handle_in=handle_in,
            handle_out=handle_out,
            roll=self.leaning_back if over else self.roll,
            sharp=self.sharp,
        )


class Path(Thing):
    """A curve in the level."""

    kind: Literal["path"] = "path"
    words = "a path"

    points: tuple[Point, ...]
    closed: bool = False
    smooth: bool = True

    def curve(self) -> Curve:
        """The curve itself."""

        def made() -> Curve:
            points = [PathPoint(p.position, p.handle_in, p.handle_out, p.sharp) for p in self.points]
            return curve(points, closed=self.closed, smooth=self.smooth)

        return _CURVES.get((self.points, self.closed, self.smooth), made)

    def guide(self, *, upright: bool, sideways: float = 0.0, up: float = 0.0) -> Guide:
        """The curve with what is up on it, for what is laid along it."""

        def made() -> Guide:
            own = self.curve()
            roll = np.radians([np.nan if p.roll is None else p.roll for p in self.points])
            return Guide(own.on_ground if upright else own, upright, roll)

        def shifted() -> Guide:
            return self.guide(upright=upright).shifted(sideways, up)

        return _GUIDES.get(
            (self.points, self.closed, self.smooth, upright, sideways, up), shifted if sideways or up else made
        )

    def leans(self) -> list[float]:
        """How what is laid leans at each point, degrees, also at those that do not say so themselves."""
        return [float(v) for v in np.degrees(self.guide(upright=False).point_rolls)]

    def drawn(self) -> Floats:
        return self.curve().drawn()

    def moved(self, motion: Motion) -> Self:
        def turned(handle: Vector | None) -> Vector | None:
            return None if handle is None else vector(motion.turn.apply(handle))

        return self.changed(
            points=tuple(
                p.with_places(
                    vector(motion.point(np.asarray(p.position, np.float64))), turned(p.handle_in), turned(p.handle_out)
                )
                for p in self.points
            )
        )

    def reflected(self, over: Reflection) -> Self:
        def there(handle: Vector | None) -> Vector | None:
            return None if handle is None else over.direction(handle)

        return self.changed(
            points=tuple(
                p.with_places(over.point(p.position), there(p.handle_in), there(p.handle_out), over=True)
                for p in self.points
            )
        )

    def sized(self, scaling: Scaling) -> Self:
        return self.changed(
            points=tuple(
                p.with_places(
                    scaling.point(p.position),
                    None if p.handle_in is None else vector(scaling.vector(p.handle_in)),
                    None if p.handle_out is None else vector(scaling.vector(p.handle_out)),
                )
                for p in self.points
            )
        )

    @property
    def anchor(self) -> Vector:
        """The middle of its points."""
        return vector(np.mean([p.position for p in self.points], axis=0))
