"""Change the points of a path: put one in, take some out, sharp or smooth, lean, round a corner."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError, InputError, SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.path.curve import PathPoint
from able_brick.core.path.editing import explicit, largest_fillet, rounded_corner, with_point
from able_brick.core.place.pose import Vector, vector
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Course, Path, Point
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.paths import tell_path
from able_brick.steps.tool import Need, Tool

_MOST_CHOSEN = 2000


def made_point(point: PathPoint, like: Point | None = None) -> Point:
    """A point of the core as one of a row; how it leans is that of another."""
    return Point(
        position=point.position,
        handle_in=point.handle_in,
        handle_out=point.handle_out,
        roll=0.0 if like is None else like.roll,
        sharp=point.sharp,
    )


def as_drawn(path: Path) -> tuple[Point, ...]:
    """The points with all handles set, so that each can be changed without moving its neighbours."""
    found = explicit(path.curve())
    return tuple(made_point(p, q) for p, q in zip(found, path.points, strict=True))


class _OnPath(Tool):
    verb = "Lay"
    stages = ("build",)
    need = Need(kinds=("path",), least=1, most=1)
    icon = "spline"

    @staticmethod
    def path(rows: list[ARow]) -> Path:
        row = rows[0]
        if not isinstance(row, Path):
            raise SelectionError("Select a path.")
        return row


class PathPoints(_OnPath):
    """Another kind of point, or fewer of them."""

    tool: Literal["path_points"] = "path_points"
    title = "Path points"
    leads = ()
    about = "Makes points sharp or smooth, leans, moves, turns and sizes them, puts one in, takes some out"

    does: Literal["put in", "take out", "make sharp", "make smooth", "lean", "move", "turn", "size"] = field(
        "make sharp",
        "Does",
        "Put a point in on the line, take points out, make them sharp or smooth, lean, move, turn or size them",
    )
    points: tuple[int, ...] = field(
        (), "Points", "Which points, counted from 0; none for all", widget="none", max_length=_MOST_CHOSEN
    )
    at: float = field(
        0.5,
        "Where",
        "Where on the line: the number of the span, and the share of it",
        step=0.1,
        ge=0,
        le=_MOST_CHOSEN,
        when={"does": ["put in"]},
    )
    roll: float = field(
        0.0, "Lean", "About the way, to the right", unit="°", step=5, ge=-360, le=360, when={"does": ["lean"]}
    )
    by: Vector = field(
        (0.0, 0.0, 0.0), "By", "How far they move, in the world", unit="m", widget="vector", when={"does": ["move"]}
    )
    axis: Literal["x", "y", "z"] = field(
        "y", "About", "The world axis through their middle that they turn about", when={"does": ["turn"]}
    )
    angle: float = field(
        0.0, "Angle", "How far they turn", unit="°", step=15, ge=-3600, le=3600, when={"does": ["turn"]}
    )
    factor: float = field(
        1.0,
        "Factor",
        "How much farther they are from their middle",
        step=0.1,
        ge=0.001,
        le=1000,
        when={"does": ["size"]},
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = self.path(rows)
        n = len(path.points)
        wrong = [k for k in self.points if not 0 <= k < n]
        if wrong:
            raise InputError(f"{path.name} has no point {wrong[0] + 1} (any more).", field="points")
        chosen = set(self.points) or set(range(n))
        match self.does:
            case "put in":
                curve = with_point(path.curve(), self.at)
                k = min(int(self.at), len(path.points) - 1) + 1
                like = [*path.points[:k], path.points[k - 1].changed(roll=None), *path.points[k:]]
                points = tuple(made_point(p, q) for p, q in zip(explicit(curve), like, strict=True))
                changed = path.changed(points=points, smooth=False)
            case "take out":
                left = tuple(p for k, p in enumerate(path.points) if k not in chosen)
                least = 3 if path.closed else 2
                if len(left) < least:
                    raise GeometryError(
                        f"{path.name} would have {counted(len(left), 'point', 'points')}; it needs {least}.",
                        received=len(left),
                        allowed=least,
                    )
                leans = path.leans()
                kept = [k for k in range(n) if k not in chosen]
                # an end says by itself how it leans, and one point of a closed path does
                has_roll = any(p.roll is not None for p in left)
                for at in (0, -1) if not path.closed else () if has_roll else (0,):
                    if left[at].roll is None:
                        end = left[at].changed(roll=leans[kept[at]])
                        left = (end, *left[1:]) if at == 0 else (*left[:-1], end)
                changed = path.changed(points=left)
            case "lean":
                points = tuple(p.changed(roll=self.roll) if k in chosen else p for k, p in enumerate(path.points))
                changed = path.changed(points=points)
            case "move" | "turn" | "size":
                changed = self._carried(path, chosen)
            case _:
                changed = self._kind(path, chosen)
        tell_path(draft, changed)
        draft.put(changed)

    def _carried(self, path: Path, chosen: set[int]) -> Path:
        """Moved, turned or sized about the middle of the box round them; their handles go along."""
        where = np.array([path.points[k].position for k in sorted(chosen)])
        middle = (where.min(axis=0) + where.max(axis=0)) / 2
        change = np.eye(3)
        if self.does == "turn":
            change = Rotation.from_rotvec(np.radians(self.angle) * np.eye(3)["xyz".index(self.axis)]).as_matrix()
        elif self.does == "size":
            change = np.eye(3) * self.factor
        by = np.asarray(self.by) if self.does == "move" else np.zeros(3)

        def carried(v: Vector | None) -> Vector | None:
            return None if v is None else vector(change @ np.asarray(v))

        points = tuple(
            p.with_places(
                vector(middle + change @ (np.asarray(p.position) - middle) + by),
                carried(p.handle_in),
                carried(p.handle_out),
            )
            if k in chosen
            else p
            for k, p in enumerate(path.points)
        )
        return path.changed(points=points)

    def _kind(self, path: Path, chosen: set[int]) -> Path:
        sharp = self.does == "make sharp"
        if not sharp and not path.smooth:
            # the others keep their form: sharp where they have no handles
            fresh = [
                p.changed(sharp=False, handle_in=None, handle_out=None)
                if k in chosen
                else p.changed(sharp=p.handle_in is None and p.handle_out is None)
                for k, p in enumerate(path.points)
            ]
            return path.changed(points=tuple(fresh), smooth=True)
        fresh = [
            p.changed(sharp=sharp, handle_in=None, handle_out=None) if k in chosen else p
            for k, p in enumerate(path.points)
        ]
        return path.changed(points=tuple(fresh))


class Fillet(_OnPath):
    """Corners rounded by an arc of a given radius."""

    tool: Literal["fillet"] = "fillet"
    title = "Round corners"
    about = "Rounds corners of the path by an arc of an exact radius"

    radius: float = field(2.0, "Radius", "Of the arcs", unit="m", step=0.25, gt=0, le=100_000)
    points: tuple[int, ...] = field(
        (), "Points", "Which points, counted from 0; none for all corners", widget="none", max_length=_MOST_CHOSEN
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = self.path(rows)
        n = len(path.points)
        own = explicit(path.curve())
        inner = range(n) if path.closed else range(1, n - 1)
        chosen = [k for k in self.points if k in inner]
        if self.points and not chosen:
            raise InputError("The ends of an open path are no corners; choose a point between.", field="points")
        if not chosen:
            turns = path.guide(upright=False).corner_turns
            chosen = [k for k in inner if turns[k] > np.radians(1)]
        if not chosen:
            raise GeometryError(f"{path.name} has no corner; its points are smooth.", id=path.id)
        where = [np.asarray(p.position) for p in path.points]
        cut = set(chosen)
        out: list[Point] = []
        for k in range(n):
            if k not in cut:
                p = own[k]
                before, after = (k - 1) % n in cut, (k + 1) % n in cut
                out.append(
                    made_point(
                        PathPoint(p.position, None if before else p.handle_in, None if after else p.handle_out),
                        path.points[k],
                    )
                )
                continue
            a, b, c = where[(k - 1) % n], where[k], where[(k + 1) % n]
            # half the way is left to a neighbour that is rounded as well
            a = (a + b) / 2 if (k - 1) % n in cut else a
            c = (c + b) / 2 if (k + 1) % n in cut else c
            most, turn = largest_fillet(a, b, c)
            if turn < 1e-6:
                out.append(made_point(own[k], path.points[k]))
                continue
            if self.radius > most * (1 + 1e-9):
                raise GeometryError(
                    f"Point {k + 1} can be rounded by up to {most:.2f} m; its sides are too short for "
                    f"{self.radius:g} m.",
                    received=self.radius,
                    allowed=most,
                )
            out += [made_point(p, path.points[k]) for p in rounded_corner(a, b, c, self.radius)]
        changed = path.changed(points=_apart(out, closed=path.closed), smooth=False)
        tell_path(draft, changed)
        draft.put(changed)


def _apart(points: list[Point], *, closed: bool) -> tuple[Point, ...]:
    """The points without those that lie on the one before: where two arcs meet there is one."""
    out: list[Point] = []
    for p in points:
        if out and float(np.abs(np.subtract(out[-1].position, p.position)).max()) <= 1e-6:
            out[-1] = out[-1].changed(handle_out=p.handle_out)
        else:
            out.append(p)
    if closed and len(out) > 3 and float(np.abs(np.subtract(out[-1].position, out[0].position)).max()) <= 1e-6:
        out[0] = out[0].changed(handle_in=out[-1].handle_in)
        out.pop()
    return tuple(out)


class SetPathLength(_OnPath):
    """Another length: cut off at the end, or on straight ahead."""

    tool: Literal["set_path_length"] = "set_path_length"
    title = "Path length"
    about = "Cuts the path off at its end, or leads it straight on, to an exact length"

    length: float = field(10.0, "Length", "Of the path from start to end", unit="m", step=0.5, gt=0.001, le=1e6)
    course: str | None = field(None, "As for", "The course by whose way the length is measured", widget="none")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = self.path(rows)
        if path.closed:
            raise GeometryError(f"{path.name} is closed; open it to set its length, or size it.", id=path.id)
        course = draft.things.get(self.course or "")
        upright = isinstance(course, Course) and course.stand == "upright"
        curve = path.curve().on_ground if upright else path.curve()
        points = list(as_drawn(path))
        if self.length < curve.length:
            at = float(curve.parameters(np.array([self.length]))[0])
            k = min(int(at), curve.span_count - 1)
            if at - k > 1e-6:
                cut = with_point(path.curve(), at)
                here = np.degrees(path.guide(upright=upright).rolls(np.array([self.length])))[0]
                like = [*path.points[: k + 1], path.points[k].changed(roll=float(here)), *path.points[k + 1 :]]
                points = [made_point(p, q) for p, q in zip(explicit(cut), like, strict=True)][: k + 2]
            else:
                points = points[: k + 1]
            points[-1] = points[-1].changed(handle_out=None)
        else:
            way = path.curve().tangents(np.array([float(curve.span_count)]))[0]
            flat = float(np.hypot(way[0], way[2])) if upright else 1.0
            if flat < 1e-3:
                raise GeometryError("The path ends straight up; move its end instead.", id=path.id)
            end = np.asarray(points[-1].position) + way * ((self.length - curve.length) / flat)
            straight = points[-1].handle_in is None
            last = Point(position=(float(end[0]), float(end[1]), float(end[2])), roll=points[-1].roll)
            points = [*(points[:-1] if straight else points), last]
        changed = path.changed(points=tuple(points), smooth=False)
        tell_path(draft, changed)
        draft.put(changed)
