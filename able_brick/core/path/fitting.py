"""Dividing a stretch of a path among the items of a course: where each begins and ends on it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.curve import Curve
from able_brick.core.path.march import fitted_strides, strides_from
from able_brick.core.place.copies import check_items
from able_brick.core.text import length_of

#: What is computed with when lengths are added up, metres.
_LEAST: Final = 1e-6


@dataclass(frozen=True, eq=False)
class Stretches:
    """What of a path each item takes: `ends` (n,2) as parameters, `stations` (n,2) as lengths from the path's start.

    Items are stretched by factors (n); `closes` where the first begins and the last ends where the stretch of path
    does.
    """

    ends: Floats
    stations: Floats
    stretch: Floats
    pitch: float
    closes: bool


class Leg:
    """A stretch of a path along which items are laid, from one length to another: the whole path, or what is between
    two corners. Measured along itself or on the ground. On a closed path lengths may go beyond its own: round again."""

    def __init__(self, curve: Curve, begin: float = 0.0, end: float | None = None) -> None:
        self.curve = curve
        #: Whether it comes back to where it begins.
        self.whole = curve.closed and end is None
        self.begin, self.end = begin, curve.length if end is None else end
        self.length = self.end - self.begin
        if not curve.length > 1e-9:
            raise GeometryError("The path has no length on the ground; choose that items follow its slope.")
        self.first, self.last = (float(t) for t in self.parameters(np.array([self.begin, self.end])))
        if self.whole:
            self.first, self.last = 0.0, float(curve.span_count)
        self._strides = curve.controls
        if curve.ground:
            self._strides = np.array(curve.controls)
            self._strides[:, :, 1] = 0.0
        #: Whether straight strides measure it as it is measured.
        self.straight_strides = not (curve.ground and curve.ever_steep)
        a, b = self.points(np.array([self.first, self.last]))
        chord = float(np.hypot(*(b - a)[[0, 2]])) if curve.ground else float(np.linalg.norm(b - a))
        #: Whether it goes from its start to its end without turning or coming back.
        self.straight = not self.whole and (
            curve.is_straight or (self.straight_strides and chord >= self.length * (1 - 1e-13))
        )
        self.chord = chord

    def parameters(self, stations: Floats) -> Floats:
        """(n) parameters at lengths from the start; a closed path goes round again."""
        if not self.curve.closed:
            return self.curve.parameters(stations)
        rounds = np.floor(stations / self.curve.length)
        inside = self.curve.parameters(stations - rounds * self.curve.length)
        out: Floats = inside + rounds * self.curve.span_count
        return out

    def stations(self, at: Floats) -> Floats:
        """Lengths from the start at parameters of any shape."""
        if not self.curve.closed:
            return self.curve.stations(at)
        rounds = np.floor(at / self.curve.span_count)
        return self.curve.stations(at - rounds * self.curve.span_count) + rounds * self.curve.length

    def points(self, at: Floats) -> Floats:
        """(n,3) points at parameters."""
        spans = float(self.curve.span_count)
        return self.curve.points(np.mod(at, spans) if self.curve.closed else np.clip(at, 0.0, spans))

    def fitted(self, lengths: Floats, first: float, gap: float) -> tuple[float, Floats] | None:
        """Straight strides of lengths times one factor from its start to its end; None where there are none."""
        if not self.straight_strides:
            return None
        return fitted_strides(
            self._strides,
            lengths,
            closed=self.curve.closed,
            begin=self.first,
            end=self.last,
            whole=self.whole,
            first=first,
            gap=gap,
        )

    def strides(self, starts: Floats, lengths: Floats | float) -> Floats:
        """(n) where straight strides from parameters end; beyond an open path it goes straight on."""
        return strides_from(self._strides, starts, lengths, closed=self.curve.closed)

    def over(
        self, ends: Floats, stretch: Floats, *, pitch: float, stations: Floats | None = None, closes: bool = False
    ) -> Stretches:
        """What items take that begin and end at parameters (n,2)."""
        found = self.stations(ends) if stations is None else stations
        return Stretches(ends, found, np.broadcast_to(stretch, (len(ends),)).copy(), pitch, closes)


def item_count(natural: Floats, room: float, gap: float, *, whole: bool) -> int:
    """How many of a row of lengths (n, m) come nearest to filling a room, metres, with gaps between."""
    filled_by = np.cumsum(natural + gap) - (0.0 if whole else gap)
    after = int(np.searchsorted(filled_by, room))
    if after >= len(natural):
        return len(natural)
    if after == 0:
        return 1
    less, more = room - filled_by[after - 1], filled_by[after] - room
    if less == more:  # as rounding does it: to the even number
        return after + after % 2
    return after if less < more else after + 1


def filled(leg: Leg, lengths: Floats, gap: float, *, by_length: bool) -> Stretches:
    """The whole of it, in parts as long as `lengths` (n, m) times one factor, with gaps between them.

    On a curve all items are chords that meet on the path; where it winds too tightly for that, and `by_length`, they
    are lengths of it. Raises GeometryError for gaps that leave nothing.
    """
    count = len(lengths)
    gaps = count if leg.whole else count - 1
    room = leg.length - gaps * gap
    factor = room / float(lengths.sum())
    if not room > 1e-9 * count:
        raise GeometryError(
            f"A gap of {gap:g} m leaves no room for items on {leg.length:.2f} m of path; give a smaller one.",
            field="gap",
            received=gap,
        )
    mean = float(lengths.mean())
    if not leg.straight and not by_length:
        found = None
        if count == 1 and not leg.whole:
            if leg.chord > leg.length / 2:
                found = (leg.chord / float(lengths[0]), np.array([[leg.first, leg.last]]))
        elif count > (2 if leg.whole else 1):
            found = leg.fitted(lengths, factor, gap)
        if found is not None:
            return leg.over(found[1], np.full(count, found[0]), pitch=found[0] * mean + gap, closes=True)
    parts = lengths * factor
    starts = leg.begin + np.cumsum(np.concatenate([[0.0], parts[:-1]])) + np.arange(count) * gap
    stops = starts + parts
    if gap == 0.0:  # neighbours share the very number
        stops[:-1] = starts[1:]
    if not leg.whole or gap == 0.0:
        stops[-1] = leg.end
    stations = np.stack([starts, stops], axis=1)
    ends = np.stack([leg.parameters(starts), leg.parameters(stops)], axis=1)
    return leg.over(ends, np.full(count, factor), pitch=factor * mean + gap, stations=stations, closes=True)


def numbered(leg: Leg, lengths: Floats, *, by_length: bool) -> Stretches:
    """All of the items, evenly spread, first and last flush with the ends. Raises GeometryError where they do not
    fit."""
    count = len(lengths)
    if leg.whole:
        pitch = leg.length / count
        middles = leg.begin + (np.arange(count, dtype=np.float64) + 0.5) * pitch
        return _centred(leg, lengths, middles, pitch, by_length=by_length)
    if count == 1:
        middle = np.array([leg.begin + leg.length / 2])
        return _centred(leg, lengths, middle, 0.0, by_length=by_length)
    outer = _outer_middles(leg, float(lengths[0]), float(lengths[-1]), by_length=by_length)
    if outer is None or outer[1] - outer[0] <= 1e-9:
        raise GeometryError(
            f"The path is {leg.length:.2f} m long and the piece {float(lengths[0]):.2f} m: {count} cannot stand on it "
            "one after the other. Fill the path, or lengthen it.",
            received=leg.length,
            allowed=float(lengths[0]),
        )
    middles = np.linspace(outer[0], outer[1], count)
    return _centred(leg, lengths, middles, float(middles[1] - middles[0]), by_length=by_length)


def room_for(leg: Leg, first: float, spacing: float, *, by_length: bool) -> int:
    """How many items fit, centre to centre, from its start. Raises GeometryError for a spacing of nothing."""
    if not spacing > _LEAST:
        raise GeometryError(f"The spacing is {spacing:g} m; give a distance above 0.", received=spacing)
    if leg.whole:
        return check_items(max(1, math.floor(leg.length / spacing + 1e-9)), "The course")
    outer = _outer_middles(leg, first, first, by_length=by_length)
    if outer is None:
        return 1
    return check_items(max(1, math.floor((outer[1] - outer[0]) / spacing + 1e-9) + 1), "The course")


def spaced(leg: Leg, lengths: Floats, spacing: float, *, by_length: bool) -> Stretches:
    """The items, centre to centre, from its start."""
    first = float(lengths[0])
    outer = None if leg.whole else _outer_middles(leg, first, first, by_length=by_length)
    begin = leg.begin + first / 2 if leg.whole else leg.begin + leg.length / 2 if outer is None else outer[0]
    middles = begin + np.arange(len(lengths), dtype=np.float64) * spacing
    return _centred(leg, lengths, middles, spacing, by_length=by_length)


def _check_within(leg: Leg, stations: Floats) -> None:
    """GeometryError where an item that bends would begin or end beyond what it runs along: there is nothing there."""
    longest, whole = float(np.diff(stations, axis=1).max()), leg.length
    beyond = 0.0 if leg.whole else float(max(leg.begin - stations[:, 0].min(), stations[:, 1].max() - leg.end))
    if longest > whole * (1 + 1e-9):
        text = f"The piece is {length_of(longest)} long, and what it is to bend along {length_of(whole)}."
    elif beyond > 1e-9 * max(1.0, whole):
        text = f"Items would reach {length_of(beyond)} beyond the end of what they are to bend along."
    else:
        return
    raise GeometryError(f"{text} Fill the path instead, lengthen it, or do not bend.", received=longest, allowed=whole)


def _outer_middles(leg: Leg, first: float, last: float, *, by_length: bool) -> tuple[float, float] | None:
    """Lengths to the middles of items flush with the start and with the end; None where it is too short."""
    if leg.length < max(first, last) * (1 - 1e-12):
        return None
    if leg.straight or by_length or not leg.straight_strides:
        return leg.begin + first / 2, leg.end - last / 2
    after = float(leg.strides(np.array([leg.first]), first)[0])
    before = float(leg.strides(np.array([leg.last]), -last)[0])
    if not (after <= leg.last and before >= leg.first):
        return None
    ends = leg.stations(np.array([leg.first, after, before, leg.last]))
    return float(ends[:2].mean()), float(ends[2:].mean())


def _centred(leg: Leg, lengths: Floats, middles: Floats, pitch: float, *, by_length: bool) -> Stretches:
    """Items of their own lengths about lengths from the start: chords whose ends lie on the path, or lengths of it."""
    half = lengths / 2
    starts = middles - half
    stations = np.stack([starts, middles + half], axis=1)
    if by_length:
        _check_within(leg, stations)
    if by_length or leg.straight or not leg.straight_strides:
        ends = np.stack([leg.parameters(starts), leg.parameters(middles + half)], axis=1)
        return leg.over(ends, np.ones(len(lengths)), pitch=pitch, stations=stations)
    # few lengths are distinct
    each, number = np.unique(lengths, return_inverse=True)
    last = leg.stations(np.maximum(leg.strides(np.full(len(each), leg.last), -each), leg.first))[number]
    ends = np.full((len(lengths), 2), np.nan)
    for _ in range(8):
        begin = leg.parameters(starts if leg.whole else np.clip(starts, leg.begin, last))
        stop = leg.strides(begin, lengths)
        found = np.isfinite(stop) & (leg.whole | (stop <= leg.last * (1 + 1e-9)))
        ends[found, 0], ends[found, 1] = begin[found], stop[found]
        miss = np.where(found, middles - leg.stations(np.nan_to_num(ends)).mean(axis=1), 0.0)
        if float(np.abs(miss).max(initial=0.0)) <= 1e-11 * leg.curve.length:
            break
        starts = starts + miss
    lost = np.isnan(ends[:, 0])
    if lost.any():
        ends[lost] = np.stack([leg.parameters((middles - half)[lost]), leg.parameters((middles + half)[lost])], axis=1)
    return leg.over(ends, np.ones(len(lengths)), pitch=pitch)
