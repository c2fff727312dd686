"""Where a path bends more tightly than what runs along it is deep, and where that crosses itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.late import cKDTree
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.guide import Between, Guide
from able_brick.core.path.radius import radius_of

_MOST_SAMPLES: Final = 20_000


@dataclass(frozen=True, eq=False)
class Tight:
    """A place that is too tight: its length along the path, the point, the radius there and the one that is needed."""

    station: float
    point: Floats
    radius: float
    needed: float


def tightest(guide: Guide | Between, low: Floats, high: Floats, stations: Floats) -> list[Tight]:
    """Places where what runs from side `low` to `high` (3,) along a guide folds over, each by its tightest point.

    The samples lie about a fiftieth of an item apart, and at the corners; `stations` (n,2) are the lengths of the
    items.
    """
    if _surely_wide(guide, low, high):
        return []
    step = float(np.min(stations[:, 1] - stations[:, 0])) / 24
    count = int(min(max(guide.length / max(step, 1e-9), 64 * guide.curve.span_count), _MOST_SAMPLES))
    at = np.asarray((np.arange(count) + 0.5) * (guide.length / count), np.float64)
    d = min(guide.length / count, 1e-3 * guide.length) / 4
    before, here, after = (guide.sections(at + k * d) for k in (-1, 0, 1))
    out: list[Tight] = []
    fold = np.full(count, np.inf)
    bend = np.zeros(count)
    depth = np.zeros(count)
    for u in (low[1], high[1]):
        for v in (low[2], high[2]):
            lines = [s.origin + u * s.side + v * s.up for s in (before, here, after)]
            middle = [s.origin for s in (before, here, after)]
            goes = (lines[2] - lines[0]) / (2 * d)
            ahead = here.along
            scale = (goes * ahead).sum(axis=1) / np.maximum((ahead * ahead).sum(axis=1), 1e-12)
            speed = (middle[2] - 2 * middle[1] + middle[0]) / d**2
            curve = np.linalg.norm(np.cross(speed, ahead), axis=1) / np.maximum(
                np.linalg.norm(ahead, axis=1) ** 3, 1e-12
            )
            less = scale < fold
            fold = np.where(less, scale, fold)
            bend = np.where(less, curve, bend)
            inner = np.where(curve > 1e-9, (1.0 - scale) / np.maximum(curve, 1e-9), 0.0)
            depth = np.where(less, inner, depth)
    bad = fold <= 1e-6
    for run in _runs(bad):
        k = run[int(np.argmin(fold[run]))]
        radius = 1.0 / float(bend[k]) if bend[k] > 0 else np.inf
        out.append(Tight(float(at[k]), here.origin[k], radius, float(max(depth[k], radius))))
    return [*out, *_corners(guide, low, high, stations)]


def _surely_wide(guide: Guide | Between, low: Floats, high: Floats) -> bool:
    """Whether the curve nowhere bends as tightly as anything along it is deep: then nothing need be sampled."""
    if not isinstance(guide, Guide) or len(guide.corners) or np.any(guide.roll):
        return False
    shift = np.array([guide.sideways, guide.up])
    sides = np.abs(np.concatenate([low[1:] + shift, high[1:] + shift]))
    controls = guide.curve.controls
    if guide.upright:
        if guide.curve.ever_steep:
            return False
        controls = controls * (1.0, 0.0, 1.0)
        sides = sides[[0, 2]]
    return radius_of(controls)[0] > 1.02 * float(np.linalg.norm([sides.max(), 0.0 if guide.upright else sides.max()]))


def _corners(guide: Guide | Between, low: Floats, high: Floats, stations: Floats) -> list[Tight]:
    """Corners whose mitre is longer, on the inside, than what runs up to it before the next corner or end."""
    at = guide.at_corners()
    if not len(at):
        return []
    turns = guide.corner_turns[guide.corners]
    stops = at if guide.curve.closed else np.concatenate([[0.0], at, [guide.length]])
    out: list[Tight] = []
    sections = guide.sections(at)
    for k, (station, turn) in enumerate(zip(at, turns, strict=True)):
        reach = max(abs(float(low[1])), abs(float(high[1]))) * float(np.tan(min(turn, 3.0) / 2))
        if guide.curve.closed:
            around = [(s - station) % guide.length for s in stops if s != station] or [guide.length]
            room = min(min(around), min(guide.length - r for r in around))
        else:
            room = min(abs(float(s) - float(station)) for s in stops if s != station)
        if reach > room or turn > np.radians(150):
            out.append(Tight(float(station), sections.origin[k], 0.0, max(abs(float(low[1])), abs(float(high[1])))))
    return out


def _runs(flags: np.ndarray) -> list[np.ndarray]:
    """Indices of each run of set flags."""
    at = np.flatnonzero(flags)
    return [r for r in np.split(at, np.flatnonzero(np.diff(at) > 1) + 1) if len(r)]


def crossings(guide: Guide | Between, low: Floats, high: Floats) -> list[Floats]:
    """Points where what runs along a guide goes through itself, seen from above and at about the same height."""
    width = max(float(high[1] - low[1]), 1e-3)
    step = max(width / 2, guide.length / 4000)
    count = max(int(guide.length / step), 2)
    at = np.linspace(0.0, guide.length, count + 1)
    s = guide.sections(at)
    middle = s.origin + s.side * ((low[1] + high[1]) / 2) + s.up * ((low[2] + high[2]) / 2)
    tall = max(float(high[2] - low[2]), 1e-3)
    scaled = middle * [1.0, min(width / tall, 1.0), 1.0]
    pairs = cKDTree(scaled).query_pairs(0.75 * width, output_type="ndarray")
    if not len(pairs):
        return []
    apart = np.abs(at[pairs[:, 0]] - at[pairs[:, 1]])
    if guide.curve.closed:
        apart = np.minimum(apart, guide.length - apart)
    # around a bend a path comes near itself without crossing: only what lies at least half a turn away counts
    found = pairs[apart > 2.5 * width + 2 * step]
    out: list[Floats] = []
    for i in np.unique(found[:, 0]):
        if not out or float(np.linalg.norm(middle[i] - out[-1])) > 4 * width:
            out.append(middle[i])
    return out
