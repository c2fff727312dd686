"""From rows to what stands in the level: poses of every item, counts against the budget, findings."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from able_brick.core import tolerances
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path import course as courses
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.place.copies import line
from able_brick.core.place.pose import ORIGIN, Poses, about_pivot
from able_brick.core.text import grouped
from able_brick.level.rows import Course, LineArray, Path, Piece, Placement
from able_brick.level.snapshot import AThing, Snapshot

_AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


@lru_cache(maxsize=256)
def path_curve(path: Path) -> Curve:
    """The curve of a path row."""
    points = [PathPoint(p.position, p.handle_in, p.handle_out) for p in path.points]
    return curve(points, closed=path.closed, smooth=path.smooth)


def box_about_pivot(piece: Piece) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,) of a piece's box, along the axes of its pivot and measured from it."""
    pivot = about_pivot(np.asarray([piece.pivot]), ORIGIN, piece.axes)[0]
    return np.asarray(piece.facts.low) - pivot, np.asarray(piece.facts.high) - pivot


def axis_vector(axis: str) -> tuple[float, float, float]:
    """Unit vector of `x` … `-z`."""
    x, y, z = _AXES[axis[-1]]
    return (-x, -y, -z) if axis[0] == "-" else (x, y, z)


def array_pitch(array: LineArray, piece: Piece) -> float:
    """Distance from item to item in metres."""
    if array.spacing_by == "metres":
        return array.spacing
    k = "xyz".index(array.axis[-1])
    extent = piece.facts.high[k] - piece.facts.low[k]
    return extent * array.size[k] * array.spacing


@lru_cache(maxsize=512)
def _array_poses(array: LineArray, piece: Piece) -> Poses:
    return line(
        array.position,
        array.turn,
        array.size,
        direction=axis_vector(array.axis),
        pitch=array_pitch(array, piece),
        count=array.count,
    )


@lru_cache(maxsize=512)
def laid(course: Course, path: Path, piece: Piece) -> courses.Course:
    """The items of a course row."""
    low, high = box_about_pivot(piece)
    return courses.lay_course(
        path_curve(path),
        low,
        high,
        fit=course.fit,
        number=course.number,
        spacing=course.spacing,
        gap=course.gap,
        sideways=course.sideways,
        up=course.up,
        stand=course.stand,
        running=course.running,
        flip=course.flip,
    )


def item_poses(snapshot: Snapshot, thing: AThing) -> Poses | None:
    """Poses of every item of a thing; None for paths and groups, which draw no piece."""
    if isinstance(thing, Placement):
        return Poses.of(np.array([thing.position]), np.array(thing.turn), np.array(thing.size))
    if isinstance(thing, LineArray):
        return _array_poses(thing, snapshot.pieces[thing.piece])
    if isinstance(thing, Course):
        path = snapshot.things[thing.level][thing.path]
        if not isinstance(path, Path):
            raise GeometryError(f"{thing.name} runs along {path.name}, which is no path.")
        return laid(thing, path, snapshot.pieces[thing.piece]).poses
    return None


@dataclass(frozen=True)
class PieceUse:
    """How often a piece stands in the level, and what it costs."""

    piece: str
    items: int
    triangles: int


@dataclass(frozen=True)
class Finding:
    """One thing worth the artist's attention: a closed code, the thing, a sentence."""

    code: str
    thing: str
    text: str


@dataclass(frozen=True)
class Summary:
    """The level against its budget."""

    triangles: int
    hardware_vertices: int
    draw_calls: int
    placements: int
    uses: tuple[PieceUse, ...]
    findings: tuple[Finding, ...]


def summary(snapshot: Snapshot, level: str) -> Summary:
    """Counts of everything that stands in the level, by piece, most triangles first; and the findings."""
    things = snapshot.of(level)
    items = {piece: len(users) for piece, users in things.uses.items()}
    findings: list[Finding] = []
    for thing in things.runs_and_paths:
        if isinstance(thing, LineArray):
            items[thing.piece] += thing.count - 1
        elif isinstance(thing, Course):
            path = things[thing.path]
            if isinstance(path, Path):
                found = laid(thing, path, snapshot.pieces[thing.piece])
                items[thing.piece] += len(found.poses) - 1
                findings += _stretch_findings(thing, found, path_curve(path).length)
    uses = [PieceUse(p, n, n * snapshot.pieces[p].facts.triangles) for p, n in items.items() if n]
    uses.sort(key=lambda u: (-u.triangles, u.piece))
    triangles = sum(u.triangles for u in uses)
    budget = snapshot.levels[level].budget
    if triangles > budget:
        findings.append(
            Finding(
                "over_budget",
                level,
                f"{grouped(triangles - budget)} triangles over the budget; slim {snapshot.pieces[uses[0].piece].name}.",
            )
        )
    return Summary(
        triangles=triangles,
        hardware_vertices=sum(n * snapshot.pieces[p].facts.hardware_vertices for p, n in items.items()),
        draw_calls=sum(max(1, len(snapshot.pieces[p].materials)) for p in items),
        placements=sum(items.values()),
        uses=tuple(uses),
        findings=tuple(findings),
    )


def _stretch_findings(course: Course, found: courses.Course, length: float) -> list[Finding]:
    if abs(found.stretch - 1.0) <= tolerances.STRETCH_FINDING:
        return []
    natural = found.pitch / found.stretch
    n = len(found.poses)
    fits = " or ".join(f"{k * natural:.2f} m" for k in (n, n + 1) if k >= 1)
    text = (
        f"{course.name}: items are stretched by {100 * (found.stretch - 1):+.1f} % on {length:.2f} m; {fits} would fit."
    )
    return [Finding("stretch", course.id, text)]
