"""Which pieces follow one another along a path, and where: first, last and corner pieces, patterns, single others."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Bools, Floats, Ints
from able_brick.core.path.curve import Curve
from able_brick.core.path.fitting import Leg, Stretches, filled, item_count, numbered, room_for, spaced
from able_brick.core.place.copies import MOST_ITEMS, check_items

#: The place of a corner piece before the run that begins there.
CORNER: Final = -1


@dataclass(frozen=True)
class Rhythm:
    """Parts by their numbers: the pattern that is repeated, the first and last of an open path, those at corners.

    `others` has what stands instead at a place (run, item), None where nothing does; `angle` is from where on a turn is
    a corner, radians: items do not run over it. The item before run k that stands in its corner is (k, CORNER).
    """

    pattern: tuple[int, ...] = (0,)
    first: int | None = None
    last: int | None = None
    corner: int | None = None
    others: Mapping[tuple[int, int], int | None] = field(default_factory=dict)
    angle: float = np.pi


@dataclass(frozen=True, eq=False)
class Slots:
    """Where items stand: the part (n) of each, run and item (n,2), parameters (n,2) and lengths (n,2) of the path where
    each begins and ends, stretch (n), whether it is left out (n), whether it stands in a corner (n).

    `closes` where every run is filled from end to end; `whole` where the path is one round without corners.
    """

    parts: Ints
    places: Ints
    ends: Floats
    stations: Floats
    stretch: Floats
    left_out: Bools
    corner: Bools
    pitch: float
    closes: bool
    whole: bool

    def __len__(self) -> int:
        return len(self.parts)


@dataclass(frozen=True)
class Fitting:
    """How the number of items follows: `fit` is fill, number or spacing; metres."""

    fit: str
    number: int
    spacing: float
    gap: float
    by_length: bool


@dataclass(frozen=True)
class _Row:
    """The parts (n) of one run, and which of them are left out."""

    parts: Ints
    out: Bools


def slots(
    curve: Curve,
    corner_turns: Floats,
    extents: Sequence[float],
    reaches: Sequence[tuple[float, float]],
    rhythm: Rhythm,
    how: Fitting,
) -> Slots:
    """Lay parts of lengths `extents` along a curve, which turns at its points by `corner_turns` (S), radians. `reaches`
    are how far each part reaches back and on from a corner that it stands in, metres.

    Raises GeometryError where they do not fit.
    """
    corners = np.flatnonzero(corner_turns >= rhythm.angle - 1e-9)
    knots, sums = curve.cells
    at = sums[np.searchsorted(knots, corners.astype(np.float64))]
    standing = _corner_pieces(curve, len(at), rhythm)
    legs = _legs(curve, at, standing, reaches, how.gap)
    numbers = _shares([leg.length for leg in legs], how.number) if how.fit == "number" else [0] * len(legs)
    sizes = np.asarray(extents, np.float64)
    found: list[Stretches] = []
    rows: list[_Row] = []
    total = 0
    for k, leg in enumerate(legs):
        row = _row(curve, leg, k, len(legs), extents, rhythm, how, numbers[k])
        total += len(row.parts)
        check_items(total, "The course")
        lengths = sizes[row.parts]
        match how.fit:
            case "number":
                made = numbered(leg, lengths, by_length=how.by_length)
            case "spacing":
                made = spaced(leg, lengths, how.spacing, by_length=how.by_length)
            case _:
                made = filled(leg, lengths, how.gap, by_length=how.by_length)
        rows.append(row)
        found.append(made)
    return _gathered(curve, legs, found, rows, at, standing, reaches)


def _corner_pieces(curve: Curve, corners: int, rhythm: Rhythm) -> list[tuple[int, int, bool] | None]:
    """For each corner the run that begins there, the part that stands in it and whether it is left out; or None."""
    out: list[tuple[int, int, bool] | None] = []
    for k in range(corners):
        run = k if curve.closed else k + 1
        other = rhythm.others.get((run, CORNER), rhythm.corner)
        part = rhythm.corner if other is None else other
        out.append(None if part is None else (run, part, other is None))
    return out


def _legs(
    curve: Curve,
    at: Floats,
    standing: Sequence[tuple[int, int, bool] | None],
    reaches: Sequence[tuple[float, float]],
    gap: float,
) -> list[Leg]:
    """The stretches between corners, without what corner pieces take."""
    if not len(at):
        return [Leg(curve)]
    taken = [(0.0, 0.0) if c is None else tuple(r + gap for r in reaches[c[1]]) for c in standing]
    if curve.closed:
        stops = np.append(at, at[0] + curve.length)
        pairs = [(stops[k] + taken[k][1], stops[k + 1] - taken[(k + 1) % len(at)][0]) for k in range(len(at))]
    else:
        stops = np.concatenate([[0.0], at, [curve.length]])
        around = [(0.0, 0.0), *taken, (0.0, 0.0)]
        pairs = [(stops[k] + around[k][1], stops[k + 1] - around[k + 1][0]) for k in range(len(stops) - 1)]
    for k, (a, b) in enumerate(pairs):
        if not b - a > 1e-6:
            raise GeometryError(
                f"Between corners {k} and {k + 1} the path is {stops[k + 1] - stops[k]:.2f} m long, which the corner "
                "pieces fill. Move its points apart, or take a smaller corner piece.",
                received=float(stops[k + 1] - stops[k]),
            )
    return [Leg(curve, float(a), float(b)) for a, b in pairs]


def _shares(lengths: Sequence[float], number: int) -> list[int]:
    """A number divided among runs by their lengths, at least 1 for each."""
    exact = np.array(lengths) / sum(lengths) * number
    out = np.maximum(1, np.floor(exact)).astype(int)
    for k in np.argsort(-(exact - np.floor(exact)), kind="stable"):
        if out.sum() >= number:
            break
        out[k] += 1
    return [int(n) for n in out]


def _row(
    curve: Curve,
    leg: Leg,
    run: int,
    runs: int,
    extents: Sequence[float],
    rhythm: Rhythm,
    how: Fitting,
    number: int,
) -> _Row:
    """The parts that stand along one run."""
    first = rhythm.first if run == 0 and not curve.closed else None
    last = rhythm.last if run == runs - 1 and not curve.closed else None
    others = {item: part for (r, item), part in rhythm.others.items() if r == run and item >= 0}

    def row_of(count: int) -> Ints:
        """The parts of so many items, the last one not yet."""
        pattern = np.array(rhythm.pattern, np.int32)
        out = pattern[(np.arange(count) - (0 if first is None else 1)) % len(pattern)]
        if first is not None:
            out[:1] = first
        for item, part in others.items():
            if part is not None and item < count:
                out[item] = part
        return out

    sizes = np.asarray(extents, np.float64)
    if how.fit == "number":
        count = number
    elif how.fit == "spacing":
        count = room_for(leg, float(sizes[row_of(1)[0]]), how.spacing, by_length=how.by_length)
    else:
        count = _fill_count(leg, row_of, last, sizes, len(rhythm.pattern), max(others, default=-1) + 2, how.gap)
    parts = row_of(check_items(count, "The course"))
    if last is not None and (count > 1 or first is None):
        other = others.get(count - 1, last)
        parts[-1] = last if other is None else other
    left = np.zeros(count, np.bool_)
    left[[item for item, part in others.items() if part is None and item < count]] = True
    return _Row(parts, left)


def _fill_count(
    leg: Leg, row_of: Callable[[int], Ints], last: int | None, sizes: Floats, m: int, odd: int, gap: float
) -> int:
    """How many items come nearest to the length of a run."""
    after = float(sizes[last]) + gap if last is not None else 0.0
    room = leg.length - after
    begin = sizes[row_of(odd + m)]
    least = float(begin.min())
    if least + gap <= 1e-6:
        raise GeometryError(
            f"A gap of {gap:g} m leaves no distance between items {least:g} m long; give more than {-least:g} m."
        )
    each = float(begin[odd:].sum()) + m * gap
    most = min(odd + (int(max(room, 0.0) / each) + 2) * m, MOST_ITEMS + 2)
    natural = sizes[row_of(most)]
    if last is not None and room <= natural[0] / 2:
        return 1
    count = item_count(natural, room if last is None else room + gap, gap, whole=leg.whole)
    return count + (last is not None)


def _gathered(
    curve: Curve,
    legs: Sequence[Leg],
    found: Sequence[Stretches],
    rows: Sequence[_Row],
    at: Floats,
    standing: Sequence[tuple[int, int, bool] | None],
    reaches: Sequence[tuple[float, float]],
) -> Slots:
    """Runs and corner pieces in the order in which one walks past them."""
    parts: list[Ints] = []
    places: list[Ints] = []
    out: list[Bools] = []
    corner: list[Bools] = []
    ends, stations, stretch = [], [], []
    by_run = {c[0]: (k, c) for k, c in enumerate(standing) if c is not None}
    for run, (leg, made, row) in enumerate(zip(legs, found, rows, strict=True)):
        if run in by_run:
            k, (_, part, left) = by_run[run]
            back, on = reaches[part]
            here = float(at[k])
            begin = here - back if here - back >= 0 or not curve.closed else here - back + curve.length
            span = np.array([begin, begin + back + on])
            parts.append(np.array([part], np.int32))
            places.append(np.array([[run, CORNER]], np.int32))
            out.append(np.array([left]))
            corner.append(np.ones(1, np.bool_))
            stations.append(span[None])
            ends.append(leg.parameters(span)[None])
            stretch.append(np.ones(1))
        n = len(row.parts)
        parts.append(row.parts)
        places.append(np.stack([np.full(n, run, np.int32), np.arange(n, dtype=np.int32)], axis=1))
        out.append(row.out)
        corner.append(np.zeros(n, np.bool_))
        ends.append(made.ends)
        stations.append(made.stations)
        stretch.append(made.stretch)
    plain = max(found, key=lambda s: len(s.ends))
    return Slots(
        np.concatenate(parts),
        np.concatenate(places),
        np.concatenate(ends),
        np.concatenate(stations),
        np.concatenate(stretch),
        np.concatenate(out),
        np.concatenate(corner),
        plain.pitch,
        all(s.closes for s in found),
        legs[0].whole,
    )
