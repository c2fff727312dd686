"""Whether a player fits through along a line: the narrowest and the lowest place."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pose import vector
from able_brick.core.walk.rays import first_hits

#: What a player steps over, metres.
STEP = 0.45
#: Nothing further away than this is looked for, metres.
FAR = 25.0
#: Places along the line are no further apart than this, metres.
STRIDE = 0.05
_MOST_PLACES = 4000


@dataclass(frozen=True)
class Passage:
    """What is free along a line: the narrowest place and its width, the lowest and its height, metres.

    Where there is nothing to either side, or overhead, within FAR, the measure is None. `fits` tells of the whole way.
    """

    fits: bool
    narrowest: tuple[float, float, float]
    width: float | None
    lowest: tuple[float, float, float]
    height: float | None


def passage(start: Floats, end: Floats, triangles: Floats, *, radius: float, height: float) -> Passage:
    """How much room there is along the line from start (3,) to end (3,), which are on the floor.

    Among triangles (T,3,3), for a capsule of a radius and a height. At each place the floor is looked for within a
    step of the line. Widths are measured square to the line, level, from above a step up to the head; heights from the
    floor up, over the width of the body.
    Raises GeometryError when the points are one above the other, or too far apart.
    """
    way = np.array([end[0] - start[0], 0.0, end[2] - start[2]])
    length = float(np.linalg.norm(way))
    if length < 1e-6:
        raise GeometryError("The two points are above each other; pick two that a player walks between.")
    count = math.ceil(length / STRIDE) + 1
    if count > _MOST_PLACES:
        raise GeometryError(
            f"The two points are {length:.0f} m apart; pick points at most {_MOST_PLACES * STRIDE:.0f} m apart.",
            received=length,
        )
    along = way / length
    side = np.array([along[2], 0.0, -along[0]])
    share = np.linspace(0.0, 1.0, count)[:, None]
    floor = _floors(start + share * (np.asarray(end) - start), triangles)
    widths = _widths(floor, side, triangles, height)
    heights = _heights(floor, along, side, triangles, radius)
    n, low = int(np.argmin(widths)), int(np.argmin(heights))
    width, head = float(widths[n]), float(heights[low])
    return Passage(
        fits=width >= 2 * radius - 1e-9 and head >= height - 1e-9,
        narrowest=vector(floor[n]),
        width=None if width >= FAR else width,
        lowest=vector(floor[low]),
        height=None if head >= FAR else head,
    )


def _floors(places: Floats, triangles: Floats) -> Floats:
    """The places (N,3), each on the floor that is nearest under a step above it; it follows slopes and stairs."""
    out = places.copy()
    # only what is over or under the way can be its floor
    ends = places[[0, -1]][:, [0, 2]]
    flat = triangles[:, :, [0, 2]]
    beside = (flat.max(axis=1) < ends.min(axis=0)) | (flat.min(axis=1) > ends.max(axis=0))
    triangles = triangles[~beside.any(axis=1)]
    down = np.array([[0.0, -1.0, 0.0]])
    at = float(places[0, 1])
    for k in range(len(places)):
        origin = np.array([[places[k, 0], at + STEP, places[k, 2]]])
        away = float(first_hits(origin, down, triangles, 4 * STEP)[0])
        at = at + STEP - away if away < 4 * STEP else at + (places[k, 1] - at) * 0.1
        out[k, 1] = at
    return out


def _widths(floor: Floats, side: Floats, triangles: Floats, height: float) -> Floats:
    """What is free to both sides together at each place (N,), over the heights of a body; 0 before a wall."""
    levels = np.linspace(min(STEP + 0.02, height * 0.5), height - 0.02, 12)
    origins = (floor[:, None] + levels[None, :, None] * np.array([0.0, 1.0, 0.0])).reshape(-1, 3)
    free = [
        first_hits(origins, np.broadcast_to(s * side, origins.shape), triangles, FAR).reshape(len(floor), -1)
        for s in (1.0, -1.0)
    ]
    out: Floats = np.minimum(free[0].min(axis=1) + free[1].min(axis=1), FAR)
    way = np.diff(floor, axis=0)
    length = np.linalg.norm(way, axis=1)
    ahead = np.repeat(way / length[:, None], len(levels), axis=0)
    clear = first_hits(origins[: len(ahead)], ahead, triangles, FAR).reshape(len(way), -1).min(axis=1)
    out[:-1][clear < length] = 0.0
    return out


def _heights(floor: Floats, along: Floats, side: Floats, triangles: Floats, radius: float) -> Floats:
    """What is free overhead at each place (N,), over the width of a body, from the floor."""
    offsets = [np.zeros(3), radius * 0.7 * side, -radius * 0.7 * side, radius * 0.7 * along, -radius * 0.7 * along]
    lift = np.array([0.0, STEP, 0.0])
    up = np.broadcast_to([0.0, 1.0, 0.0], floor.shape)
    free = [first_hits(floor + o + lift, up, triangles, FAR) for o in offsets]
    out: Floats = np.minimum(np.min(free, axis=0) + STEP, FAR)
    return out
