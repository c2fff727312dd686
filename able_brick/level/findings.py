"""What is worth the artist's attention along courses, with its place, its numbers and what would mend it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from able_brick.core import tolerances
from able_brick.core.path import course as courses
from able_brick.core.path.bend import CHORD_ERROR, MOST_PARTS
from able_brick.core.path.guide import Guide
from able_brick.core.path.tight import SHARPEST, Tight, crossings, tightest
from able_brick.core.place.pose import Vector, vector
from able_brick.core.text import length_of, stretched
from able_brick.level.rows import Course, Path
from able_brick.level.rows.instances import LevelContext

_MOST: Final = 8


@dataclass(frozen=True)
class Remedy:
    """A step that mends a finding: what it is called, the tool with its parameters, and what it is done to."""

    title: str
    tool: str
    params: dict[str, Any]
    selection: tuple[str, ...]


@dataclass(frozen=True)
class Finding:
    """One thing worth the artist's attention: a closed code, the thing, a sentence; where it is in the level,
    metres, and a short label for there; and the step that would mend it."""

    code: str
    thing: str
    text: str
    place: Vector | None = None
    label: str = ""
    remedy: Remedy | None = None


def course_findings(course: Course, found: courses.Course, context: LevelContext) -> list[Finding]:
    """Where a course is stretched too much, could not stand upright, bends too tightly, or crosses itself."""
    path = context.thing(course.path)
    if not isinstance(path, Path):
        return []
    out = [*_stretched(course, found, path), *_steep(course, found)]
    if not found.bent:
        out += _kinks(course, context)
    else:
        out += _coarse(course, found)
        out += _tight(course, found, path, context)
    return out


def _stretched(course: Course, found: courses.Course, path: Path) -> list[Finding]:
    if course.stations is not None or abs(found.stretch - 1.0) <= tolerances.STRETCH_FINDING:
        return []
    n = int((~found.slots.corner).sum())
    extent, gap = found.natural
    lengths = [k * extent + (k if path.closed else k - 1) * gap for k in (n, n + 1) if k >= 1]
    by = f"{'by ' if found.stretch >= 0.1 else ''}{stretched(found.stretch)}"
    if len(set(found.slots.places[:, 0].tolist())) > 1:
        text = f"{course.name}: items of a run are stretched {by}."
        return [Finding("stretch", course.id, text, label=stretched(found.stretch))]
    fits = " or ".join(length_of(length) for length in lengths)
    nearest = min(lengths, key=lambda v: abs(v - found.length))
    middle = vector(found.poses.positions[len(found.poses) // 2])
    remedy = None
    if not path.closed:
        params = {"length": round(nearest, 6), "course": course.id}
        remedy = Remedy(f"Make the path {nearest:.2f} m long", "set_path_length", params, (path.id,))
    return [
        Finding(
            "stretch",
            course.id,
            f"{course.name}: items are stretched {by} on {length_of(found.length)}; {fits} would fit.",
            middle,
            stretched(found.stretch),
            remedy,
        )
    ]


def _steep(course: Course, found: courses.Course) -> list[Finding]:
    steep = np.flatnonzero(found.steep)
    if not len(steep):
        return []
    first, last = int(steep[0]) + 1, int(steep[-1]) + 1
    which = f"item {first} follows" if first == last else f"items {first} to {last} follow"
    text = f"{course.name}: {which} the path instead of standing upright; it is steeper than 80° there."
    return [Finding("steep", course.id, text, vector(found.poses.positions[steep[0]]), "steeper than 80°")]


def _kinks(course: Course, context: LevelContext) -> list[Finding]:
    """Corners that turn so far round that what stands before and after them lies on one another."""
    guide = course.guide(context)
    if not isinstance(guide, Guide) or not len(guide.corners):
        return []
    turns = guide.corner_turns[guide.corners]
    sharp = np.flatnonzero(turns > SHARPEST + 1e-9)
    places = guide.sections(guide.at_corners()).origin
    out = []
    for k in sharp[:_MOST]:
        turn = f"{np.degrees(turns[k]):.0f}°"
        text = (
            f"{course.name}: the path turns back by {turn}, so that items before and after the corner lie on one "
            "another; turn it by less."
        )
        out.append(Finding("tight", course.id, text, vector(places[k]), f"turns {turn}"))
    return out


def _coarse(course: Course, found: courses.Course) -> list[Finding]:
    """Items that would need more parts than any gets."""
    numbers = np.sort(np.concatenate([at[bent.coarse] for at, bent in found.bent]))
    if not len(numbers):
        return []
    first = int(numbers[0])
    which = (
        f"item {first + 1} winds" if len(numbers) == 1 else f"{len(numbers)} items, the first of them {first + 1}, wind"
    )
    text = (
        f"{course.name}: {which} so tightly that {MOST_PARTS} parts are too few to stay within "
        f"{1000 * CHORD_ERROR:.0f} mm of the path; ease the path, or lay a shorter piece."
    )
    return [Finding("coarse", course.id, text, vector(found.poses.positions[first]), "too few parts")]


def _tight_words(place: Tight) -> tuple[str, str]:
    """What a place that is too tight is called, in a sentence and in short."""
    needed = f"{place.needed:.2f} m"
    if place.taken:
        return (
            f"the mitres of pieces {needed} deep inside take {place.taken:.2f} m of a leg of {place.leg:.2f} m, so "
            "they fold over; move its points apart, or ease the corner.",
            f"{place.leg:.2f} m, needs {place.taken:.2f} m",
        )
    if place.turn:
        turn = f"{np.degrees(place.turn):.0f}°"
        return (
            f"the path turns by {turn}, too sharply for a mitre; ease the corner, or turn it by less.",
            f"turns {turn}",
        )
    radius = f"{place.radius:.2f} m"
    where = f"the path turns with {radius} where the pieces are {needed} deep inside"
    return f"{where}, so they fold over; it needs {needed}.", f"{radius}, needs {needed}"


def _tight(course: Course, found: courses.Course, path: Path, context: LevelContext) -> list[Finding]:
    guide = course.guide(context)
    low = np.min([b.box.low for _, b in found.bent], axis=0)
    high = np.max([b.box.high for _, b in found.bent], axis=0)
    out: list[Finding] = []
    for place in tightest(guide, low, high, found.slots.stations)[:_MOST]:
        needed = place.needed
        at = min(range(len(path.points)), key=lambda k: float(np.linalg.norm(path.points[k].position - place.point)))
        ease = float(np.ceil(needed * 1.02 * 20) / 20)
        remedy = Remedy(f"Ease the corner to {ease:.2f} m", "fillet", {"radius": ease, "points": [at]}, (path.id,))
        inner = 0 < at < len(path.points) - 1 or path.closed
        text, label = _tight_words(place)
        out.append(
            Finding("tight", course.id, f"{course.name}: {text}", vector(place.point), label, remedy if inner else None)
        )
    for point in crossings(guide, low, high)[:_MOST]:
        text = f"{course.name} crosses itself; move the path's points apart."
        out.append(Finding("crossing", course.id, text, vector(point), "crosses itself"))
    return out
