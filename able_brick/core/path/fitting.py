"""Dividing a path among the items of a course: where each begins and ends on it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.curve import Curve
from able_brick.core.path.march import fitted_strides, strides_from
from able_brick.core.place.copies import check_items


@dataclass(frozen=True, eq=False)
class Stretches:
    """What of a path each item takes: `ends` (n,2) and `middle` (n) as parameters, `stations` (n) of the middles.

    Items are stretched by a factor; `closes` where the first begins at the path's start and the last ends at its end.
    """

    ends: Floats
    middle: Floats
    stations: Floats
    pitch: float
    stretch: float
    closes: bool


class Way:
    """A path as items are laid along it: measured along itself or on the ground, and round again where it is closed."""

    def __init__(self, curve: Curve) -> None:
        self.curve = curve
        self.length = curve.length
        self.closed = curve.closed
        if not self.length > 1e-9:
            raise GeometryError("The path has no length on the ground; choose that items follow its slope.")
        self._strides = curve.controls
        if curve.ground:
            self._strides = np.array(curve.controls)
            self._strides[:, :, 1] = 0.0
        #: Whether straight strides measure it as it is measured.
        self.straight_strides = not (curve.ground and curve.ever_steep)

    def parameters(self, stations: Floats) -> Floats:
        """(n) parameters at lengths from the start; a closed path goes round again."""
        if not self.closed:
            return self.curve.parameters(stations)
        rounds = np.floor(stations / self.length)
        out: Floats = self.curve.parameters(stations - rounds * self.length) + rounds * self.curve.span_count
        return out

    def stations(self, at: Floats) -> Floats:
        """(n) lengths from the start at parameters."""
        if not self.closed:
            return self.curve.stations(at)
        rounds = np.floor(at / self.curve.span_count)
        return self.curve.stations(at - rounds * self.curve.span_count) + rounds * self.length

    def points(self, at: Floats) -> Floats:
        """(n,3) points at parameters."""
        spans = float(self.curve.span_count)
        return self.curve.points(np.mod(at, spans) if self.closed else np.clip(at, 0.0, spans))

    def fitted(self, stride: float, gap: float, count: int) -> tuple[float, Floats] | None:
        """Equal straight strides with gaps between from its start to its end; None where there are none."""
        if not self.straight_strides:
            return None
        return fitted_strides(self._strides, closed=self.closed, first=stride, gap=gap, count=count)

    def strides(self, starts: Floats, length: float) -> Floats:
        """(n) where straight strides from parameters end; beyond an open path it goes straight on."""
        return strides_from(self._strides, starts, length, closed=self.closed)

    def over(self, ends: Floats, *, pitch: float, stretch: float, closes: bool = False) -> Stretches:
        """What items take that begin and end at parameters (n,2)."""
        middles = self.stations(ends).mean(axis=1)
        at = self.parameters(middles)
        inside = np.mod(at, float(self.curve.span_count)) if self.closed else at
        return Stretches(ends, inside, np.mod(middles, self.length) if self.closed else middles, pitch, stretch, closes)


def filled(way: Way, extent: float, gap: float) -> Stretches:
    """The whole path, in equal parts with gaps between them.

    On a curve all items are equal chords that meet on the path; where it winds too tightly for that, equal lengths
    of it. Raises GeometryError for gaps that leave nothing.
    """
    natural = extent + gap
    if natural <= 1e-6:
        raise GeometryError(
            f"A gap of {gap:g} m leaves no distance between items {extent:g} m long; give more than {-extent:g} m."
        )
    count = check_items(max(1, round((way.length + (0.0 if way.closed else gap)) / natural)), "The course")
    gaps = count if way.closed else count - 1
    each = (way.length - gaps * gap) / count
    if each <= 1e-9:
        raise GeometryError(
            f"A gap of {gap:g} m leaves no room for items on a path {way.length:.2f} m long; give a smaller one.",
            field="gap",
            received=gap,
        )
    if not way.curve.is_straight:
        if count == 1 and not way.closed:
            whole = way.points(np.array([0.0, float(way.curve.span_count)]))
            chord = whole[1] - whole[0]
            size = math.hypot(chord[0], chord[2]) if way.curve.ground else float(np.linalg.norm(chord))
            found = (size, np.array([[0.0, float(way.curve.span_count)]])) if size > way.length / 2 else None
        else:
            found = way.fitted(each, gap, count) if count > (2 if way.closed else 1) else None
        if found is not None:
            stride, ends = found
            return way.over(ends, pitch=stride + gap, stretch=stride / extent, closes=True)
    starts = np.arange(count, dtype=np.float64) * (each + gap)
    stops = starts + each
    if not way.closed:
        stops[-1] = way.length
    ends = np.stack([way.parameters(starts), way.parameters(stops)], axis=1)
    return way.over(ends, pitch=each + gap, stretch=each / extent, closes=True)


def numbered(way: Way, extent: float, number: int) -> Stretches:
    """So many items, evenly spread, first and last flush with the ends. Raises GeometryError on a path too short."""
    count = check_items(number, "The course")
    if way.closed:
        pitch = way.length / count
        return _centred(way, extent, (np.arange(count, dtype=np.float64) + 0.5) * pitch, pitch)
    if count == 1:
        return _centred(way, extent, np.array([way.length / 2]), 0.0)
    outer = _outer_middles(way, extent)
    if outer is None or outer[1] - outer[0] <= 1e-9:
        raise GeometryError(
            f"The path is {way.length:.2f} m long and the piece {extent:.2f} m: {count} cannot stand on it one "
            "after the other. Fill the path, or lengthen it.",
            received=way.length,
            allowed=extent,
        )
    middles = np.linspace(outer[0], outer[1], count)
    return _centred(way, extent, middles, float(middles[1] - middles[0]))


def spaced(way: Way, extent: float, spacing: float) -> Stretches:
    """As many as fit, centre to centre, from the start. Raises GeometryError for a spacing of nothing."""
    if not spacing > 1e-6:
        raise GeometryError(f"The spacing is {spacing:g} m; give a distance above 0.", received=spacing)
    if way.closed:
        count = check_items(max(1, math.floor(way.length / spacing + 1e-9)), "The course")
        return _centred(way, extent, extent / 2 + np.arange(count, dtype=np.float64) * spacing, spacing)
    outer = _outer_middles(way, extent)
    if outer is None:
        return _centred(way, extent, np.array([way.length / 2]), spacing)
    count = check_items(max(1, math.floor((outer[1] - outer[0]) / spacing + 1e-9) + 1), "The course")
    return _centred(way, extent, outer[0] + np.arange(count, dtype=np.float64) * spacing, spacing)


def _outer_middles(way: Way, extent: float) -> tuple[float, float] | None:
    """Lengths to the middles of items flush with the start and with the end; None on a path too short."""
    if way.length < extent * (1 - 1e-12):
        return None
    if way.curve.is_straight or not way.straight_strides:
        return extent / 2, way.length - extent / 2
    spans = float(way.curve.span_count)
    first = float(way.strides(np.array([0.0]), extent)[0])
    last = float(way.strides(np.array([spans]), -extent)[0])
    if not (first <= spans and last >= 0.0):
        return None
    return float(way.stations(np.array([0.0, first])).mean()), float(way.stations(np.array([last, spans])).mean())


def _centred(way: Way, extent: float, middles: Floats, pitch: float) -> Stretches:
    """Items of their own length about lengths from the start: chords whose ends lie on the path."""
    half = extent / 2
    starts = middles - half
    ends = np.stack([way.parameters(starts), way.parameters(middles + half)], axis=1)
    if not way.curve.is_straight and way.straight_strides:
        spans = float(way.curve.span_count)
        last = way.stations(np.maximum(way.strides(np.array([spans]), -extent), 0.0))[0]
        for _ in range(8):
            begin = way.parameters(starts if way.closed else np.clip(starts, 0.0, last))
            stop = way.strides(begin, extent)
            found = np.isfinite(stop) & (way.closed | (stop <= spans * (1 + 1e-9)))
            ends[found, 0], ends[found, 1] = begin[found], stop[found]
            miss = np.where(found, middles - way.stations(ends).mean(axis=1), 0.0)
            if float(np.abs(miss).max(initial=0.0)) <= 1e-11 * way.length:
                break
            starts = starts + miss
    at = way.parameters(middles)
    inside = np.mod(at, float(way.curve.span_count)) if way.closed else at
    return Stretches(ends, inside, middles, pitch, 1.0, False)
