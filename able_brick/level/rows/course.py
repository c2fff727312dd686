"""Pieces laid along a path."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.cache import ByteCache
from able_brick.core.errors import GeometryError
from able_brick.core.path import course as courses
from able_brick.core.path.course import CornerTurn, CoursePart, Fit, Stand
from able_brick.core.path.guide import Between, Guide
from able_brick.core.path.rhythm import Rhythm
from able_brick.core.path.running import Run, Running, running_axis
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import Poses
from able_brick.level.rows.base import Thing
from able_brick.level.rows.bent import batches_of
from able_brick.level.rows.instances import Drawable, InstanceBatch, Instances, LevelContext, Mirrored
from able_brick.level.rows.path import Path
from able_brick.level.rows.piece import Piece

_COURSES: ByteCache[courses.Course] = ByteCache(192 * 2**20, lambda c: c.nbytes)
_SHOWN: ByteCache[Instances] = ByteCache(128 * 2**20, lambda s: s.nbytes)
_BETWEEN: ByteCache[Between] = ByteCache(2**20, lambda _: 1024)
#: How many courses may share the stations of one another in a row.
_MOST_SHARED = 16


class Other(BaseModel):
    """What stands at one place of a course instead: another piece, or nothing. Items are counted along each run from
    corner to corner; `item` −1 is the piece in the corner before the run."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    run: int = 0
    item: int
    piece: str | None = None


