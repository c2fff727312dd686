"""Measures between features of what stands in the level, and room for a player."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel

from able_brick.core.errors import InputError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.place.items import item_to_world
from able_brick.core.place.pose import vector
from able_brick.core.walk.fits import FAR, STEP, passage
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import Vector
from able_brick.level.snap import items_of
from able_brick.level.snapshot import Snapshot
from able_brick.level.surface import Load


class Measured(BaseModel):
    """Metres between the first two features, also along the world's axes, and the points.

    `angle`, degrees, is that between the directions to the first and the last, or between the faces of two features.
    """

    points: list[Vector]
    distance: float
    along: Vector
    angle: float | None


class Fits(BaseModel):
    """Whether the body fits; the narrowest and the lowest place of the way, and what is free there, metres.

    None where nothing is near.
    """

    fits: bool
    narrowest: Vector
    width: float | None
    lowest: Vector
    height: float | None
    text: str


def measure(snapshot: Snapshot, level: str, load: Load, features: Sequence[FeatureAt]) -> Measured:
    """The distance and the angle between two features, or three: the angle is then at the second.

    Raises UnknownIdError when one is not there (any more).
    """
    spots = [spot_of(snapshot, level, load, f) for f in features]
    a, b = spots[0].point, spots[1].point
    u, v = (a - b, spots[2].point - b) if len(spots) == 3 else (spots[0].normal, spots[1].normal)
    return Measured(
        points=[vector(s.point) for s in spots],
        distance=float(np.linalg.norm(b - a)),
        along=vector(b - a),
        angle=_angle(u, v),
    )


def _angle(u: Floats, v: Floats) -> float | None:
    """Degrees between two directions, from 0 to 180; None where one has no length."""
    if not (float(u @ u) > 0 and float(v @ v) > 0):
        return None
    return float(np.degrees(np.arctan2(np.linalg.norm(np.cross(u, v)), u @ v)))


def fits(
    snapshot: Snapshot, level: str, load: Load, start_at: Vector, end_at: Vector, *, radius: float, height: float
) -> Fits:
    """Whether a body, metres, fits along the way between two points on the floor.

    Raises GeometryError for a way of no length or of too much.
    """
    if height < 2 * radius:
        raise InputError(
            f"A body of {height:g} m is lower than it is wide; give a height of {2 * radius:g} m or more.",
            field="height",
        )
    start, end = np.asarray(start_at), np.asarray(end_at)
    near = _triangles(snapshot, level, load, start, end)
    found = passage(start, end, near, radius=radius, height=height)
    width = f"{found.width:.2f} m wide at the narrowest" if found.width else "a wall is in the way"
    if found.width is None:
        width = "open to the sides"
    head = "open above" if found.height is None else f"{found.height:.2f} m high at the lowest"
    return Fits(
        fits=found.fits,
        narrowest=found.narrowest,
        width=found.width,
        lowest=found.lowest,
        height=found.height,
        text=f"{'Fits' if found.fits else 'Does not fit'}: {width}, {head}",
    )


def _triangles(snapshot: Snapshot, level: str, load: Load, start: Floats, end: Floats) -> Floats:
    """World triangles (T,3,3) of everything near a way."""
    items = items_of(snapshot, snapshot.of(level))
    low = np.minimum(start, end) - [FAR, 8 * STEP, FAR]
    high = np.maximum(start, end) + FAR
    out: list[Floats] = []
    for k in np.flatnonzero(((items.low <= high) & (items.high >= low)).all(axis=1)):
        look = items.looks[k]
        mesh = look.mesh(load)
        tri = item_to_world(mesh.positions, items.poses[k], look.pivot, look.axes)[mesh.corners[triangulate(mesh)[0]]]
        near = ((tri.min(axis=1) <= high) & (tri.max(axis=1) >= low)).all(axis=1)
        out.append(tri[near])
    return np.concatenate(out) if out else np.empty((0, 3, 3))
