"""Where a path bends more tightly than what runs along it is deep, and where that crosses itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.guide import Between, Guide
from able_brick.core.path.radius import radius_of
from able_brick.core.path.running import Box

_MOST_SAMPLES: Final = 20_000
#: Corners that turn by more than this are too sharp for anything with a width, radians.
SHARPEST: Final = float(np.radians(150.0))


@dataclass(frozen=True, eq=False)
class Tight:
    """A place that is too tight: its length along the path, the point, the radius there and the one that is needed.

    In corners the radius is 0, and they have a `turn` (radians); where mitres take more of a leg than there is, `leg`
    is its length and `taken` what they take, metres.
    """

    station: float
    point: Floats
    radius: float
    needed: float
    turn: float = 0.0
    leg: float = 0.0
    taken: float = 0.0


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
    corners = guide.at_corners()
    if len(corners):  # what turns there is looked at by itself
        near = np.abs(at - corners[np.clip(np.searchsorted(corners, at), 0, len(corners) - 1)]) <= 2 * d
        near |= np.abs(at - corners[np.clip(np.searchsorted(corners, at) - 1, 0, len(corners) - 1)]) <= 2 * d
        at = at[~near]
    count = len(at)
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
    return [*out, *_corners(guide, low, high)]


def _surely_wide(guide: Guide | Between, low: Floats, high: Floats) -> bool:
    """Whether the curve nowhere bends as tightly as anything along it is deep: then nothing need be sampled."""
    if not isinstance(guide, Guide) or len(guide.corners) or guide.rolled:
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


def _corners(guide: Guide | Between, low: Floats, high: Floats) -> list[Tight]:
    """Corners that turn too sharply, and those at which a line of what runs along the guide has no length left on one
    of the legs: as much is taken by the mitres at its ends."""
    if isinstance(guide, Between) or not len(guide.corners):
        return []
    at, turns = guide.at_corners(), guide.corner_turns[guide.corners]
    before, after = guide.reaching(Box(low, high).corners).mitre_lengths
    # what the mitres at its ends take of each line of a leg: of the one that leads to each corner, and that it begins
    if guide.curve.closed:
        lengths = np.diff(np.append(at, at[0] + guide.length))
        onward = (after + np.roll(before, -1, axis=0)).max(axis=1)
        legs, takes = np.stack([np.roll(lengths, 1), lengths]), np.stack([np.roll(onward, 1), onward])
    else:
        lengths, none = np.diff(np.concatenate([[0.0], at, [guide.length]])), np.zeros((1, before.shape[1]))
        each = (np.concatenate([none, after]) + np.concatenate([before, none])).max(axis=1)
        legs, takes = np.stack([lengths[:-1], lengths[1:]]), np.stack([each[:-1], each[1:]])
    places = guide.sections(at).origin
    out: list[Tight] = []
    for k in range(len(at)):
        which = int(np.argmax(takes[:, k] - legs[:, k]))
        leg, taken = float(legs[which, k]), float(takes[which, k])
        most = float(max(before[k].max(), after[k].max()))
        deep = most / float(np.tan(min(turns[k], SHARPEST) / 2))
        if turns[k] > SHARPEST + 1e-9:
            out.append(Tight(float(at[k]), places[k], 0.0, deep, turn=float(turns[k])))
        elif taken > leg * (1 + 1e-9) and most > 0:
            out.append(Tight(float(at[k]), places[k], 0.0, deep, turn=float(turns[k]), leg=leg, taken=taken))
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
