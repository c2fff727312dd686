"""Laying pieces along a path, rigid or bent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property

import numpy as np

from able_brick.core.mesh.normals import crossed, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Ints
from able_brick.core.path.bend import Bent, bent
from able_brick.core.path.curve import Curve
from able_brick.core.path.frames import turns_of, upright_sides
from able_brick.core.path.guide import Between, Guide
from able_brick.core.path.rhythm import Fitting, Rhythm, Slots, slots
from able_brick.core.path.running import Box, Run
from able_brick.core.place.pose import Poses


class Fit(StrEnum):
    """How the number of items follows from the path."""

    FILL = "fill"
    NUMBER = "number"
    SPACING = "spacing"


class Stand(StrEnum):
    """How items stand on a sloping path."""

    UPRIGHT = "upright"
    FOLLOWING = "following"


class CornerTurn(StrEnum):
    """Which way a piece in a corner looks."""

    HALFWAY = "halfway"
    COMING = "as the path comes"


@dataclass(frozen=True, eq=False)
class CoursePart:
    """A piece as it is laid: how it runs, and its box as it does."""

    run: Run
    box: Box

    @property
    def reach(self) -> tuple[float, float]:
        """How far it reaches back and on from its pivot; half its length where the pivot is outside."""
        low, high = float(self.box.low[0]), float(self.box.high[0])
        return (-low, high) if low <= 0 <= high else ((high - low) / 2, (high - low) / 2)


@dataclass(frozen=True, eq=False)
class Course:
    """Items of a course, in the order in which one walks past them.

    slots: where each stands; poses (n): of rigid items, and of the frames of bent ones; bent: the bent ones by part,
    and their numbers; `length` is the path's as it was measured, `natural` an item's and the gap behind it; `ends_off`
    is how far the first and the last item's ends are from the path's (m), `joints_off` how far neighbours are from
    meeting on it (m), beyond the gap; `steep` (n) are the items that follow the path because it is too steep to stand
    upright on.
    """

    slots: Slots
    poses: Poses
    bent: tuple[tuple[Ints, Bent], ...]
    length: float
    natural: tuple[float, float]
    ends_off: float
    joints_off: float
    steep: Bools

    @property
    def pitch(self) -> float:
        return self.slots.pitch

    @property
    def middles(self) -> Floats:
        """(n) lengths from the path's start to the items' middles, metres."""
        return np.asarray(self.slots.stations.mean(axis=1))

    @cached_property
    def stretch(self) -> float:
        """The factor by which items are stretched; of several runs the one farthest from 1."""
        runs = self.slots.stretch[~self.slots.corner]
        return float(runs[np.argmax(np.abs(np.log(runs)))]) if len(runs) else 1.0

    @property
    def nbytes(self) -> int:
        """What it takes in memory, bytes."""
        held = sum(b.nbytes + n.nbytes for n, b in self.bent)
        return int(self.poses.nbytes + self.slots.ends.nbytes * 4 + held)


def lay_course(
    guide: Guide | Between,
    parts: Sequence[CoursePart],
    rhythm: Rhythm | None = None,
    *,
    fit: Fit = Fit.FILL,
    number: int = 10,
    spacing: float = 4.0,
    gap: float = 0.0,
    bend: bool = False,
    corner_turn: CornerTurn = CornerTurn.COMING,
    along: Slots | None = None,
) -> Course:
    """Lay parts along a guide; metres.

    Rigid: each item's running ends lie on the path, so neighbours meet on it: its middle is the middle of that chord
    and it runs along the chord. Bent: each takes a length of the path. *fill*: the count follows from extents and
    gap, and all items of a run are stretched alike so that the first begins at its start and the last one ends at
    its end, with the gap between them and none at the ends. *number*: evenly spread, first and last flush with the
    ends. *spacing*: centre to centre in metres, from the start, as many as fit. Upright items are measured in plan,
    and each stands at the height of the path at its middle; where the path is steeper than 80° they follow it.
    `along`: the slots of another course on the same path, in which these stand instead.
    Raises GeometryError for a part without extent along the path, a path that is too short, or absurd counts.
    """
    rhythm = rhythm or Rhythm()
    curve = guide.curve
    extents = [p.box.length for p in parts]
    if along is None:
        how = Fitting(fit.value, number, spacing, gap, bend)
        found = slots(curve, guide.corner_turns, extents, [p.reach for p in parts], rhythm, how)
    else:
        found = _shared(along, parts, rhythm)
    apart = gap if fit is Fit.FILL else 0.0
    natural = (float(np.mean(np.asarray(extents)[found.parts])), apart)
    at = guide.parameters(found.stations.mean(axis=1))
    steep = curve.steep(at) if _is_upright(guide) and curve.ever_steep else np.zeros(len(found), np.bool_)
    if bend:
        return _bent(guide, parts, found, natural, steep)
    return _rigid(guide, parts, found, natural, at, steep, corner_turn)


def _is_upright(guide: Guide | Between) -> bool:
    return guide.upright if isinstance(guide, Guide) else guide.first.upright


def _shared(along: Slots, parts: Sequence[CoursePart], rhythm: Rhythm) -> Slots:
    """Other parts in the slots of another course: one in each, stretched to it."""
    m = len(rhythm.pattern)
    first = rhythm.first is not None and not along.whole
    last = int(along.places[:, 0].max(initial=0))
    here: list[int] = []
    out: list[bool] = []
    for k, (run, item) in enumerate(along.places.tolist()):
        if along.corner[k]:
            usual = rhythm.corner if rhythm.corner is not None else rhythm.pattern[0]
        elif first and run == 0 and item == 0 and rhythm.first is not None:
            usual = rhythm.first
        elif rhythm.last is not None and not along.whole and run == last and k == len(along) - 1:
            usual = rhythm.last
        else:
            usual = rhythm.pattern[(item - (1 if first and run == 0 else 0)) % m]
        other = rhythm.others.get((run, item), usual)
        out.append(other is None)
        here.append(usual if other is None else other)
    lengths = np.array([parts[p].box.length for p in here])
    # as much longer as what stands there already is than where it would stand by itself
    stretch = (along.stations[:, 1] - along.stations[:, 0]) / lengths
    return replace(along, parts=np.array(here, np.int32), left_out=np.array(out, np.bool_), stretch=stretch)


def _bent(
    guide: Guide | Between, parts: Sequence[CoursePart], found: Slots, natural: tuple[float, float], steep: Bools
) -> Course:
    positions, turns = np.zeros((len(found), 3)), np.tile([0.0, 0.0, 0.0, 1.0], (len(found), 1))
    sizes = np.ones((len(found), 3))
    if isinstance(guide, Guide) and len(guide.corners):
        low, high = (np.array([getattr(p.box, of) for p in parts]) for of in ("low", "high"))
        lines = Box(low.min(axis=0), high.max(axis=0)).corners
        guide = guide.reaching(lines, found.stations.ravel())
    out: list[tuple[Ints, Bent]] = []
    for part in np.unique(found.parts):
        at = np.flatnonzero(found.parts == part).astype(np.int32)
        one = parts[int(part)]
        made = bent(guide, one.run, one.box, found.stations[at, 0], found.stations[at, 1])
        positions[at], turns[at] = made.positions, made.turns
        rigid = at[made.rigid]
        turns[rigid] = _as_piece(one.run, made.turns[made.rigid])
        sizes[rigid, one.run.k] = made.stretch[made.rigid]
        out.append((at, made))
    poses = Poses.of(positions, turns, sizes)
    return Course(found, poses, tuple(out), guide.length, natural, 0.0, 0.0, steep)


def _as_piece(run: Run, frames: Floats) -> Floats:
    """Turns (n,4) of pieces whose own axes run as they do, from the frames along the path."""
    # X of the frame runs along the path, Y up, Z to the right: quarter turns about the upright
    quarters = {(0, 1.0): 0, (0, -1.0): 2, (2, 1.0): 1, (2, -1.0): -1}[(run.k, run.sign)]
    if not quarters:
        return frames
    half = quarters * np.pi / 4
    y, w = np.sin(half), np.cos(half)
    a, b, c, d = frames.T
    out = np.stack([a * w - c * y, b * w + d * y, c * w + a * y, d * w - b * y], axis=1)
    return np.where(out[:, 3:] < 0, -out, out)


def _rigid(
    guide: Guide | Between,
    parts: Sequence[CoursePart],
    found: Slots,
    natural: tuple[float, float],
    at: Floats,
    steep: Bools,
    corner_turn: CornerTurn,
) -> Course:
    curve = guide.curve
    standing = _is_upright(guide)
    plain = guide if isinstance(guide, Guide) else guide.first
    spans = float(curve.span_count)
    inside = np.mod(found.ends, spans) if curve.closed else found.ends
    at_start, at_end = curve.points(inside[:, 0]), curve.points(inside[:, 1])
    middles = found.stations.mean(axis=1)
    half = np.array([p.box.length for p in parts])[found.parts] * found.stretch / 2
    chord = at_end - at_start
    level = standing & ~steep
    chord[level, 1] = 0.0
    size = np.sqrt(dots(chord, chord))
    flush = size > 1e-9
    frames = plain.shifted(0.0, 0.0).sections(middles, at)
    tangent = np.where(flush[:, None], unit(chord), unit(frames.along))
    centre = np.where(flush[:, None], (at_start + at_end) / 2, frames.origin)
    centre[level, 1] = frames.origin[level, 1]
    if found.closes and not curve.closed and not found.corner.any():
        # where chords differ in length, at least the outer ends are put where the path begins and ends
        centre[0] += tangent[0] * (half[0] - size[0] / 2)
        centre[-1] -= tangent[-1] * (half[-1] - size[-1] / 2) if len(centre) > 1 else 0.0
    side = unit(frames.side - tangent * dots(frames.side, tangent)[:, None])
    over = crossed(tangent, side)
    if level.any():
        flat = upright_sides(tangent[level])
        if plain.rolled:  # leant about the way by the roll there
            lean = np.arctan2((frames.side[level] * [0.0, 1.0, 0.0]).sum(axis=1), frames.up[level][:, 1])
            up = crossed(tangent[level], flat)
            side[level] = flat * np.cos(lean)[:, None] + up * np.sin(lean)[:, None]
            over[level] = up * np.cos(lean)[:, None] - flat * np.sin(lean)[:, None]
        else:
            side[level] = flat
            over[level] = (0.0, 1.0, 0.0)
        tangent[level] = crossed(side[level], over[level])
    _stand_in_corners(curve, found, middles, standing, corner_turn, parts, centre, tangent, side, over)
    positions, turns, sizes = np.empty((len(found), 3)), np.empty((len(found), 4)), np.ones((len(found), 3))
    centre = centre + side * plain.sideways + over * plain.up
    for part in np.unique(found.parts):
        here = found.parts == part
        run, box = parts[int(part)].run, parts[int(part)].box
        frame = turns_of(tangent[here], over[here], -side[here])
        turns[here] = _as_piece(run, frame)
        sizes[here, run.k] = found.stretch[here]
        off = (box.low[0] + box.high[0]) / 2 * found.stretch[here]
        off = np.where(found.corner[here], (box.high[0] - parts[int(part)].reach[1]) * np.ones(len(off)), off)
        positions[here] = centre[here] - tangent[here] * off[:, None]
    apart = natural[1]
    lone = found.closes and len(size) == 1 and not curve.closed
    return Course(
        found,
        Poses.of(positions, turns, sizes),
        (),
        guide.length,
        natural,
        float(abs(size[0] - 2 * half[0]) if lone else 0.0),
        _joints_off(centre, tangent * half[:, None], apart, level, found, closed=curve.closed),
        steep,
    )


def _stand_in_corners(
    curve: Curve,
    found: Slots,
    middles: Floats,
    standing: bool,
    corner_turn: CornerTurn,
    parts: Sequence[CoursePart],
    centre: Floats,
    tangent: Floats,
    side: Floats,
    over: Floats,
) -> None:
    """Put pieces that stand in corners onto them, looking as they are asked to."""
    for k in np.flatnonzero(found.corner):
        back = parts[int(found.parts[k])].reach[0]
        here = float(np.mod(found.stations[k, 0] + back, curve.length)) if curve.closed else found.stations[k, 0] + back
        knot = round(float(curve.parameters(np.array([here]))[0]))
        centre[k] = curve.points(np.array([float(knot)]))[0]
        before = (knot - 1) % curve.span_count
        coming = curve.tangents(np.array([before + 1.0 - 1e-9]))[0]
        going = curve.tangents(np.array([float(knot % curve.span_count)]))[0]
        way = coming if corner_turn is CornerTurn.COMING else coming + going
        if standing:
            way = np.array([way[0], 0.0, way[2]])
        if float(np.linalg.norm(way)) < 1e-9:
            continue
        t = unit(way)
        s = upright_sides(t[None])[0] if standing else unit(side[k] - t * float(side[k] @ t))
        tangent[k], side[k], over[k] = t, s, np.cross(t, s)


def _joints_off(centre: Floats, half: Floats, gap: float, level: Bools, found: Slots, *, closed: bool) -> float:
    """How far neighbours are from being just the gap apart, metres: from their middles (n,3) and halves (n,3) as they
    run; in plan between those that stand upright. Corner pieces are not asked."""
    begin, end = centre - half, centre + half
    away = (np.roll(begin, -1, axis=0) - end)[: len(centre) if closed else -1]
    flat = (level & np.roll(level, -1))[: len(away)]
    away[flat, 1] = 0.0
    joined = ((found.places[:, 0] == np.roll(found.places[:, 0], -1)) & ~(found.corner | np.roll(found.corner, -1)))[
        : len(away)
    ]
    joined |= found.whole
    off = np.abs(np.linalg.norm(away, axis=1) - abs(gap))
    return float(off[joined].max(initial=0.0))
