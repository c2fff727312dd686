"""Laying rigid pieces along a path."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.polymesh import Bools, Floats
from able_brick.core.path.curve import Curve
from able_brick.core.path.fitting import Way, filled, numbered, spaced
from able_brick.core.path.frames import following, upright, upright_sides
from able_brick.core.place.pose import Poses


class Fit(StrEnum):
    """How the number of items follows from the path."""

    FILL = "fill"
    NUMBER = "number"
    SPACING = "spacing"


class Stand(StrEnum):
    """How items stand on a sloping path."""

    UPRIGHT = "upright"
    FOLLOWING = "following"


class Running(StrEnum):
    """The piece's axis that goes along the path."""

    AUTO = "auto"
    X = "x"
    Z = "z"
    BACK_X = "-x"
    BACK_Z = "-z"


@dataclass(frozen=True, eq=False)
class Course:
    """Items of a course: their poses, lengths from the path's start to their middles (n,), centre to centre pitch (m),
    stretch factor.

    `length` is the path's as it was measured, and `natural` an item's and the gap behind it; `ends_off` is how far the
    first and the last item's ends are from the path's (m), `joints_off` how far neighbours are from meeting on it (m),
    beyond the gap; `steep` (n) are the items that follow the path because it is too steep to stand upright on.
    """

    poses: Poses
    middles: Floats
    pitch: float
    stretch: float
    running: Running
    length: float
    natural: tuple[float, float]
    ends_off: float
    joints_off: float
    steep: Bools


_BACK = {
    Running.X: Running.BACK_X,
    Running.BACK_X: Running.X,
    Running.Z: Running.BACK_Z,
    Running.BACK_Z: Running.Z,
}


def running_axis(low: Floats, high: Floats, asked: Running = Running.AUTO, *, flip: bool = False) -> Running:
    """The asked axis, or the longer one of the piece's X and Z extents; the other way round with `flip`."""
    axis = asked
    if asked is Running.AUTO:
        size = high - low
        axis = Running.X if size[0] >= size[2] else Running.Z
    return _BACK[axis] if flip else axis


def side_shift(running: Running, move: Floats) -> tuple[float, float]:
    """How far a move (3,) of the pivot in the piece's axes shifts a course sideways and up, metres."""
    side = {Running.X: -move[2], Running.BACK_X: move[2], Running.Z: move[0], Running.BACK_Z: -move[0]}[running]
    return float(side), float(move[1])


def lay_course(
    curve: Curve,
    low: Floats,
    high: Floats,
    *,
    fit: Fit = Fit.FILL,
    number: int = 10,
    spacing: float = 4.0,
    gap: float = 0.0,
    sideways: float = 0.0,
    up: float = 0.0,
    stand: Stand = Stand.UPRIGHT,
    running: Running = Running.AUTO,
    flip: bool = False,
) -> Course:
    """Lay a piece whose box about its pivot runs from `low` to `high` (3,) along a curve; metres.

    Each item's running ends lie on the path, so neighbours meet on it: its middle is the middle of that chord and it
    runs along the chord. *fill*: the count follows from extent and gap, and all items are stretched alike so that the
    first begins at the path's start and the last one ends at its end, with the gap between them and none at the ends.
    *number*: evenly spread, first and last flush with the ends. *spacing*: centre to centre in metres, from the start,
    as many as fit. Upright items are measured in plan, and each stands at the height of the path at its middle; where
    the path is steeper than 80° they follow it. Sideways is positive to the left of the way one walks.
    Raises GeometryError for a piece without extent along the path, a path that is too short, or absurd counts.
    """
    axis = running_axis(low, high, running, flip=flip)
    k = 0 if axis in (Running.X, Running.BACK_X) else 2
    sign = -1.0 if axis in (Running.BACK_X, Running.BACK_Z) else 1.0
    extent = float(high[k] - low[k])
    if extent <= 1e-9:
        raise GeometryError("The piece has no length along the path; choose another running axis.")
    standing = stand is Stand.UPRIGHT
    way = Way(curve.on_ground if standing else curve)
    match fit:
        case Fit.FILL:
            stretches = filled(way, extent, gap)
        case Fit.NUMBER:
            stretches = numbered(way, extent, number)
        case Fit.SPACING:
            stretches = spaced(way, extent, spacing)
    half = extent * stretches.stretch / 2
    at_start, at_end, middle = way.points(stretches.ends[:, 0]), way.points(stretches.ends[:, 1]), stretches.middle
    steep = curve.steep(middle) if standing else np.zeros(len(middle), np.bool_)
    chord = at_end - at_start
    level = standing & ~steep
    chord[level, 1] = 0.0
    size = np.linalg.norm(chord, axis=1)
    flush = size > 1e-9
    places = curve.stations(middle)
    frames = upright(curve, places) if level.all() else following(curve, places)
    tangent = np.where(flush[:, None], unit(chord), frames.tangent)
    centre = np.where(flush[:, None], (at_start + at_end) / 2, frames.points)
    centre[level, 1] = curve.points(middle)[level, 1]
    if stretches.closes and not curve.closed:
        # where chords differ in length, at least the outer ends are put where the path begins and ends
        centre[0] += tangent[0] * (half - size[0] / 2)
        centre[-1] -= tangent[-1] * (half - size[-1] / 2) if len(centre) > 1 else 0.0
    side = unit(frames.side - tangent * (frames.side * tangent).sum(axis=1, keepdims=True))
    over = np.cross(tangent, side)
    if level.any():
        side[level] = upright_sides(tangent[level])
        over[level] = (0.0, 1.0, 0.0)
        tangent[level] = np.cross(side[level], over[level])
    along = sign * tangent
    third = np.cross(along, over) if k == 0 else np.cross(over, along)
    matrix = np.stack([along, over, third] if k == 0 else [third, over, along], axis=2)
    factors = np.ones(3)
    factors[k] = stretches.stretch
    middle_of_piece = sign * (low[k] + high[k]) / 2 * stretches.stretch
    positions = centre - tangent * middle_of_piece + side * sideways + over * up
    turns = Rotation.from_matrix(matrix).as_quat(canonical=True)
    apart = gap if fit is Fit.FILL else 0.0
    return Course(
        Poses.of(positions, turns, factors),
        stretches.stations,
        stretches.pitch,
        stretches.stretch,
        axis,
        way.length,
        (extent, apart),
        float(abs(size[0] - 2 * half) if stretches.closes and len(size) == 1 and not curve.closed else 0.0),
        _joints_off(centre, tangent * half, apart, level, closed=curve.closed),
        steep,
    )


def _joints_off(centre: Floats, half: Floats, gap: float, level: Bools, *, closed: bool) -> float:
    """How far neighbours are from being just the gap apart, metres: from their middles (n,3) and halves (n,3) as they
    run; in plan between those that stand upright."""
    begin, end = centre - half, centre + half
    away = (np.roll(begin, -1, axis=0) - end)[: len(centre) if closed else -1]
    flat = (level & np.roll(level, -1))[: len(away)]
    away[flat, 1] = 0.0
    return float(np.abs(np.linalg.norm(away, axis=1) - abs(gap)).max(initial=0.0))
