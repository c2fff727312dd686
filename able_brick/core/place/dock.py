"""Docking: a grip of what is moved ends exactly on a landing of what stands still."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pose import Quaternion, Vector, quaternion, rotation, vector

#: Normals closer to each other than this, radians, count as the same direction.
_SAME = 1e-12
#: Decimals of a metre that positions keep.
_FINEST = 13


@dataclass(frozen=True, eq=False)
class Spot:
    """A place to grip or to land on: a point (3,), metres, and the face it lies on, as a loop of points (n,3) and its
    unit normal (3,)."""

    point: Floats
    normal: Floats
    loop: Floats


@dataclass(frozen=True, eq=False)
class Motion:
    """A turn about a point, then a shift: p' = R (p − about) + about + shift."""

    turn: Rotation
    about: Floats
    shift: Floats

    @cached_property
    def shifts_only(self) -> bool:
        """Whether it turns nothing."""
        return float(self.turn.magnitude()) == 0.0

    def point(self, p: Floats) -> Floats:
        """Where a point (3,) goes."""
        out: Floats = self.turn.apply(p - self.about) + self.about + self.shift
        return out

    def stand(self, position: Vector, turn: Quaternion) -> tuple[Vector, Quaternion]:
        """Where a thing that stands so goes; without a turn its own is kept to the bit."""
        if self.shifts_only:
            return plain(np.asarray(position) + self.shift), turn
        return plain(self.point(np.asarray(position))), quaternion(self.turn * rotation(turn))


def plain(p: Floats) -> Vector:
    """A point (3,) without what rounding left in its last bits: 3.0000000000000004 is 3."""
    return vector(np.round(p, _FINEST))


def plain_all(points: Floats) -> list[Vector]:
    """The same of points (N,3)."""
    return [(x, y, z) for x, y, z in (np.round(points, _FINEST) + 0.0).tolist()]


def dock(grip: Spot, landing: Spot, *, contact: bool = False, align: bool = True, quarters: int = 0) -> Motion:
    """The motion that brings the grip onto the landing.

    With `contact` the grip's face is first laid against the landing's: the smallest turn that opposes the normals;
    where they agree to begin with, about the grip face's longest edge. `align` then turns about the landing's normal,
    by the least angle that brings the grip face's longest edge parallel to the landing face's edge nearest to the
    landing; `quarters` adds quarter turns. Without `contact` it is a plain shift. Raises GeometryError for quarter
    turns without contact.
    """
    if not contact:
        if quarters:
            raise GeometryError("Quarter turns need face contact; choose it, or set them to 0.", field="quarters")
        return Motion(Rotation.identity(), grip.point, landing.point - grip.point)
    down = -landing.normal
    turn = _least_turn(grip.normal, down, longest_edge(grip.loop))
    if align:
        turn = _aligned(turn.apply(longest_edge(grip.loop)), nearest_edge(landing), landing.normal) * turn
    if quarters % 4:
        turn = Rotation.from_rotvec(landing.normal * (math.pi / 2 * (quarters % 4))) * turn
    return Motion(_exact(turn), grip.point, landing.point - grip.point)


def longest_edge(loop: Floats) -> Floats:
    """Unit direction (3,) of the longest edge of a loop (n,3); the first of equal ones."""
    edges = np.roll(loop, -1, axis=0) - loop
    length = np.linalg.norm(edges, axis=1)
    k = int(np.argmax(length > length.max() * (1 - 1e-9)))
    out: Floats = edges[k] / length[k]
    return out


def nearest_edge(spot: Spot) -> Floats:
    """Unit direction (3,) of the edge of the spot's face that is nearest to its point; the longer of equally near."""
    ends = np.roll(spot.loop, -1, axis=0)
    edges = ends - spot.loop
    length = np.linalg.norm(edges, axis=1)
    along = np.clip(((spot.point - spot.loop) * edges).sum(axis=1) / np.maximum(length**2, 1e-300), 0.0, 1.0)
    away = np.linalg.norm(spot.loop + along[:, None] * edges - spot.point, axis=1)
    near = away <= away.min() + 1e-9 * max(1.0, float(length.max()))
    k = int(np.argmax(np.where(near, length, -1.0)))
    out: Floats = edges[k] / length[k]
    return out


def _least_turn(a: Floats, b: Floats, hinge: Floats) -> Rotation:
    """The smallest turn that takes unit vector a to b; where they are opposed, half a turn about the hinge."""
    across = np.cross(a, b)
    sine, cosine = float(np.linalg.norm(across)), float(a @ b)
    angle = math.atan2(sine, cosine)
    if angle < _SAME:
        return Rotation.identity()
    if math.pi - angle < 1e-9:
        axis = hinge - a * float(hinge @ a)
        return Rotation.from_rotvec(axis / np.linalg.norm(axis) * math.pi)
    return Rotation.from_rotvec(across / sine * angle)


def _aligned(edge: Floats, wanted: Floats, normal: Floats) -> Rotation:
    """The least turn about the normal that makes an edge parallel to another one, whichever way it runs."""
    u = edge - normal * float(edge @ normal)
    w = wanted - normal * float(wanted @ normal)
    angle = math.atan2(float(np.cross(u, w) @ normal), float(u @ w))
    if angle > math.pi / 2:
        angle -= math.pi
    elif angle <= -math.pi / 2:
        angle += math.pi
    return Rotation.from_rotvec(normal * angle)


def _exact(turn: Rotation) -> Rotation:
    """The turn, with what is a turn of no angle made none."""
    return Rotation.identity() if float(turn.magnitude()) < _SAME else turn
