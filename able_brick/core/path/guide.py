"""What a mesh is bent along: at every length of a path a place and three directions."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, Final

import numpy as np

from able_brick.core.mesh.normals import crossed, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Ints
from able_brick.core.path.curve import Curve
from able_brick.core.path.frames import upright_sides
from able_brick.core.path.guide_kernels import carried_sides, guided, lean_to_mitres, lengths_inside

if TYPE_CHECKING:
    from scipy.interpolate import PchipInterpolator

#: Samples of each span between which rotation-minimising directions are carried on by a single reflection.
_SAMPLES: Final = 64
#: Neighbouring spans whose tangents differ by more than this meet in a corner, radians.
KINK: Final = 1e-6
#: A mitre is made no longer than this many times the width.
_LONGEST_MITRE: Final = 8.0
#: Over so many times the length of a mitre sections turn from standing across the path to standing in it: more than
#: once, so that what is on the inside keeps its order.
_MITRE_ZONE: Final = 2.0
#: What does not depend on how a guide is shifted.
_SHARED: Final = ("directions", "corners", "corner_turns", "_table", "_rolls", "_corner_lengths", "_mitred")


@dataclass(frozen=True, eq=False)
class Sections:
    """What stands across a path at n places: a point of side `u` and height `v` is at origin + u · side + v · up.

    origin, along (n,3): the place, and how it moves with each metre of length; side, up (n,3): of unit length but in
    corners, where they reach to the mitre.
    """

    origin: Floats
    along: Floats
    side: Floats
    up: Floats


@dataclass(frozen=True, eq=False)
class Guide:
    """A curve with a rule for what is up on it. `curve` measures lengths as they count: along it, or on the ground.

    upright: up stays the world's Y, so that what is bent is sheared on slopes; where the path is steeper than 80° it
    goes over to following within 5°. Otherwise rotation-minimising (Wang, Jüttler, Zheng & Liu 2008), with the closing
    twist of a closed path spread evenly. `roll` are angles (radians) at the path's points, interpolated monotonically,
    and nan at those that take what the path has there; sideways and up in metres shift everything. `reach` are sides
    and heights (n,2) of lines that are laid along it:
    sections near a corner lean the more the nearer they are, so that none of these passes the mitre. `joints` (m) are
    lengths from the start at which items meet.
    """

    curve: Curve
    upright: bool
    roll: Floats = field(default_factory=lambda: np.zeros(0))
    sideways: float = 0.0
    up: float = 0.0
    reach: Floats | None = None
    joints: Floats | None = None

    @property
    def length(self) -> float:
        return self.curve.length

    @property
    def closed(self) -> bool:
        return self.curve.closed

    @cached_property
    def corners(self) -> Ints:
        """(k) the spans that begin with a corner: those of an open path's inside, of a closed one also 0."""
        into, out = self.directions
        turn = np.arccos(np.clip((into * out).sum(axis=1), -1.0, 1.0))
        # acos is blind to small angles
        small = np.linalg.norm(into - out, axis=1)
        return np.flatnonzero(
            np.maximum(np.where(turn > 1e-3, turn, 0.0), np.where(turn <= 1e-3, small, 0.0)) > KINK
        ).astype(np.int32)

    @cached_property
    def directions(self) -> tuple[Floats, Floats]:
        """Unit tangents (S,3) that lead into the beginning of each span and out of it."""
        c, spans = self.curve, self.curve.span_count
        inside = 1e-9
        begin = c.tangents(np.arange(spans, dtype=np.float64))
        end = c.tangents(np.asarray(np.arange(spans) + 1.0 - inside, np.float64))
        ends = np.array([_last_direction(c.controls[k]) for k in range(spans)])
        end = np.where(np.linalg.norm(ends, axis=1)[:, None] > 0, ends, end)
        into = np.roll(end, 1, axis=0)
        if not c.closed:
            into[0] = begin[0]
        return into, begin

    @cached_property
    def corner_turns(self) -> Floats:
        """(S) by how much the path turns at the beginning of each span, radians; 0 where it goes smoothly on."""
        into, out = self.directions
        over = crossed(into, out)
        out_ = np.arctan2(np.sqrt(dots(over, over)), dots(into, out))
        return np.where(out_ > KINK, out_, 0.0)

    @cached_property
    def _table(self) -> tuple[Floats, float]:
        """Sides (S, samples + 1, 3), and the twist to be spread over the length, radians."""
        c = self.curve
        at = np.arange(c.span_count)[:, None] + np.linspace(0.0, 1.0, _SAMPLES + 1)[None]
        at[:, -1] -= 1e-12
        tangents = c.tangents(at.ravel()).reshape(c.span_count, _SAMPLES + 1, 3)
        points = c.points(at.ravel()).reshape(tangents.shape)
        if self.upright:
            sides = upright_sides(tangents.reshape(-1, 3)).reshape(tangents.shape)
            return np.ascontiguousarray(sides), 0.0
        first = upright_sides(tangents[0, :1])[0]
        first = unit(first - tangents[0, 0] * float(first @ tangents[0, 0]))
        into, out = self.directions
        sides = carried_sides(points, tangents, into, out, first)
        twist = 0.0
        if c.closed:
            last = turned_over_corner(sides[-1, -1], into[0], out[0])
            last = last - out[0] * float(last @ out[0])
            twist = math.atan2(float(np.cross(last, first) @ out[0]), float(last @ first))
        return sides, twist

    @property
    def rolled(self) -> bool:
        """Whether anything leans about the way."""
        return bool(np.any(np.nan_to_num(self.roll)))

    @cached_property
    def _rolls(self) -> PchipInterpolator | None:
        if not self.rolled:
            return None
        at = self._point_lengths
        roll = np.asarray(self.roll, np.float64)
        if self.curve.closed:
            whole = self.curve.length
            at = np.concatenate([at[:-1] - whole, at[:-1], at[:-1] + whole])
            roll = np.tile(roll, 3)
        given = np.isfinite(roll)
        at, roll = at[given], roll[given]
        # beyond the first and the last point that says so it is as there
        begin, end = min(0.0, float(at[0])) - 1.0, max(self.length, float(at[-1])) + 1.0
        if at[0] > 0.0 or at[-1] < self.length:
            at = np.concatenate([[begin], at, [end]])
            roll = np.concatenate([roll[:1], roll, roll[-1:]])
        from scipy.interpolate import PchipInterpolator  # slow to load, and few paths are rolled

        return PchipInterpolator(at, roll)

    @property
    def _point_lengths(self) -> Floats:
        """(S+1) lengths from the start to the points, and to the end of a closed path."""
        knots, sums = self.curve.cells
        return np.asarray(sums[np.searchsorted(knots, np.arange(self.curve.span_count + 1, dtype=np.float64))])

    def rolls(self, stations: Floats) -> Floats:
        """(n) how far what stands at lengths from the start leans about the way, radians."""
        s = np.asarray(stations, np.float64)
        return np.zeros(len(s)) if self._rolls is None else np.asarray(self._rolls(s), np.float64)

    @property
    def point_rolls(self) -> Floats:
        """(n) the same at the points of the path, also at those that take what the path has there."""
        return self.rolls(self._point_lengths)[: len(self.roll)]

    @cached_property
    def _corner_lengths(self) -> Floats:
        knots, sums = self.curve.cells
        return np.asarray(sums[np.searchsorted(knots, self.corners.astype(np.float64))])

    @cached_property
    def _mitred(self) -> Bools:
        out = np.zeros(self.curve.span_count, np.bool_)
        out[self.corners] = True
        return out

    def at_corners(self) -> Floats:
        """(k) lengths from the start to the corners, metres: the very numbers at which sections are mitred."""
        return self._corner_lengths

    def parameters(self, stations: Floats) -> Floats:
        """(n) parameters at lengths (n) from the start, metres; clipped to an open path, once round a closed one."""
        s = self._inside(stations)
        return self.curve.parameters(s)

    def _inside(self, stations: Floats) -> Floats:
        s = np.ascontiguousarray(stations, np.float64).ravel()
        out: Floats = lengths_inside(s, self.length, self.curve.closed, self._stops)
        return out

    @cached_property
    def _stops(self) -> Floats:
        """(m) lengths to corners, and on a closed path to joints: one number for each, also once round."""
        at = self._corner_lengths
        if not self.curve.closed or self.joints is None:
            return at
        every: Floats = np.sort(np.concatenate([at, self.joints % self.length]))
        near = np.append(False, np.diff(every) <= 1e-12 * max(1.0, self.length))
        every = every[~near]
        # corners by their very number
        every[np.searchsorted(every, at - 1e-12 * max(1.0, self.length))] = at
        return every

    @cached_property
    def bisectors(self) -> Floats:
        """(k,3) normals of the planes of the mitres, looking on along the way; of no certain length, zero where the
        path turns right round."""
        into, out = (d[self.corners] for d in self.directions)
        if self.upright:
            a, b = into * (1.0, 0.0, 1.0), out * (1.0, 0.0, 1.0)
            flat = (np.linalg.norm(a, axis=1) > 1e-9) & (np.linalg.norm(b, axis=1) > 1e-9)
            into, out = np.where(flat[:, None], unit(a), into), np.where(flat[:, None], unit(b), out)
        return into + out

    @cached_property
    def mitre_lengths(self) -> tuple[Floats, Floats]:
        """(k,n) by how much each line of `reach` is shorter before a corner, and after it, than the path, metres;
        negative where it is longer."""
        at = self._corner_lengths
        lines = np.zeros((0, 2)) if self.reach is None else self.reach
        nudge = 1e-9 * max(1.0, self.length)
        out = []
        mitre = self.sections(at, plain=True)
        for sign in (-1.0, 1.0):
            plain = self.sections(self._beside(at, sign * nudge), plain=True)
            ahead = plain.along * (1.0, 0.0, 1.0) if self.upright else plain.along
            ahead = unit(np.where((dots(ahead, ahead) > 1e-18)[:, None], ahead, plain.along))

            def points(s: Sections) -> Floats:
                return s.origin[:, None] + lines[None, :, :1] * s.side[:, None] + lines[None, :, 1:] * s.up[:, None]

            moved = points(mitre) - points(plain)
            out.append(sign * np.einsum("knj,kj->kn", moved, ahead))
        return out[0], out[1]

    def _beside(self, stations: Floats, by: float) -> Floats:
        out = stations + by
        return np.where(out < 0, out + self.length, out) if self.curve.closed else np.clip(out, 0.0, self.length)

    @cached_property
    def _zones(self) -> tuple[Floats, Floats]:
        """(k) how far before and after each corner sections lean, metres.

        At least so far that nothing passes the mitre, and no farther than to the next joint from there on: joints
        stand across the path where they can.
        """
        before, after = self.mitre_lengths
        n = len(before)
        if not n or not before.shape[1]:
            return np.zeros(n), np.zeros(n)
        at = self._corner_lengths
        least = np.stack([np.maximum(reach.max(axis=1), 0.0) for reach in (before, after)])
        wanted = np.empty_like(least)
        for k, (reach, way) in enumerate(((before, -1.0), (after, 1.0))):
            whole = _MITRE_ZONE * np.abs(reach).max(axis=1)
            wanted[k] = [self._up_to_joint(*row, way) for row in zip(at, least[k], whole, strict=True)]
        if self.curve.closed:
            legs, ahead = np.diff(np.append(at, at[0] + self.length)), np.roll(np.arange(n), -1)
            fits = _shares(legs, least[1], least[0, ahead], wanted[1], wanted[0, ahead])
            return least[0] + (wanted[0] - least[0]) * np.roll(fits, 1), least[1] + (wanted[1] - least[1]) * fits
        legs = np.diff(np.concatenate([[0.0], at, [self.length]]))
        out, back = (np.append(0.0, v[1]) for v in (least, wanted)), (np.append(v[0], 0.0) for v in (least, wanted))
        (a, c), (b, d) = out, back
        fits = _shares(legs, a, b, c, d)
        return least[0] + (wanted[0] - least[0]) * fits[:-1], least[1] + (wanted[1] - least[1]) * fits[1:]

    def _up_to_joint(self, at: float, least: float, wanted: float, way: float) -> float:
        """The least distance of a joint from a corner, `least` or more; what is wanted where that is less."""
        if self.joints is None or not len(self.joints):
            return wanted
        away = way * (self.joints - at)
        if self.curve.closed:
            away = away % self.length
        beyond = away[away >= least * (1 - 1e-9)]
        return float(min(beyond.min(initial=np.inf), wanted))

    def sections(self, stations: Floats, at: Floats | None = None, *, plain: bool = False) -> Sections:
        """The sections at lengths (n) from the start, metres: the same numbers for the same length, whatever else is
        asked with it. `at` are their parameters, where they are known; `plain` ones do not lean towards corners."""
        s = self._inside(stations)
        at = self.curve.parameters(s) if at is None else at
        sides, twist = self._table
        roll = self.rolls(s)
        if twist != 0.0:
            roll = roll + twist * s / self.length
        into, out = self.directions
        origin, along, side, up = guided(
            self.curve.controls,
            at,
            roll,
            sides,
            into,
            out,
            self._mitred,
            self.upright,
            self.curve.ground,
            _LONGEST_MITRE,
            self.sideways,
            self.up,
        )
        if self.reach is not None and not plain and len(self.corners):
            before, after = self._zones
            lean_to_mitres(
                s,
                self._corner_lengths,
                before,
                after,
                self.bisectors,
                self.length if self.curve.closed else 0.0,
                self.upright,
                _LONGEST_MITRE,
                self.sideways,
                self.up,
                origin,
                along,
                side,
                up,
            )
        return Sections(origin, along, side, up)

    def reaching(self, lines: Floats, joints: Floats | None = None) -> Guide:
        """The same for what has lines at sides and heights (n,2) along it, and joints at lengths (m) from the start."""
        return self._with(reach=lines, joints=joints)

    def _with(self, **values: Any) -> Guide:
        out = replace(self, **values)
        for name in _SHARED:
            out.__dict__[name] = getattr(self, name)
        return out

    def shifted(self, sideways: float, up: float) -> Guide:
        """The same curve and rule with other shifts; what does not depend on them is not computed again."""
        return self._with(sideways=sideways, up=up)


