"""Which of a piece's axes runs along a path, and a piece as it runs: along, to the side, up."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import mapped, turned_over
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pose import ORIGIN, Quaternion, about_pivot


class Running(StrEnum):
    """The piece's axis that goes along the path."""

    AUTO = "auto"
    X = "x"
    Z = "z"
    BACK_X = "-x"
    BACK_Z = "-z"


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


@dataclass(frozen=True, eq=False)
class Box:
    """A box as it runs: low and high (3,) along the path, to the left, up."""

    low: Floats
    high: Floats

    @property
    def length(self) -> float:
        return float(self.high[0] - self.low[0])

    @cached_property
    def corners(self) -> Floats:
        """(4,2) side and height of the four lines along it."""
        a, b = self.low, self.high
        return np.array([[a[1], a[2]], [b[1], a[2]], [b[1], b[2]], [a[1], b[2]]])


@dataclass(frozen=True)
class Run:
    """How a piece runs: its axis, and whether left and right change places."""

    axis: Running
    mirrored: bool = False

    @property
    def k(self) -> int:
        return 0 if self.axis in (Running.X, Running.BACK_X) else 2

    @property
    def sign(self) -> float:
        return -1.0 if self.axis in (Running.BACK_X, Running.BACK_Z) else 1.0

    def points(self, local: Floats) -> Floats:
        """Points (n,3) about a piece's pivot as they run: along, to the left, up."""
        s = local[:, self.k] * self.sign
        side = local[:, 2] * -self.sign if self.k == 0 else local[:, 0] * self.sign
        return np.stack([s, -side if self.mirrored else side, local[:, 1]], axis=1) + 0.0

    def box(self, low: Floats, high: Floats) -> Box:
        """A piece's box about its pivot, as it runs. Raises GeometryError where it has no length along the path."""
        both = self.points(np.stack([low, high]))
        box = Box(both.min(axis=0), both.max(axis=0))
        if box.length <= 1e-9:
            raise GeometryError("The piece has no length along the path; choose another running axis.")
        return box

    def placed(self, mesh: PolyMesh, points: Floats, axes: Quaternion) -> PolyMesh:
        """The mesh at its points (V,3) as they run, its faces looking outward there, for the axes of its pivot."""
        linear = self.points(about_pivot(np.eye(3), ORIGIN, axes)).T
        return self.wound(mapped(mesh, points, linear))

    def wound(self, mesh: PolyMesh) -> PolyMesh:
        """The mesh with its faces looking outward as it runs."""
        return turned_over(mesh) if self.mirrored else mesh
