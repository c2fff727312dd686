"""Bending meshes along a path: where their vertices go, how finely they must be divided, which items come out alike."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise
from typing import Final, Protocol

import numba
import numpy as np
import numpy.typing as npt
from scipy.spatial.transform import Rotation

from able_brick.core.mesh.normals import crossed, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.slicing import ON_PLANE, cut_planes, sliced
from able_brick.core.path.frames import turns_of
from able_brick.core.path.guide import Sections
from able_brick.core.path.running import Box, Run

#: Largest distance between a bent edge and the true curve, metres.
CHORD_ERROR: Final = 0.010
_SAMPLES: Final = 9
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
    share = (np.arange(_SAMPLES) + 0.5) / _SAMPLES
    long = ends - starts
    samples = way.sections((starts[:, None] + long[:, None] * share).ravel())
    pivot = float(np.clip(0.0, box.low[0], box.high[0]))
    own = way.sections(starts + long * ((pivot - box.low[0]) / box.length))
    positions, turns = own.origin, _frames(own)
    inside = [corners[(corners > a) & (corners < b)] for a, b in zip(starts, ends, strict=True)] if len(corners) else []
    kinked = np.array([len(k) > 0 for k in inside], np.bool_) if len(corners) else np.zeros(n, np.bool_)
    corner_lines = _corner_lines(samples, box, n)
    parts = _parts(corner_lines, long, error)
    _check_parts(way, box, starts, long, parts, np.flatnonzero(~kinked), error)
    for k in np.flatnonzero(kinked):
        parts[k] = _parts_of_kinked(way, box, float(starts[k]), float(ends[k]), inside[k], error)
    local = _local(corner_lines, positions, turns)
    stretch = long / box.length
    # a rigid item is where its own frame and a stretch would put it
    run_at = (box.low[0] - pivot + share * box.length)[None, :, None]
    straight = np.stack(
        [
            np.broadcast_to(run_at * stretch[:, None, None], (n, _SAMPLES, 4)),
            np.broadcast_to(box.corners[None, None, :, 1], (n, _SAMPLES, 4)),
            np.broadcast_to(box.corners[None, None, :, 0], (n, _SAMPLES, 4)),
        ],
        axis=3,
    )
    outer = way.sections(np.concatenate([starts, ends]))
    plain = np.abs(np.linalg.norm(outer.side, axis=1) - 1.0).reshape(2, n).max(axis=0) < 1e-9
    size = max(1.0, float(np.abs(positions).max(initial=0.0)))
    rigid = (np.abs(local - straight).max(axis=(1, 2, 3), initial=0.0) <= 1e-11 * size) & ~kinked & plain
    parts[rigid] = 1
    at_ends = _local(
        _corner_lines(outer, box, 2 * n, 1), np.concatenate([positions, positions]), np.concatenate([turns, turns])
    )
    number, digests = _likeness(local, at_ends, parts, rigid, kinked, stretch)
    both = at_ends.reshape(2, n, 4, 3).transpose(1, 0, 2, 3).reshape(n, 8, 3)
    every = np.concatenate([local.reshape(n, -1, 3), both], axis=1)
    every[..., 2] *= -1.0
    low, high = every.min(axis=1), every.max(axis=1)
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


def _frames(own: Sections) -> Floats:
    """(n,4) turns of the frames that stand across the path: X along it, Y up, Z to the right."""
    side = unit(own.side)
    up = unit(own.up - side * dots(own.up, side)[:, None])
    along = crossed(side, up)
    out: Floats = turns_of(along, up, -side)
    return out


def _corner_lines(s: Sections, box: Box, n: int, samples: int = _SAMPLES) -> Floats:
    """(n,samples,4,3) the four outer lines of the box along each item, in the world."""
    out = s.origin[:, None] + box.corners[None, :, :1] * s.side[:, None] + box.corners[None, :, 1:] * s.up[:, None]
    return out.reshape(n, samples, 4, 3)


def _local(points: Floats, positions: Floats, turns: Floats) -> Floats:
    """Points (n,m,4,3) as the frames of their items see them: along, up, side."""
    back = Rotation.from_quat(turns).as_matrix()
    away = points - positions[:, None, None]
    out: Floats = np.einsum("nji,nmcj->nmci", back, away)
    out[..., 2] *= -1.0
    return out


def _bend(lines: Floats, step: Floats) -> Floats:
    """(n) how strongly lines (n,m,4,3), sampled every `step` (n), bend at most: the second derivative."""
    second = lines[:, 2:] - 2 * lines[:, 1:-1] + lines[:, :-2]
    # samples lie half a step within: what the second differences lead to at the very ends, where bends are strongest
    # on paths that wind ever more tightly
    first, last = second[:, :1], second[:, -1:]
    ends = [first + 1.5 * (first - second[:, 1:2]), last + 1.5 * (last - second[:, -2:-1])]
    every = np.concatenate([second, *ends], axis=1)
    out: Floats = np.sqrt(dots(every, every).max(axis=(1, 2), initial=0.0)) / step**2
    return out


def _parts(lines: Floats, long: Floats, error: float) -> Ints:
    """(n) even parts that keep within the error, as one of a few numbers, so that few meshes are divided."""
    bend = _CAREFUL * _bend(lines, long / _SAMPLES)
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
        before = parts[waiting]
        for count in np.unique(before):
            n = 2 * int(count) + 1
            share = np.arange(n) / (n - 1)
            same = waiting[before == count]
            portion = max(1, _MOST_AT_ONCE // n)
            for at in (same[k : k + portion] for k in range(0, len(same), portion)):
                found = way.sections((starts[at, None] + long[at, None] * share).ravel())
                lines = _corner_lines(found, box, len(at), n)
                off = lines[:, 1::2] - (lines[:, :-1:2] + lines[:, 2::2]) / 2
                far = np.sqrt(dots(off, off).max(axis=(1, 2), initial=0.0)) > _NEARLY * error
                parts[at[far]] = np.minimum(parts[at[far]] * 2, _MOST_PARTS)
                again.append(at[far & (count < _MOST_PARTS)])
        waiting = np.concatenate(again)


def _rounded(wanted: Floats) -> Ints:
    """The next power of two: few of them make few meshes."""
    return np.exp2(np.ceil(np.log2(np.clip(wanted, 1.0, _MOST_PARTS)) - 1e-9)).astype(np.int32)


def _parts_of_kinked(way: Way, box: Box, start: float, end: float, corners: Floats, error: float) -> int:
    stops = np.concatenate([[start], corners, [end]])
    a, b = stops[:-1], stops[1:]
    share = (np.arange(_SAMPLES) + 0.5) / _SAMPLES
    found = way.sections((a[:, None] + (b - a)[:, None] * share).ravel())
    bend = _CAREFUL * _bend(_corner_lines(found, box, len(a)), (b - a) / _SAMPLES)
    longest = np.sqrt(8.0 * error / np.maximum(bend, 1e-12))
    return int(_rounded(np.array([(end - start) / float(longest.min())]))[0])


def _likeness(
    local: Floats, ends: Floats, parts: Ints, rigid: Bools, kinked: Bools, stretch: Floats
) -> tuple[Ints, dict[int, str]]:
    """(n) the first item of the same form for each, and a digest for each form."""
    n = len(local)
    both = ends.reshape(2, n, 12)
    rows = np.concatenate(
        [
            np.round(local.reshape(n, -1) / _ALIKE),
            np.round(both[0] / _ALIKE),
            np.round(both[1] / _ALIKE),
            parts[:, None],
            np.round(stretch[:, None] * 1e9),
        ],
        axis=1,
    )
    rows[rigid] = 0.0
    rows[kinked, -1] = -1.0 - np.flatnonzero(kinked)  # each by itself
    packed = np.ascontiguousarray(rows.astype(np.int64))
    _, first, inverse = np.unique(
        packed.view(np.dtype((np.void, packed.dtype.itemsize * packed.shape[1]))).ravel(),
        return_index=True,
        return_inverse=True,
    )
    alike = first[inverse].astype(np.int32)
    digests = {int(k): hashlib.blake2b(packed[k].tobytes(), digest_size=16).hexdigest() for k in first}
    return alike, digests


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


def bent_points(found: Bent, points: Floats, items: Sequence[int] | Ints) -> Floats:
    """(m,V,3) where points (V,3) of a divided mesh, as they run, are in the world for m of the items.

    Two points at the same length along the path, side and height are the same numbers, whichever items they belong to.
    """
    chosen = np.asarray(items, np.int64)
    s, index = np.unique(points[:, 0], return_inverse=True)
    low, high = found.box.low[0], found.box.high[0]
    grain = (high - low) * ON_PLANE
    starts, ends = found.starts[chosen, None], found.ends[chosen, None]
    at = starts + (s[None] - low) * ((ends - starts) / (high - low))
    at = np.where(s[None] <= low + grain, starts, np.where(s[None] >= high - grain, ends, at))
    for corner in found.breaks:  # the plane of a corner is mitred at its very own length
        at = np.where(np.abs(at - corner) <= 1e-9 * max(1.0, corner), corner, at)
    found_at = found.way.sections(at.ravel())
    out = np.empty((len(chosen), len(points), 3))
    _spread(
        found_at.origin.reshape(len(chosen), -1, 3),
        found_at.side.reshape(len(chosen), -1, 3),
        found_at.up.reshape(len(chosen), -1, 3),
        index.ravel().astype(np.int32),
        np.ascontiguousarray(points),
        out,
    )
    return out


@numba.njit(cache=True, nogil=True)
def _spread(origin, side, up, index, points, out):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        for v in range(len(points)):
            k = index[v]
            a, b = points[v, 1], points[v, 2]
            for j in range(3):
                out[i, v, j] = origin[i, k, j] + a * side[i, k, j] + b * up[i, k, j]


def bent_normals(found: Bent, points: Floats, normals: Floats, items: Sequence[int] | Ints) -> Floats:
    """(m,H,3) unit normals (H,3) at points (H,3), both as they run, as they stand in the world for m of the items.

    Turned with the path and leant with what becomes longer or shorter, so that neighbours meet without an edge.
    """
    chosen = np.asarray(items, np.int64)
    s, index = np.unique(points[:, 0], return_inverse=True)
    low = found.box.low[0]
    step = found.box.length * 1e-4
    starts = found.starts[chosen, None]
    scale = (found.ends[chosen, None] - starts) / found.box.length
    centre = starts + (s[None] - low) * scale
    around = found.way.sections(np.concatenate([(centre - step).ravel(), (centre + step).ravel()]))
    shape = (2, len(chosen), len(s), 3)
    origin, side, up = around.origin.reshape(shape), around.side.reshape(shape), around.up.reshape(shape)
    out = np.empty((len(chosen), len(points), 3))
    _lean(
        (origin[1] - origin[0]) / (2 * step),
        (side[1] - side[0]) / (2 * step),
        (up[1] - up[0]) / (2 * step),
        (side[0] + side[1]) / 2,
        (up[0] + up[1]) / 2,
        np.ascontiguousarray(np.broadcast_to(scale, (len(chosen), 1)))[:, 0],
        index.ravel().astype(np.int32),
        np.ascontiguousarray(points),
        np.ascontiguousarray(normals),
        out,
    )
    return out


@numba.njit(cache=True, nogil=True)
def _lean(d_origin, d_side, d_up, side, up, scale, index, points, normals, out):  # type: ignore[no-untyped-def]
    t, s, m = np.empty(3), np.empty(3), np.empty(3)
    for i in range(len(out)):
        for v in range(len(points)):
            k = index[v]
            a, b = points[v, 1], points[v, 2]
            for j in range(3):
                t[j] = (d_origin[i, k, j] + a * d_side[i, k, j] + b * d_up[i, k, j]) * scale[i]
                s[j], m[j] = side[i, k, j], up[i, k, j]
            # cofactors: what a normal becomes under any change of form; T × S = U
            x, y, z = normals[v, 0], normals[v, 1], normals[v, 2]
            total = 0.0
            for j in range(3):
                p, q = (j + 1) % 3, (j + 2) % 3
                su = s[p] * m[q] - s[q] * m[p]
                ut = m[p] * t[q] - m[q] * t[p]
                ts = t[p] * s[q] - t[q] * s[p]
                out[i, v, j] = x * su + y * ut + z * ts
                total += out[i, v, j] ** 2
            total = np.sqrt(total)
            for j in range(3):
                out[i, v, j] = out[i, v, j] / total if total > 0.0 else (normals[v, 0] if j == 0 else 0.0)