@dataclass(frozen=True, eq=False)
class Between:
    """What lies between two paths: sides `low` … `high` go from the one to the other, at equal shares of the way."""

    first: Guide
    second: Guide
    low: float
    high: float

    @property
    def curve(self) -> Curve:
        return self.first.curve

    @property
    def length(self) -> float:
        return self.first.length

    @property
    def closed(self) -> bool:
        return self.first.closed

    def parameters(self, stations: Floats) -> Floats:
        return self.first.parameters(stations)

    def at_corners(self) -> Floats:
        """Corners of either path, as lengths along the first."""
        share = self.first.length / self.second.length
        both = np.concatenate([self.first.at_corners(), self.second.at_corners() * share])
        grain = 1e-9 * max(1.0, self.length)
        every = np.sort(both)
        return every[np.append(True, np.diff(every) > grain)] if len(every) else every

    @property
    def corners(self) -> Ints:
        return self.first.corners

    @property
    def corner_turns(self) -> Floats:
        return self.first.corner_turns

    def sections(self, stations: Floats, *, plain: bool = False) -> Sections:
        """The sections at lengths (n) along the first path, whose corners need no mitres."""
        s = np.asarray(stations, np.float64).ravel()
        a = self.first.sections(s)
        b = self.second.sections(s * (self.second.length / self.first.length))
        side = (b.origin - a.origin) / (self.high - self.low)
        if self.first.upright:
            up = a.up
        else:
            size = np.linalg.norm(side, axis=1, keepdims=True)
            up = np.cross(a.along, np.divide(side, size, out=np.zeros_like(side), where=size > 0))
            up = unit(up)
        return Sections(a.origin - side * self.low, a.along, side, up)


def _shares(legs: Floats, a: Floats, b: Floats, c: Floats, d: Floats) -> Floats:
    """(n) how much of what is wanted at the two ends of legs, c and d, beyond what is needed, a and b, there is room
    for."""
    more = np.maximum(c - a, 0.0) + np.maximum(d - b, 0.0)
    return np.asarray(np.clip((legs - a - b) / np.maximum(more, 1e-300), 0.0, 1.0))


def turned_over_corner(direction: Floats, into: Floats, out: Floats) -> Floats:
    """A direction (3,) across the way into a corner as it is across the way out: by the least turn."""
    cosine = float(into @ out)
    if cosine < -1.0 + 1e-12:
        return direction
    turned: Floats = direction - (into + out) * (float(direction @ out) / (1.0 + cosine))
    return turned


def _last_direction(controls: Floats) -> Floats:
    """The unit direction (3,) in which a span (4,3) ends; zeros where it has none."""
    for k in (2, 1, 0):
        d = controls[3] - controls[k]
        size = float(np.linalg.norm(d))
        if size > 1e-12:
            out: Floats = d / size
            return out
    return np.zeros(3)
