"""From rows to what stands in the level: poses of every item, counts against the budget, findings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core import tolerances
from able_brick.core.cache import ByteCache
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path import course as courses
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.place.copies import line
from able_brick.core.place.pose import ORIGIN, Poses, about_pivot
from able_brick.core.text import grouped
from able_brick.level.rows import Course, LineArray, Path, Piece, Placement
from able_brick.level.snapshot import AShown, AThing, Snapshot, Things

_AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
#: Nothing may stand farther from the origin than this, metres.
FARTHEST: Final = 1e7
_MOST_TOLD: Final = 50
_CURVES: ByteCache[Curve] = ByteCache(32 * 2**20, lambda c: c.nbytes)
_ARRAYS: ByteCache[Poses] = ByteCache(64 * 2**20, lambda p: p.nbytes)
_COURSES: ByteCache[courses.Course] = ByteCache(128 * 2**20, lambda c: c.poses.nbytes + c.middles.nbytes)


def path_curve(path: Path) -> Curve:
    """The curve of a path row."""

    def made() -> Curve:
        points = [PathPoint(p.position, p.handle_in, p.handle_out) for p in path.points]
        return curve(points, closed=path.closed, smooth=path.smooth)

    return _CURVES.get((path.points, path.closed, path.smooth), made)


def box_about_pivot(piece: Piece) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,) of a piece's box, along the axes of its pivot and measured from it."""
    pivot = about_pivot(np.asarray([piece.pivot]), ORIGIN, piece.axes)[0]
    return np.asarray(piece.facts.low) - pivot, np.asarray(piece.facts.high) - pivot


def axis_vector(axis: str) -> tuple[float, float, float]:
    """Unit vector of `x` … `-z`."""
    x, y, z = _AXES[axis[-1]]
    return (-x, -y, -z) if axis[0] == "-" else (x, y, z)


def array_pitch(array: LineArray, piece: Piece) -> float:
    """Distance from item to item in metres, along the axis as the array is turned; a mirroring size changes no side."""
    if array.spacing_by == "metres":
        return array.spacing
    k = "xyz".index(array.axis[-1])
    extent = piece.facts.high[k] - piece.facts.low[k]
    return extent * abs(array.size[k]) * array.spacing


def _array_poses(array: LineArray, piece: Piece) -> Poses:
    def made() -> Poses:
        return line(
            array.position,
            array.turn,
            array.size,
            direction=axis_vector(array.axis),
            pitch=array_pitch(array, piece),
            count=array.count,
        )

    return _ARRAYS.get((array, piece.facts), made)


def laid(course: Course, path: Path, piece: Piece) -> courses.Course:
    """The items of a course row."""

    def made() -> courses.Course:
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

    where = (path.points, path.closed, path.smooth, piece.facts, piece.pivot, piece.axes)
    return _COURSES.get((course, where), made)


def path_of(snapshot: Snapshot, course: Course) -> Path | None:
    """The path of a course; None where it is not there (any more)."""
    found = snapshot.of(course.level).get(course.path)
    return found if isinstance(found, Path) else None


def item_poses(snapshot: Snapshot, thing: AThing) -> Poses | None:
    """Poses of every item of a thing; None for what draws no piece, and where its piece or path is missing.

    Raises GeometryError for runs that cannot be.
    """
    piece = snapshot.pieces.get(getattr(thing, "piece", ""))
    if piece is None:
        return None
    if isinstance(thing, Placement):
        return Poses.of(np.array([thing.position]), np.array(thing.turn), np.array(thing.size))
    if isinstance(thing, LineArray):
        return _array_poses(thing, piece)
    if isinstance(thing, Course):
        path = path_of(snapshot, thing)
        return None if path is None else laid(thing, path, piece).poses
    return None


def shown_poses(snapshot: Snapshot, thing: AThing) -> Poses | None:
    """The same; also None for a run that cannot be, which is told as a finding instead."""
    try:
        return item_poses(snapshot, thing)
    except GeometryError:
        return None


def check_reach(thing: AShown, poses: Poses) -> None:
    """GeometryError where an item stands beyond what numbers are kept for."""
    far = float(np.abs(poses.positions).max(initial=0.0))
    if not far <= FARTHEST:
        raise GeometryError(
            f"{thing.name} would reach {far / 1000:.3g} km from the origin; nothing stands beyond 10 000 km. "
            "Ask for fewer items or less distance.",
            id=thing.id,
            received=far,
            allowed=FARTHEST,
        )


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
    items = {piece: len(users) for piece, users in things.uses.items() if piece in snapshot.pieces}
    findings = _missing(snapshot, things)
    for thing in things.runs_and_paths:
        if not isinstance(thing, (LineArray, Course)) or thing.piece not in items:
            continue
        if isinstance(thing, LineArray):
            items[thing.piece] += thing.count - 1
            continue
        path = path_of(snapshot, thing)
        try:
            found = None if path is None else laid(thing, path, snapshot.pieces[thing.piece])
        except GeometryError as error:
            found = None
            findings.append(
                Finding("impossible", thing.id, f"{thing.name} cannot be laid: {error} Adjust or delete it.")
            )
        items[thing.piece] += -1 if found is None else len(found.poses) - 1
        if found is not None and path is not None:
            findings += _course_findings(thing, found, path.closed)
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
        hardware_vertices=sum(u.items * snapshot.pieces[u.piece].facts.hardware_vertices for u in uses),
        draw_calls=sum(max(1, len(snapshot.pieces[u.piece].materials)) for u in uses),
        placements=sum(u.items for u in uses),
        uses=tuple(uses),
        findings=tuple(findings),
    )


def _missing(snapshot: Snapshot, things: Things) -> list[Finding]:
    """What points at rows that are not there: files of earlier versions may hold such."""
    out: list[Finding] = []
    for piece, users in things.uses.items():
        if piece not in snapshot.pieces:
            out += [
                Finding("missing_piece", t.id, f"{t.name} shows a piece that is not on the shelf any more. Delete it.")
                for t in users
            ]
    for path, along in things.paths_used.items():
        if not isinstance(things.get(path), Path):
            out += [
                Finding("missing_path", t.id, f"{t.name} runs along a path that is not there any more. Delete it.")
                for t in along
            ]
    for inside in things.groups_used.values():
        out += [
            Finding(
                "missing_group",
                t.id,
                f"{t.name} is in a group that is not there any more; it counts as in none. Take it out of all groups.",
            )
            for t in inside
            if things.parent(t) is None
        ]
    return out[:_MOST_TOLD]


def _course_findings(course: Course, found: courses.Course, closed: bool) -> list[Finding]:
    """Where a course had to be stretched too much, and where it could not stand upright."""
    out: list[Finding] = []
    if abs(found.stretch - 1.0) > tolerances.STRETCH_FINDING:
        n = len(found.poses)
        extent, gap = found.natural
        lengths = (k * extent + (k if closed else k - 1) * gap for k in (n, n + 1) if k >= 1)
        fits = " or ".join(f"{length:.2f} m" for length in lengths)
        out.append(
            Finding(
                "stretch",
                course.id,
                f"{course.name}: items are stretched by {100 * (found.stretch - 1):+.1f} % on {found.length:.2f} m; "
                f"{fits} would fit.",
            )
        )
    steep = np.flatnonzero(found.steep)
    if len(steep):
        first, last = int(steep[0]) + 1, int(steep[-1]) + 1
        which = f"item {first} follows" if first == last else f"items {first} to {last} follow"
        out.append(
            Finding(
                "steep",
                course.id,
                f"{course.name}: {which} the path instead of standing upright; it is steeper than 80° there.",
            )
        )
    return out