class Course(Thing):
    """Pieces laid along a path, live; lengths in metres, angles in degrees.

    `piece` and then `pattern` are repeated; `first`, `last` and `corner` stand at the ends and where the path turns by
    `corner_angle` or more: runs do not go over such corners. `stations` is a course on the same path whose items begin
    and end where these do; `between` is a second path to which sides reach. `mirrored` changes left and right.
    """

    kind: Literal["course"] = "course"
    words = "a course"
    shows_pieces = True
    stands = False
    independent = True

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
    bend: bool = False
    pattern: tuple[str, ...] = ()
    first: str | None = None
    last: str | None = None
    corner: str | None = None
    corner_angle: float = 180.0
    corner_turn: CornerTurn = CornerTurn.COMING
    others: tuple[Other, ...] = ()
    stations: str | None = None
    between: str | None = None
    mirrored: bool = False

    @property
    def pieces(self) -> tuple[str, ...]:
        more = (self.first, self.last, self.corner, *(o.piece for o in self.others))
        return tuple(dict.fromkeys((self.piece, *self.pattern, *(p for p in more if p is not None))))

    def with_piece(self, old: str, new: str) -> Self:
        def put(piece: str | None) -> str | None:
            return new if piece == old else piece

        return self.changed(
            piece=put(self.piece),
            pattern=tuple(put(p) for p in self.pattern),
            first=put(self.first),
            last=put(self.last),
            corner=put(self.corner),
            others=tuple(Other(run=o.run, item=o.item, piece=put(o.piece)) for o in self.others),
        )

    @property
    def paths(self) -> tuple[str, ...]:
        """The paths that it runs along."""
        return (self.path,) if self.between is None else (self.path, self.between)

    def needs(self) -> tuple[tuple[str, str], ...]:
        along = () if self.stations is None else (("course", self.stations),)
        return (
            *(("piece", p) for p in self.pieces),
            *(("path", p) for p in self.paths),
            *along,
            *super().needs(),
        )

    def copied(self, ids: Mapping[str, str]) -> dict[str, object]:
        return {
            **super().copied(ids),
            "path": ids.get(self.path, self.path),
            "between": None if self.between is None else ids.get(self.between, self.between),
            "stations": None if self.stations is None else ids.get(self.stations, self.stations),
        }

    def reflected(self, over: Reflection) -> Self:
        """It where its path is mirrored with it."""
        return self.changed(mirrored=not self.mirrored, sideways=-self.sideways)

    def guide(self, context: LevelContext) -> Guide | Between:
        """What it runs along. Raises GeometryError where its paths are not there."""
        path = context.thing(self.path)
        if not isinstance(path, Path):
            raise GeometryError(f"{self.name} runs along a path that is not there any more.")
        upright = self.stand is Stand.UPRIGHT
        plain = path.guide(upright=upright, sideways=self.sideways, up=self.up)
        if self.between is None:
            return plain
        other = context.thing(self.between)
        piece = context.piece(self.piece)
        if not isinstance(other, Path) or piece is None:
            raise GeometryError(f"{self.name} runs between two paths, of which one is not there any more.")
        box = self._part(piece).box
        if box.high[1] - box.low[1] <= 1e-9:
            raise GeometryError(f"{piece.name} has no width, so it cannot reach from one path to another.")
        second = other.guide(upright=upright, sideways=self.sideways, up=self.up)
        a, b = plain.curve, second.curve
        if not b.length > 1e-9:
            raise GeometryError(f"{other.name} has no length on the ground; choose that items follow its slope.")
        # the one on the right is where the sides of the piece begin
        cross = float(np.cross(b.points(np.zeros(1))[0] - a.points(np.zeros(1))[0], a.tangents(np.zeros(1))[0])[1])
        left_first = cross > 0
        low, high = (box.low[1], box.high[1]) if not left_first else (box.high[1], box.low[1])
        key = (plain, second, float(low), float(high))
        return _BETWEEN.get(key, lambda: Between(*key))

    def _part(self, piece: Piece) -> CoursePart:
        low, high = piece.box_about_pivot()
        run = Run(running_axis(low, high, self.running, flip=self.flip), self.mirrored)
        return CoursePart(run, run.box(low, high))

    def running_of(self, piece: Piece) -> int:
        """The axis of a piece, 0…2, that goes along the path."""
        return self._part(piece).run.k

    def laid(self, context: LevelContext, *, depth: int = 0) -> courses.Course:
        """The items along the path. Raises GeometryError for a course that cannot be."""
        found = self._pieces(context)
        guide = self.guide(context)
        along = None
        if self.stations is not None:
            base = context.thing(self.stations)
            if depth >= _MOST_SHARED:
                raise GeometryError(f"{self.name} shares the stations of courses that, in the end, share its own.")
            if isinstance(base, Course) and base.path == self.path:
                along = base.laid(context, depth=depth + 1).slots

        def made() -> courses.Course:
            ids = list(self.pieces)
            number = {p: k for k, p in enumerate(ids)}
            rhythm = Rhythm(
                tuple(number[p] for p in (self.piece, *self.pattern)),
                None if self.first is None else number[self.first],
                None if self.last is None else number[self.last],
                None if self.corner is None else number[self.corner],
                {(o.run, o.item): None if o.piece is None else number[o.piece] for o in self.others},
                float(np.radians(self.corner_angle)),
            )
            return courses.lay_course(
                guide,
                [self._part(found[p]) for p in ids],
                rhythm,
                fit=self.fit,
                number=self.number,
                spacing=self.spacing,
                gap=self.gap,
                bend=self.bend or self.between is not None,
                corner_turn=self.corner_turn,
                along=along,
            )

        where = tuple((p.facts, p.pivot, p.axes) for p in found.values())
        return _COURSES.get((self, guide, where, along), made)

    def _pieces(self, context: LevelContext) -> dict[str, Piece]:
        found = {p: context.piece(p) for p in self.pieces}
        missing = [p for p, row in found.items() if row is None]
        if missing:
            raise GeometryError(f"{self.name} shows a piece that is not on the shelf any more.", missing=missing)
        return {p: row for p, row in found.items() if row is not None}

    def shown(self, context: LevelContext) -> Instances | None:
        if context.piece(self.piece) is None or not isinstance(context.thing(self.path), Path):
            return None
        laid = self.laid(context)
        found = self._pieces(context)
        return _SHOWN.get((laid, tuple(found.values())), lambda: self._items(laid, found))

    def _items(self, laid: courses.Course, found: Mapping[str, Piece]) -> Instances:
        """What is laid, by its looks."""
        ids = list(self.pieces)
        batches: list[InstanceBatch] = []
        if laid.bent:
            for at, bent in laid.bent:
                part = int(laid.slots.parts[at[0]])
                batches += batches_of(found[ids[part]], bent, at, laid)
        else:
            for part in np.unique(laid.slots.parts[~laid.slots.left_out]):
                at = np.flatnonzero((laid.slots.parts == part) & ~laid.slots.left_out).astype(np.int32)
                piece = found[ids[int(part)]]
                batches.append(_rigid(piece, self._part(piece), laid.poses, at))
        return Instances(tuple(batches), len(laid.slots))


def _rigid(piece: Piece, part: CoursePart, poses: Poses, at: np.ndarray) -> InstanceBatch:
    chosen = Poses.of(poses.positions[at], poses.turns[at], poses.sizes[at])
    if not part.run.mirrored:
        return InstanceBatch(Drawable(piece), at, chosen)
    turns = chosen.turns
    if part.run.k == 0:
        # left and right are Z: X turned over, and half a turn about the upright
        x, y, z, w = turns.T
        turns = np.stack([-z, w, x, -y], axis=1)
    return InstanceBatch(
        Drawable(piece, Mirrored(piece.pivot, piece.axes)), at, Poses.of(chosen.positions, turns, chosen.sizes)
    )
