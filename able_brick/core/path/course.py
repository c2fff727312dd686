"""Laying rigid pieces along a path."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.curve import Curve
from able_brick.core.path.frames import following, upright, upright_sides
from able_brick.core.place.copies import check_items
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
    """Items of a course: their poses, arc lengths of their middles (n,), centre to centre pitch (m), stretch factor."""

    poses: Poses
    middles: Floats
    pitch: float
    stretch: float
    running: Running


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
    runs along the chord. *fill*: the count follows from extent + gap, and all items are stretched alike so that the
    last one ends exactly at the end. *number*: evenly spread, first and last flush with the ends. *spacing*: centre
    to centre in metres, from the start, as many as fit. Sideways is positive to the left of the way one walks.
    Raises GeometryError for a piece without extent along the path, or absurd counts.
    """
    axis = running_axis(low, high, running, flip=flip)
    k = 0 if axis in (Running.X, Running.BACK_X) else 2
    sign = -1.0 if axis in (Running.BACK_X, Running.BACK_Z) else 1.0
    extent = float(high[k] - low[k])
    if extent <= 1e-9:
        raise GeometryError("The piece has no length along the path; choose another running axis.")
    length = curve.length
    stretch = 1.0
    if fit is Fit.FILL:
        natural = extent + gap
        if natural <= 1e-6:
            raise GeometryError(
                f"A gap of {gap:g} m leaves no distance between items {extent:g} m long; give more than {-extent:g} m."
            )
        count = check_items(max(1, round(length / natural)), "The course")
        pitch = length / count
        stretch = length / (count * natural)
        middles = (np.arange(count, dtype=np.float64) + 0.5) * pitch
    elif fit is Fit.NUMBER:
        count = check_items(number, "The course")
        if curve.closed:
            pitch = length / count
            middles = (np.arange(count, dtype=np.float64) + 0.5) * pitch
        else:
            pitch = (length - extent) / (count - 1) if count > 1 else 0.0
            middles = extent / 2 + np.arange(count, dtype=np.float64) * pitch if count > 1 else np.array([length / 2])
            middles = np.clip(middles, 0.0, length)
    else:
        if not spacing > 1e-6:
            raise GeometryError(f"The spacing is {spacing:g} m; give a distance above 0.", received=spacing)
        room = length if curve.closed else length - extent
        count = max(1, math.floor(room / spacing + 1e-9) + (0 if curve.closed else 1))
        check_items(count, "The course")
        pitch = spacing
        middles = np.clip(extent / 2 + np.arange(count, dtype=np.float64) * pitch, 0.0, length)
    half = extent * stretch / 2
    start, end = np.clip(middles - half, 0.0, length), np.clip(middles + half, 0.0, length)
    if fit is Fit.FILL and gap == 0.0:
        joints = np.arange(count + 1, dtype=np.float64) * pitch
        joints[-1] = length
        start, end = joints[:-1], joints[1:]
    at_start, at_end = curve.points(curve.parameters(start)), curve.points(curve.parameters(end))
    chord = at_end - at_start
    flush = np.linalg.norm(chord, axis=1) > 1e-9
    frames = upright(curve, middles) if stand is Stand.UPRIGHT else following(curve, middles)
    centre = np.where((flush & (end - start > 2 * half - 1e-9))[:, None], (at_start + at_end) / 2, frames.points)
    tangent = np.where(flush[:, None], unit(chord), frames.tangent)
    if stand is Stand.UPRIGHT:
        side = upright_sides(tangent)
        over = np.broadcast_to(np.array([0.0, 1.0, 0.0]), side.shape)
        tangent = np.cross(side, over)
    else:
        side = unit(frames.side - tangent * (frames.side * tangent).sum(axis=1, keepdims=True))
        over = np.cross(tangent, side)
    along = sign * tangent
    third = np.cross(along, over) if k == 0 else np.cross(over, along)
    matrix = np.stack([along, over, third] if k == 0 else [third, over, along], axis=2)
    size = np.ones(3)
    size[k] = stretch
    middle_of_piece = sign * (low[k] + high[k]) / 2 * stretch
    positions = centre - tangent * middle_of_piece + side * sideways + over * up
    turns = Rotation.from_matrix(matrix).as_quat(canonical=True)
    return Course(Poses.of(positions, turns, size), middles, pitch, stretch, axis)
