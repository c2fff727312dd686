"""Mirroring: points, stands and meshes across a plane. No size becomes negative."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.combine import mapped, order_over, turned_over
from able_brick.core.mesh.hardware import HardwareVertices
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.place.pose import Quaternion, Vector, vector

_NEAR = 1e-9
_MOST_FACES = 50_000


@dataclass(frozen=True, eq=False)
class Reflection:
    """Across the plane through a point (3,) at right angles to a unit normal (3,): p − 2 ((p − c) · n) n."""

    centre: Floats
    normal: Floats

    def points(self, p: Floats) -> Floats:
        """Points (n,3) or (3,) on the other side. Across a plane of the world's axes only that coordinate changes."""
        p = np.asarray(p, np.float64)
        plain = np.flatnonzero(self.normal)
        if len(plain) == 1:
            out = np.array(p)
            k = int(plain[0])
            out[..., k] = 2.0 * self.centre[k] - p[..., k] if self.centre[k] else -p[..., k]
            return out + 0.0
        across = (p - self.centre) @ self.normal
        out_: Floats = p - 2.0 * np.multiply.outer(across, self.normal)
        return out_

    def point(self, p: Vector) -> Vector:
        return vector(self.points(np.asarray(p)))

    def direction(self, v: Vector) -> Vector:
        """A direction (3,) on the other side."""
        return vector(Reflection(np.zeros(3), self.normal).points(np.asarray(v)))

    def turns(self, turns: Floats, axis: int = 0) -> Floats:
        """Turns (n,4) with which things stand on the other side that are mirrored along one of their own axes: with M
        across the plane and X along the axis, M · R · X. Both are half turns but for the sign of all three axes."""
        n, a = np.append(self.normal, 0.0), np.zeros(4)
        a[axis] = 1.0
        return _upward(_product(_product(n, np.asarray(turns)), a))

    def turn(self, turn: Quaternion, axis: int = 0) -> Quaternion:
        """One of them."""
        x, y, z, w = (float(v) for v in self.turns(np.asarray(turn)[None], axis)[0])
        return (x, y, z, w)


def half_turned(turn: Quaternion, axis: int) -> Quaternion:
    """A turn after half a turn about one of its own axes."""
    half = np.zeros(4)
    half[axis] = 1.0
    x, y, z, w = (float(v) for v in _upward(_product(np.asarray(turn), half)))
    return (x, y, z, w)


def _upward(turns: Floats) -> Floats:
    """Quaternions (…,4) with a real part that is not negative."""
    out: Floats = np.where(turns[..., 3:] < 0, -turns, turns) + 0.0
    return out


def _product(p: Floats, q: Floats) -> Floats:
    """Hamilton's product of quaternions (n,4), xyzw."""
    p, q = np.broadcast_arrays(p, q)
    a, b, c, d = p[..., 0], p[..., 1], p[..., 2], p[..., 3]
    x, y, z, w = q[..., 0], q[..., 1], q[..., 2], q[..., 3]
    return np.stack(
        [
            d * x + a * w + b * z - c * y,
            d * y - a * z + b * w + c * x,
            d * z + a * y - b * x + c * w,
            d * w - a * x - b * y - c * z,
        ],
        axis=-1,
    )


def mirrored(mesh: PolyMesh, axis: int = 0) -> PolyMesh:
    """The mesh with its coordinates along an axis turned round: faces are gone round the other way from the same first
    corner, nothing else changes. Twice gives the very mesh back."""
    points = np.array(mesh.positions)
    points[:, axis] = -points[:, axis] + 0.0
    across = np.eye(3)
    across[axis, axis] = -1.0
    return turned_over(mapped(mesh, points, across))


def mirrored_shading(mesh: PolyMesh, shaded: HardwareVertices) -> HardwareVertices:
    """The hardware vertices of the mirrored mesh, from those that the mesh has."""
    order = order_over(mesh)
    back = np.empty_like(order)
    back[order] = np.arange(len(order), dtype=order.dtype)
    return replace(
        shaded,
        of_corner=shaded.of_corner[order],
        corner=back[shaded.corner],
        normals=shaded.normals * (-1.0, 1.0, 1.0),
    )


def axes_over(axes: Quaternion) -> Quaternion:
    """The axes of a pivot in a mesh that was mirrored so."""
    x, y, z, w = axes
    return (x, -y + 0.0, -z + 0.0, w)


@kept_with_mesh
def symmetries(mesh: PolyMesh) -> tuple[bool, bool, bool]:
    """Whether the mesh is the same form when it is mirrored along X, Y, Z through the middle of its box; materials,
    colours and sharp edges count, pictures on it do not. One with the normals of a file is none, as these may lean."""
    if not 0 < mesh.face_count <= _MOST_FACES or mesh.normal is not None:
        return (False, False, False)
    low, high = mesh.bounds
    grain = 4 * _NEAR * max(1.0, float(np.abs(np.concatenate([low, high])).max()))
    away = mesh.positions - (low + high) / 2
    places, at = _places(np.rint(away / grain).astype(np.int64))
    if len(places) < len(away):  # vertices on one another cannot be distinguished
        return (False, False, False)
    own = _rings(mesh, mesh.corners)
    back = turned_over(mesh)
    out = []
    for k in range(3):
        over = away[at]
        over[:, k] = -over[:, k]
        cells, order = _places(np.rint(over / grain).astype(np.int64))
        if not np.array_equal(cells, places):
            out.append(False)
            continue
        image = np.empty(len(away), np.int64)
        image[at[order]] = at
        out.append(_same(own, _rings(back, image[back.corners])))
    return (out[0], out[1], out[2])


def _places(cells: Indices) -> tuple[Indices, Indices]:
    """Different cells (N,3) in order, and the first row of each."""
    found, first = np.unique(cells, axis=0, return_index=True)
    return found, first


def _rings(mesh: PolyMesh, corners: Indices) -> list[Floats]:
    """For every size of face its faces as rows, in order: material, then round the face from its lowest corner on the
    corner, whether the edge from there is sharp, and its colour."""
    out = []
    for size in np.unique(mesh.face_sizes):
        faces = np.flatnonzero(mesh.face_sizes == size)
        at = mesh.face_starts[faces][:, None] + np.arange(size)
        turn = (np.argmin(corners[at], axis=1)[:, None] + np.arange(size)) % size
        at = np.take_along_axis(at, turn, axis=1)
        columns: list[npt.NDArray[Any]] = [mesh.material[faces][:, None], corners[at], mesh.sharp[at]]
        if mesh.colour is not None:
            columns.append(mesh.colour[at].reshape(len(faces), -1))
        rows = np.concatenate([c.astype(np.float64) for c in columns], axis=1)
        out.append(rows[np.lexsort(rows.T[::-1])])
    return out


def _same(one: list[Floats], other: list[Floats]) -> bool:
    return all(np.array_equal(a, b) for a, b in zip(one, other, strict=True))
