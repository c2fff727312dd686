"""Where things stand: position, turn and size, singly and in runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.numbering import number_rows
from able_brick.core.mesh.polymesh import Floats

Vector = tuple[float, float, float]
Quaternion = tuple[float, float, float, float]

IDENTITY: Quaternion = (0.0, 0.0, 0.0, 1.0)
ORIGIN: Vector = (0.0, 0.0, 0.0)
ONE: Vector = (1.0, 1.0, 1.0)


def vector(values: Sequence[float] | Floats) -> Vector:
    """Three plain floats; −0 becomes 0, so that equal places compare and print equal."""
    x, y, z = (float(v) + 0.0 for v in values)
    return (x, y, z)


def quaternion(rotation: Rotation) -> Quaternion:
    """Unit quaternion (x, y, z, w) with w ≥ 0 of a single rotation."""
    x, y, z, w = (float(v) + 0.0 for v in rotation.as_quat(canonical=True))
    return (x, y, z, w)


def rotation(turn: Quaternion) -> Rotation:
    """The rotation of a unit quaternion (x, y, z, w)."""
    return Rotation.from_quat(turn)


def turned(turn: Quaternion, v: Vector) -> Vector:
    """One vector turned by a unit quaternion: v + 2 q × (q × v + w v), without the cost of building a Rotation."""
    x, y, z, w = turn
    a, b, c = v
    s, t, u = y * c - z * b + w * a, z * a - x * c + w * b, x * b - y * a + w * c
    return (a + 2 * (y * u - z * t), b + 2 * (z * s - x * u), c + 2 * (x * t - y * s))


def after_turn(first: Quaternion, then: Quaternion) -> Quaternion:
    """One turn after another, both unit quaternions (x, y, z, w): their product then · first, with w ≥ 0."""
    a, b, c, d = then
    x, y, z, w = first
    p = d * x + a * w + b * z - c * y
    q = d * y - a * z + b * w + c * x
    r = d * z + a * y - b * x + c * w
    s = d * w - a * x - b * y - c * z
    long = (p * p + q * q + r * r + s * s) ** 0.5 * (1.0 if s >= 0 else -1.0)
    return (p / long + 0.0, q / long + 0.0, r / long + 0.0, s / long + 0.0)


def rotated(turn: Quaternion, points: Floats) -> Floats:
    """Points (n,3) turned by a quaternion (x, y, z, w), each computed alike however many there are.

    With s = 2 / (x² + y² + z² + w²): the rows of the matrix are 1 − s(y² + z²), s(xy − zw), s(xz + yw); s(xy + zw),
    1 − s(x² + z²), s(yz − xw); s(xz − yw), s(yz + xw), 1 − s(x² + y²); sums run from left to right.
    """
    x, y, z, w = turn
    s = 2.0 / (x * x + y * y + z * z + w * w)
    a, b, c = points[:, 0], points[:, 1], points[:, 2]
    out = np.empty((len(points), 3))
    out[:, 0] = (1.0 - s * (y * y + z * z)) * a + s * (x * y - z * w) * b + s * (x * z + y * w) * c
    out[:, 1] = s * (x * y + z * w) * a + (1.0 - s * (x * x + z * z)) * b + s * (y * z - x * w) * c
    out[:, 2] = s * (x * z - y * w) * a + s * (y * z + x * w) * b + (1.0 - s * (x * x + y * y)) * c
    return out


def from_degrees(degrees: Sequence[float]) -> Rotation:
    """Rotation R = Ry · Rx · Rz of three angles about X, Y and Z in degrees: heading first, then pitch, then roll."""
    x, y, z = degrees
    return Rotation.from_euler("YXZ", [y, x, z], degrees=True)


@dataclass(frozen=True, eq=False)
class Poses:
    """A run of n poses: positions (n,3) metres, turns (n,4) unit quaternions xyzw, sizes (n,3) factors."""

    positions: Floats
    turns: Floats
    sizes: Floats

    def __len__(self) -> int:
        return len(self.positions)

    @classmethod
    def of(cls, positions: Floats, turns: Floats, sizes: Floats) -> Poses:
        """Poses with turns and sizes repeated to the number of positions."""
        n = len(positions)
        if np.shape(turns) != (n, 4):
            turns = np.broadcast_to(turns, (n, 4))
        if np.shape(sizes) != (n, 3):
            sizes = np.broadcast_to(sizes, (n, 3))
        return cls(
            np.ascontiguousarray(positions, np.float64),
            np.ascontiguousarray(turns, np.float64),
            np.ascontiguousarray(sizes, np.float64),
        )

    @property
    def nbytes(self) -> int:
        """What it takes in memory, bytes."""
        return int(self.positions.nbytes + self.turns.nbytes + self.sizes.nbytes)

    def rows(self) -> Floats:
        """(n,10): position, turn, size of each."""
        return np.concatenate([self.positions, self.turns, self.sizes], axis=1)


def to_world(
    points: Floats,
    position: Vector,
    turn: Quaternion,
    size: Vector,
    pivot: Vector,
    axes: Quaternion = IDENTITY,
) -> Floats:
    """Points (n,3) of a piece, carried to where a placement stands: T · R · S · Qᵀ · (p − pivot).

    Q are the axes of the pivot, as they turn those of the mesh; R and Q as `rotated` computes them. In float64 and in
    this order, for one point as for many: what is docked meets its landing in these very numbers.
    """
    world: Floats = rotated(turn, about_pivot(points, pivot, axes) * size) + position
    return world


def about_pivot(points: Floats, pivot: Vector, axes: Quaternion = IDENTITY) -> Floats:
    """Points (n,3) of a mesh in the axes of its pivot, measured from it."""
    away = np.asarray(points, np.float64) - pivot
    x, y, z, w = axes
    return away if axes == IDENTITY else rotated((-x, -y, -z, w), away)


def decompose(matrix: Floats) -> tuple[Vector, Quaternion, Vector]:
    """Position, turn and size of a 4×4 matrix; a skew is lost, a mirror becomes a negative size along X."""
    return decompose_all(matrix[None])[0]


def decompose_all(matrices: Floats) -> list[tuple[Vector, Quaternion, Vector]]:
    """The same for many matrices (n,4,4) at once."""
    if not len(matrices):
        return []
    # most are turned and sized like others: each way is computed once, and shared
    ways = np.ascontiguousarray(matrices[:, :3, :3]).reshape(-1, 9) + 0.0
    number, first = number_rows(ways.view(np.uint32))
    turned = _turns_and_sizes(ways[first].reshape(-1, 3, 3))
    places = (matrices[:, :3, 3] + 0.0).tolist()
    return [((x, y, z), *turned[k]) for (x, y, z), k in zip(places, number.tolist(), strict=True)]


def _turns_and_sizes(linear: Floats) -> list[tuple[Quaternion, Vector]]:
    sizes = np.linalg.norm(linear, axis=1)
    sizes = np.where(sizes > 1e-9, sizes, 1.0)
    sizes[:, 0] = np.where(np.linalg.det(linear) < 0, -sizes[:, 0], sizes[:, 0])
    u, _, v = np.linalg.svd(linear / sizes[:, None])
    turns = Rotation.from_matrix(u @ v).as_quat(canonical=True) + 0.0
    rows = zip(turns.tolist(), (sizes + 0.0).tolist(), strict=True)
    return [((i, j, k, w), (a, b, c)) for (i, j, k, w), (a, b, c) in rows]
