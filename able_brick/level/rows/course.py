"""Pieces laid along a path."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

from able_brick.core.cache import ByteCache
from able_brick.core.path import course as courses
from able_brick.core.path.course import Fit, Running, Stand
from able_brick.core.place.pose import Poses
from able_brick.level.rows.base import Thing
from able_brick.level.rows.path import Path
from able_brick.level.rows.piece import Piece

_COURSES: ByteCache[courses.Course] = ByteCache(128 * 2**20, lambda c: c.poses.nbytes + c.middles.nbytes)


class Course(Thing):
    """Pieces laid along a path, live; lengths in metres."""

    kind: Literal["course"] = "course"
    words: ClassVar[str] = "a course"

    piece: str
    path: str
    fit: Fit = Fit.FILL
    number: int = 10
    spacing: float = 4.0
    gap: float = 0.0
    sideways: float = 0.0
    up: float = 0.0
    stand: Stand = Stand.UPRIGHT
    running: Running = Running.AUTO
    flip: bool = False

    def needs(self) -> tuple[tuple[str, str], ...]:
        return (("piece", self.piece), ("path", self.path), *super().needs())

    def copied(self, ids: Mapping[str, str]) -> dict[str, object]:
        return {**super().copied(ids), "path": ids.get(self.path, self.path)}

    def laid(self, path: Path, piece: Piece) -> courses.Course:
        """The items along a path. Raises GeometryError for a course that cannot be."""

        def made() -> courses.Course:
            low, high = piece.box_about_pivot()
            return courses.lay_course(
                path.curve(),
                low,
                high,
                fit=self.fit,
                number=self.number,
                spacing=self.spacing,
                gap=self.gap,
                sideways=self.sideways,
                up=self.up,
                stand=self.stand,
                running=self.running,
                flip=self.flip,
            )

        where = (path.points, path.closed, path.smooth, piece.facts, piece.pivot, piece.axes)
        return _COURSES.get((self, where), made)

    def poses(self, piece: Piece | None, path: Path | None) -> Poses | None:
        return None if piece is None or path is None else self.laid(path, piece).poses
