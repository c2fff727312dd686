"""Bending meshes along a path: where their vertices go, how finely they must be divided, which items come out alike."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise
from typing import Final, Protocol

import numpy as np
import numpy.typing as npt

from able_brick.core.late import Rotation
from able_brick.core.mesh.normals import dots
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.slicing import ON_PLANE, cut_planes, sliced
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
_MOST_PARTS: Final = 512
#: Sections that are looked at together: they take some 200 bytes each.
_MOST_AT_ONCE: Final = 200_000
#: The share of the chord error that the middles of edges may be off; elsewhere along them it may be a little more.
_NEARLY: Final = 0.98


class Way(Protocol):
    """What a mesh can be bent along."""

    @property
    def length(self) -> float: ...
    def sections(self, stations: Floats) -> Sections: ...
    def at_corners(self) -> Floats: ...


@dataclass(frozen=True, eq=False)
class Bent:
    """Items of one piece, bent.

    starts, ends (n): lengths along the path where each begins and ends; parts (n): into how many even parts each is
    divided, at least; breaks: lengths within items at which the path turns a corner; positions (n,3), turns (n,4):
    where each item's own frame stands; rigid (n): those that are only placed and stretched; alike (n): the number of
    the first item that is of the same form; low, high (n,3): the box of each as its own frame sees it; digests: one
    for each distinct form, by its first item.
    """

    way: Way
    run: Run
    box: Box
    starts: Floats
    ends: Floats
    parts: Ints
    breaks: Floats
    positions: Floats
    turns: Floats
    rigid: Bools
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

    def planes(self, item: int) -> tuple[int, tuple[float, ...]]:
        """How an item is divided: the number of even parts, and where in the piece corners are."""
        a, b = self.starts[item], self.ends[item]
        inside = self.breaks[(self.breaks > a) & (self.breaks < b)]
        at = self.box.low[0] + (inside - a) / (b - a) * self.box.length
        return int(self.parts[item]), tuple(at.tolist())


def bent(way: Way, run: Run, box: Box, starts: Floats, ends: Floats, *, error: float = CHORD_ERROR) -> Bent:
    """How items of a piece come out that run along a way from lengths `starts` to `ends` (n), metres.

    `box` is the piece's, as it runs. Each item is divided so finely that no edge is farther from the true curve than
    `error`: with h the length of a part, h² / 8 times how strongly its outer lines bend.
    """
    n = len(starts)
    corners = way.at_corners()
    if len(corners) and len(ends) and float(ends.max()) > way.length:  # a closed path is gone round again
        corners = np.concatenate([corners, corners + way.length])
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
    inside = [corners[(corners > a) & (corners < b)] for a, b in zip(starts, ends, strict=True)] if len(corners) else []
    kinked = np.array([len(k) > 0 for k in inside], np.bool_) if len(corners) else np.zeros(n, np.bool_)
    parts = _parts(sampled, long, error)
    _check_parts(way, box, starts, long, parts, np.flatnonzero(~kinked), error)
    for k in np.flatnonzero(kinked):
        parts[k] = _parts_of_kinked(way, box, float(starts[k]), float(ends[k]), inside[k], error)
    local = as_framed(sampled.reshape(n, 4 * _SAMPLES, 3), positions, turns).reshape(sampled.shape)
    outer = every.side[m + n :]
    plain = np.abs(np.sqrt(dots(outer, outer)) - 1.0).reshape(2, n).max(axis=0) < 1e-9
    size = max(1.0, float(np.abs(positions).max(initial=0.0)))
    # a rigid item is where its own frame and a stretch would put it
    off = straight_off(local, _SHARES, stretch, box.corners, float(box.low[0]) - pivot, box.length)
    rigid = (off <= 1e-11 * size) & ~kinked & plain
    parts[rigid] = 1
    at_ends = as_framed(lines[m + n :], np.concatenate([positions] * 2), np.concatenate([turns] * 2))
    number, digests = _likeness(local, at_ends, parts, rigid, kinked, stretch)
    low, high = boxes(local.reshape(n, 4 * _SAMPLES, 3), at_ends)
    slack = 0.02 * (high - low) + np.where(kinked, np.abs(box.corners).max(), 0.0)[:, None]
    if pivot:
        along = Rotation.from_quat(turns[rigid]).as_matrix()[:, :, 0]
        positions[rigid] -= along * (pivot * stretch[rigid])[:, None]
    breaks = np.concatenate(inside) if len(corners) else np.zeros(0)
    return Bent(
        way,
        run,
        box,
        starts,
        ends,
        parts,
        breaks,
        positions,
        turns,
        rigid,
        number,
        low - slack,
        high + slack,
        digests,
    )


def _parts(lines: Floats, long: Floats, error: float) -> Ints:
    """(n) even parts that keep within the error, as one of a few numbers, so that few meshes are divided."""
    bend = _CAREFUL * bends(lines, long / _SAMPLES)
    least = np.maximum(bend * long**2, 1e-12) / (8.0 * error)
    return _rounded(np.sqrt(least))


def _check_parts(
    way: Way, box: Box, starts: Floats, long: Floats, parts: Ints, waiting: npt.NDArray[np.intp], error: float
) -> None:
    """Double the parts of those of the items that wait whose edges, as they are divided, are farther from the true
    curve than `error`: where bends change fast, the samples that the parts were reckoned from may have missed the
    strongest."""
    while len(waiting):
        again = []
        taken = np.cumsum(2 * parts[waiting].astype(np.int64) + 1)
        stops = np.searchsorted(taken, np.arange(_MOST_AT_ONCE, int(taken[-1]) + _MOST_AT_ONCE, _MOST_AT_ONCE))
        for at in np.split(waiting, np.unique(np.minimum(stops, len(waiting)))):
            if len(at):
                found = way.sections(division_stations(starts[at], long[at], parts[at]))
                off = farthest_middles(found.origin, found.side, found.up, box.corners, parts[at])
                far = at[(off > _NEARLY * error) & (parts[at] < _MOST_PARTS)]
                parts[far] = np.minimum(parts[far] * 2, _MOST_PARTS)
                again.append(far)
        waiting = np.concatenate(again)


def _rounded(wanted: Floats) -> Ints:
    """The next power of two: few of them make few meshes."""
    return np.exp2(np.ceil(np.log2(np.clip(wanted, 1.0, _MOST_PARTS)) - 1e-9)).astype(np.int32)


def _parts_of_kinked(way: Way, box: Box, start: float, end: float, corners: Floats, error: float) -> int:
    stops = np.concatenate([[start], corners, [end]])
    a, b = stops[:-1], stops[1:]
    found = way.sections((a[:, None] + (b - a)[:, None] * _SHARES).ravel())
    lines = outer_lines(found.origin, found.side, found.up, box.corners).reshape(len(a), _SAMPLES, 4, 3)
    bend = _CAREFUL * bends(lines, (b - a) / _SAMPLES)
    longest = np.sqrt(8.0 * error / np.maximum(bend, 1e-12))
    return int(_rounded(np.array([(end - start) / float(longest.min())]))[0])


def _likeness(
    local: Floats, ends: Floats, parts: Ints, rigid: Bools, kinked: Bools, stretch: Floats
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
    rows[kinked, -1] = -1.0 - np.flatnonzero(kinked)  # each by itself
    packed = np.rint(rows).astype(np.int64)
    alike = np.empty(n, np.int32)
    first: dict[bytes, int] = {}
    for k in range(n):
        alike[k] = first.setdefault(packed[k].tobytes(), k)
    return alike, {k: hashlib.blake2b(row, digest_size=16).hexdigest() for row, k in first.items()}


def divided(mesh: PolyMesh, points: Floats, division: tuple[int, tuple[float, ...]]) -> tuple[PolyMesh, Floats]:
    """A mesh cut so that it can be bent, and its points (V',3) as they run; `points` (V,3) are those of the mesh."""
    parts, corners = division
    s = points[:, 0]
    low, high = float(s.min()), float(s.max())
    if corners:
        stops = [low, *corners, high]
        planes = [
            cut_planes(np.concatenate([s[(s > a) & (s < b)], [a, b]]), (high - low) / parts) for a, b in pairwise(stops)
        ]
        every = np.unique(np.concatenate([*planes, np.asarray(corners)]))
    else:
        every = cut_planes(s, (high - low) / parts)
    if not len(every):
        return mesh, points
    out, at = sliced(mesh, s, every)
    run = np.array(sliced(mesh.replaced(positions=points), s, every)[0].positions)
    run[:, 0] = at
    return out, run


@dataclass(frozen=True, eq=False)
class Rows:
    """Points of a mesh as they run, by how far along they lie: the distinct lengths (k), metres, and the number (n) of
    each point's."""

    lengths: Floats
    number: Ints

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
        rows.lengths, low, high, (high - low) * ON_PLANE, found.starts[chosen], found.ends[chosen], found.breaks
    )
    sections = found.way.sections(at.ravel())
    shape = (len(chosen), len(rows.lengths), 3)
    out = np.empty((len(chosen), len(points), 3))
    spread(
        sections.origin.reshape(shape),
        sections.side.reshape(shape),
        sections.up.reshape(shape),
        rows.number,
        np.ascontiguousarray(points),
        out,
    )
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
    centre = found.starts[chosen, None] + (rows.lengths[None] - found.box.low[0]) * scale[:, None]
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
