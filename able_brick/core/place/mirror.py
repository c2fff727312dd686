"""Mirroring: points, stands and meshes across a plane. No size becomes negative."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from able_brick.core.mesh.combine import order_over, turned_over
from able_brick.core.mesh.hardware import HardwareVertices
from able_brick.core.mesh.kept import kept_with_mesh
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pose import Quaternion, Vector, vector

_NEAR = 1e-9


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
        out = _product(_product(n, np.asarray(turns)), a)
        negative = out[..., 3] < 0
        out = np.where(negative[..., None], -out, out)
        return out + 0.0

    def turn(self, turn: Quaternion, axis: int = 0) -> Quaternion:
        """One of them."""
        x, y, z, w = (float(v) for v in self.turns(np.asarray(turn)[None], axis)[0])
        return (x, y, z, w)


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


def mirrored(mesh: PolyMesh) -> PolyMesh:
    """The mesh across the YZ plane of its own coordinates: faces are gone round the other way from the same first
    corner, nothing else changes. Twice gives the very mesh back."""
    points = np.array(mesh.positions)
    points[:, 0] = -points[:, 0] + 0.0
    return turned_over(mesh.replaced(positions=points))


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
    """Whether the mesh is the same form when it is mirrored along X, Y, Z through the middle of its box; materials
    count, pictures on it do not."""
    low, high = mesh.bounds
    if mesh.face_count > 50_000 or not mesh.face_count:
        return (False, False, False)
    middle = (low + high) / 2
    grain = _NEAR * max(1.0, float(np.abs(np.concatenate([low, high])).max()))
    away = mesh.positions - middle
    place = {tuple(row): k for k, row in enumerate(np.round(away / grain / 4).astype(np.int64).tolist())}
    faces = {_face(mesh, f, mesh.corners) for f in range(mesh.face_count)}
    out = []
    for k in range(3):
        over = np.array(away)
        over[:, k] = -over[:, k]
        found = [place.get(tuple(row), -1) for row in np.round(over / grain / 4).astype(np.int64).tolist()]
        if min(found) < 0:
            out.append(False)
            continue
        back = turned_over(mesh)
        corners = np.array(found, np.int32)[back.corners]
        out.append(all(_face(back, f, corners) in faces for f in range(mesh.face_count)))
    return (out[0], out[1], out[2])


def _face(mesh: PolyMesh, face: int, corners: np.ndarray) -> tuple[int, ...]:
    """A face's material and corners, from its lowest corner on."""
    ring = corners[mesh.face_starts[face] : mesh.face_starts[face + 1]].tolist()
    k = ring.index(min(ring))
    return (int(mesh.material[face]), *ring[k:], *ring[:k])
