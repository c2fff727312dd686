"""From rows to what stands in the level: poses of every item, counts against the budget, findings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core import tolerances
from able_brick.core.errors import GeometryError
from able_brick.core.path import course as courses
from able_brick.core.place.pose import Poses
from able_brick.core.text import grouped
from able_brick.level.rows import Course, LineArray, Path
from able_brick.level.snapshot import AShown, AThing, Snapshot, Things

#: Nothing may stand farther from the origin than this, metres.
FARTHEST: Final = 1e7
_MOST_TOLD: Final = 50


def path_of(snapshot: Snapshot, course: Course) -> Path | None:
    """The path of a course; None where it is not there (any more)."""
    found = snapshot.of(course.level).get(course.path)
    return found if isinstance(found, Path) else None


def item_poses(snapshot: Snapshot, thing: AThing) -> Poses | None:
    """Poses of every item of a thing; None for what draws no piece, and where its piece or path is missing.

    Raises GeometryError for runs that cannot be.
    """
    piece = snapshot.pieces.get(getattr(thing, "piece", ""))
    return thing.poses(piece, path_of(snapshot, thing) if isinstance(thing, Course) else None)


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
        if isinstance(thing, LineArray) and thing.piece in items:
            items[thing.piece] += thing.count - 1
        if not isinstance(thing, Course) or thing.piece not in items:
            continue
        path = path_of(snapshot, thing)
        try:
            found = None if path is None else thing.laid(path, snapshot.pieces[thing.piece])
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
