"""Bending meshes along a path: where their vertices go, how finely they must be divided, which items come out alike."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Final, Protocol

import numpy as np
import numpy.typing as npt

from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.normals import dots
from able_brick.core.mesh.polymesh import Bools, Floats, Ints
from able_brick.core.mesh.slicing import ON_PLANE
from able_brick.core.path.bend_kernels import (
    as_framed,
    bends,
    boxes,
    division_stations,
    farthest_middles,
    framed,
    item_stations,
    lean,
    outer_lines,
    spread,
    straight_off,
    touch_mitres,
)
from able_brick.core.path.frames import turns_of
from able_brick.core.path.guide import Sections
from able_brick.core.path.running import Box, Run

#: Largest distance between a bent edge and the true curve, metres.
CHORD_ERROR: Final = 0.010
_SAMPLES: Final = 9
_SHARES: Final = (np.arange(_SAMPLES) + 0.5) / _SAMPLES
#: Items are alike when no sample of them is farther apart than about this, metres.
_ALIKE: Final = 1e-6
#: A share by which bends are taken for stronger than where they were measured.
_CAREFUL: Final = 1.25
#: Parts into which an item, or a leg of it, is divided at most.
MOST_PARTS: Final = 512
#: Sections that are looked at together: they take some 200 bytes each.
_MOST_AT_ONCE: Final = 200_000
#: The share of the chord error that the middles of edges may be off; elsewhere along them it may be a little more.
_NEARLY: Final = 0.98


class Way(Protocol):
    """What a mesh can be bent along."""

    @property
    def length(self) -> float: ...
    @property
    def closed(self) -> bool: ...
    def sections(self, stations: Floats, *, plain: bool = False) -> Sections: ...
    def at_corners(self) -> Floats: ...


#: How an item is divided: for each of its legs where it begins and ends in the piece, metres, and into how many parts.
Division = tuple[tuple[float, float, int], ...]


@dataclass(frozen=True, eq=False)
class Bent:
    """Items of one piece, bent.

    starts, ends (n): lengths along the path where each begins and ends; parts (n): into how many even parts each is
    divided, at least; legs: the division of those that a corner of the path is in or that begin or end in one;
    corners (k): lengths along the path to its corners; reach: how far what stands in their mitres is from the path at
    most; positions (n,3), turns (n,4): where each item's own frame
    stands; rigid (n): those that are only placed and stretched; coarse (n): those that would need more parts than any
    gets; alike (n): the number of the first item that is of the same form; low, high (n,3): the box of each as its own
    frame sees it; digests: one for each distinct form, by its first item.
    """

    way: Way
    run: Run
    box: Box
    starts: Floats
    ends: Floats
    parts: Ints
    legs: dict[int, Division] = field(repr=False)
    corners: Floats
    reach: float
    positions: Floats
    turns: Floats
    rigid: Bools
    coarse: Bools
    alike: Ints
    low: Floats
    high: Floats
    digests: dict[int, str] = field(repr=False)

    @property
    def nbytes(self) -> int:
        return int(self.starts.nbytes * 20 + 200 * len(self.digests))

    @cached_property
    def name(self) -> str:
        """Names its forms and where they stand."""
        name = hashlib.blake2b(" ".join(self.digests.values()).encode(), digest_size=16)
        name.update(self.positions.tobytes())
        return name.hexdigest()

    @cached_property
    def stretch(self) -> Floats:
        """(n) by how much each item is longer than its piece."""
        return (self.ends - self.starts) / self.box.length

    def division(self, item: int) -> Division:
        """How an item is divided."""
        low, high = float(self.box.low[0]), float(self.box.high[0])
        return self.legs.get(item) or ((low, high, int(self.parts[item])),)


def bent(way: Way, run: Run, box: Box, starts: Floats, ends: Floats, *, error: float = CHORD_ERROR) -> Bent:
    """How items of a piece come out that run along a way from lengths `starts` to `ends` (n), metres.

    `box` is the piece's, as it runs. Each item is divided so finely that no edge is farther from the true curve than
    `error`: with h the length of a part, h² / 8 times how strongly its outer lines bend. What is between two corners
    of the path is divided by itself: a straight leg is not, whatever turns there are at its ends.
    """
    n = len(starts)
    corners = way.at_corners()
    if len(corners) and way.closed:  # a closed path is gone round again
        corners = np.concatenate([corners, corners + way.length, corners[:1] + 2 * way.length])
    long = ends - starts
    stretch = long / box.length
    pivot = min(max(0.0, float(box.low[0])), float(box.high[0]))
    # samples of all items, their own places, where they begin and where they end
    own_at = starts + long * ((pivot - box.low[0]) / box.length)
    every = way.sections(np.concatenate([(starts[:, None] + long[:, None] * _SHARES).ravel(), own_at, starts, ends]))
    m = n * _SAMPLES
    positions = every.origin[m : m + n].copy()
    turns = turns_of(*framed(every.side[m : m + n], every.up[m : m + n]))
    lines = outer_lines(every.origin, every.side, every.up, box.corners)
    sampled = lines[:m].reshape(n, _SAMPLES, 4, 3)
    grain = 1e-9 * max(1.0, way.length)
    first, last = np.searchsorted(corners, starts - grain), np.searchsorted(corners, ends + grain)
    kinked = last > first
    parts, coarse = _divisions(way, box, starts, ends, np.flatnonzero(~kinked), sampled, error)
    legs: dict[int, Division] = {}
    for k in np.flatnonzero(kinked):
        inside = corners[first[k] : last[k]]
        inside = inside[(inside > starts[k] + grain) & (inside < ends[k] - grain)]
        legs[int(k)], coarse[k] = _legs(way, box, float(starts[k]), float(ends[k]), inside, grain, error)
        parts[k] = sum(leg[2] for leg in legs[int(k)])
    local = as_framed(sampled.reshape(n, 4 * _SAMPLES, 3), positions, turns).reshape(sampled.shape)
    outer = every.side[m + n :]
    plain = np.abs(np.sqrt(dots(outer, outer)) - 1.0).reshape(2, n).max(axis=0) < 1e-9
    size = max(1.0, float(np.abs(positions).max(initial=0.0)))
    # a rigid item is where its own frame and a stretch would put it
    off = straight_off(local, _SHARES, stretch, box.corners, float(box.low[0]) - pivot, box.length)
    rigid = (off <= 1e-11 * size) & ~kinked & plain
    parts[rigid] = 1
    at_ends = as_framed(lines[m + n :], np.concatenate([positions] * 2), np.concatenate([turns] * 2))
    number, digests = _likeness(local, at_ends, parts, rigid, legs, stretch)
    low, high = boxes(local.reshape(n, 4 * _SAMPLES, 3), at_ends)
    reach = _mitre_reach(way, box, corners)
    slack = 0.02 * (high - low) + np.where(kinked, reach, 0.0)[:, None]
    if pivot:
        along = Rotation.from_quat(turns[rigid]).as_matrix()[:, :, 0]
        positions[rigid] -= along * (pivot * stretch[rigid])[:, None]
    return Bent(
        way,
        run,
        box,
        starts,
        ends,
        parts,
        legs,
        corners,
        reach,
        positions,
        turns,
        rigid,
        coarse,
        number,
        low - slack,
        high + slack,
        digests,
    )


def _mitre_reach(way: Way, box: Box, corners: Floats) -> float:
    """How far what stands in the mitres reaches from the path, metres."""
    if not len(corners):
        return 0.0
    found = way.sections(corners)
    away = outer_lines(np.zeros_like(found.origin), found.side, found.up, box.corners)
    return float(np.linalg.norm(away, axis=2).max())


def _divisions(
    way: Way, box: Box, starts: Floats, ends: Floats, chosen: npt.NDArray[np.intp], lines: Floats, error: float
) -> tuple[Ints, Bools]:
    """(n) even parts of items that no corner is in, from samples of their lines (n,m,4,3), and which are too coarse;
    of the chosen ones."""
    parts, coarse = np.ones(len(starts), np.int32), np.zeros(len(starts), np.bool_)
    if len(way.at_corners()):  # leaning towards a corner is no bend
        long = (ends - starts)[chosen]
        found = way.sections((starts[chosen, None] + long[:, None] * _SHARES).ravel(), plain=True)
        lines = outer_lines(found.origin, found.side, found.up, box.corners).reshape(len(chosen), _SAMPLES, 4, 3)
    else:
        lines = lines[chosen]
    parts[chosen] = _parts(lines, (ends - starts)[chosen], error)
    _check_parts(way, box, starts, ends - starts, parts, coarse, chosen, error)
    return parts, coarse


def _legs(
    way: Way, box: Box, start: float, end: float, inside: Floats, grain: float, error: float
) -> tuple[Division, bool]:
    """The division of an item that corners are in or at the ends of, and whether it is too coarse."""
    stops = np.concatenate([[start], inside, [end]])
    # just beside the corners, where nothing stands in a mitre yet
    begins, stop = stops[:-1] + grain, stops[1:] - grain
    found = way.sections((begins[:, None] + (stop - begins)[:, None] * _SHARES).ravel(), plain=True)
    lines = outer_lines(found.origin, found.side, found.up, box.corners).reshape(len(begins), _SAMPLES, 4, 3)
    parts = _parts(lines, stop - begins, error)
    coarse = np.zeros(len(parts), np.bool_)
    _check_parts(way, box, begins, stop - begins, parts, coarse, np.arange(len(parts)), error)
    low, high = float(box.low[0]), float(box.high[0])
    at = (low + (inside - start) / (end - start) * (high - low)).tolist()
    return tuple(zip([low, *at], [*at, high], parts.tolist(), strict=True)), bool(coarse.any())


def _parts(lines: Floats, long: Floats, error: float) -> Ints:
    """(n) even parts that keep within the error, as one of a few numbers, so that few meshes are divided."""
    bend = _CAREFUL * bends(lines, long / _SAMPLES)
    least = np.maximum(bend * long**2, 1e-12) / (8.0 * error)
    return _rounded(np.sqrt(least))


def _check_parts(
    way: Way,
    box: Box,
    starts: Floats,
    long: Floats,
    parts: Ints,
    coarse: Bools,
    waiting: npt.NDArray[np.intp],
    error: float,
) -> None:
    """Double the parts of those of the items that wait whose edges, as they are divided, are farther from the true
    curve than `error`: where bends change fast, the samples that the parts were computed from may have missed the
    strongest. Those that have all the parts that there are, are marked as coarse."""
    while len(waiting):
        again = []
        taken = np.cumsum(2 * parts[waiting].astype(np.int64) + 1)
        stops = np.searchsorted(taken, np.arange(_MOST_AT_ONCE, int(taken[-1]) + _MOST_AT_ONCE, _MOST_AT_ONCE))
        for at in np.split(waiting, np.unique(np.minimum(stops, len(waiting)))):
            if len(at):
                found = way.sections(division_stations(starts[at], long[at], parts[at]), plain=True)
                off = farthest_middles(found.origin, found.side, found.up, box.corners, parts[at])
                coarse[at] = (off > error) & (parts[at] >= MOST_PARTS)
                far = at[(off > _NEARLY * error) & (parts[at] < MOST_PARTS)]
                parts[far] = np.minimum(parts[far] * 2, MOST_PARTS)
                again.append(far)
        waiting = np.concatenate(again)


def _rounded(wanted: Floats) -> Ints:
    """The next power of two: few of them make few meshes."""
    return np.exp2(np.ceil(np.log2(np.clip(wanted, 1.0, MOST_PARTS)) - 1e-9)).astype(np.int32)


def _likeness(
    local: Floats, ends: Floats, parts: Ints, rigid: Bools, legs: dict[int, Division], stretch: Floats
) -> tuple[Ints, dict[int, str]]:
    """(n) the first item of the same form for each, and a digest for each form."""
    n = len(local)
    rows = np.empty((n, 12 * _SAMPLES + 26))
    rows[:, : 12 * _SAMPLES] = local.reshape(n, -1)
    rows[:, 12 * _SAMPLES : -14] = ends[:n].reshape(n, 12)
    rows[:, -14:-2] = ends[n:].reshape(n, 12)
    rows[:, :-2] /= _ALIKE
    rows[:, -2] = parts
    rows[:, -1] = stretch * 1e9
    rows[rigid] = 0.0
    packed = np.rint(rows).astype(np.int64)
    alike = np.empty(n, np.int32)
    first: dict[bytes, int] = {}
    for k in range(n):
        # those at corners are each by themselves
        own = repr((k, legs[k])).encode() if k in legs else b""
        alike[k] = first.setdefault(packed[k].tobytes() + own, k)
    return alike, {k: hashlib.blake2b(row, digest_size=16).hexdigest() for row, k in first.items()}


@dataclass(frozen=True, eq=False)
class Rows:
    """Points of a mesh as they run, by how far along they lie: the distinct lengths (k), metres, and the number (n) of
    each point's. `inside` (k): lengths a little on, where a length is that of a corner, into the leg that the points
    belong to."""

    lengths: Floats
    number: Ints
    inside: Floats | None = None

    @classmethod
    def of(cls, points: Floats) -> Rows:
        lengths, number = np.unique(points[:, 0], return_inverse=True)
        return cls(lengths, number.ravel().astype(np.int32))


def bent_points(found: Bent, points: Floats, items: Sequence[int] | Ints, rows: Rows | None = None) -> Floats:
    """(m,V,3) where points (V,3) of a divided mesh, as they run, are in the world for m of the items.

    Two points at the same length along the path, side and height are the same numbers, whichever items they belong to.
    `rows` are those of the points, where they are known.
    """
    rows = rows or Rows.of(points)
    chosen = np.asarray(items, np.int64)
    low, high = float(found.box.low[0]), float(found.box.high[0])
    # the plane of a corner is mitred at its very own length
    at = item_stations(
        rows.lengths, low, high, (high - low) * ON_PLANE, found.starts[chosen], found.ends[chosen], found.corners
    )
    sections = found.way.sections(at.ravel())
    shape = (len(chosen), len(rows.lengths), 3)
    out = np.empty((len(chosen), len(points), 3))
    inner = np.ascontiguousarray(points)
    spread(
        sections.origin.reshape(shape),
        sections.side.reshape(shape),
        sections.up.reshape(shape),
        rows.number,
        inner,
        out,
    )
    if len(found.corners):
        mitre = found.way.sections(found.corners)
        touch_mitres(at, found.corners, mitre.origin, mitre.side, mitre.up, found.reach, rows.number, inner, out)
    return out


def bent_normals(
    found: Bent, points: Floats, normals: Floats, items: Sequence[int] | Ints, rows: Rows | None = None
) -> Floats:
    """(m,H,3) unit normals (H,3) at points (H,3), both as they run, as they stand in the world for m of the items.

    Turned with the path and leant with what becomes longer or shorter, so that neighbours meet without an edge. `rows`
    are those of the points, where they are known.
    """
    rows = rows or Rows.of(points)
    chosen = np.asarray(items, np.int64)
    step = found.box.length * 1e-4
    scale = (found.ends[chosen] - found.starts[chosen]) / found.box.length
    lengths = rows.lengths if rows.inside is None else rows.inside
    centre = found.starts[chosen, None] + (lengths[None] - found.box.low[0]) * scale[:, None]
    around = found.way.sections(np.concatenate([(centre - step).ravel(), (centre + step).ravel()]))
    shape = (2, len(chosen), len(rows.lengths), 3)
    out = np.empty((len(chosen), len(points), 3))
    lean(
        around.origin.reshape(shape),
        around.side.reshape(shape),
        around.up.reshape(shape),
        step,
        scale,
        rows.number,
        np.ascontiguousarray(points),
        np.ascontiguousarray(normals),
        out,
    )
    return out
