"""Items of pieces as they stand in a level, by their pose rows of ten: position, turn xyzw, size."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.faces import loop_normal
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pose import ORIGIN, Quaternion, Vector, about_pivot, rotation, to_world


def item_to_world(points: Floats, pose: Floats, pivot: Vector, axes: Quaternion) -> Floats:
    """Points (n,3) of a mesh in the world, for an item's pose row (10,) and the pivot and axes of its piece."""
    p, q, s = (tuple(float(v) for v in part) for part in (pose[:3], pose[3:7], pose[7:]))
    return to_world(points, p, q, s, pivot, axes)  # type: ignore[arg-type]


def item_in_world(mesh: PolyMesh, pose: Floats, pivot: Vector, axes: Quaternion) -> PolyMesh:
    """A mesh in the world, for the same; wound as it was, also where a size mirrors it."""
    linear = item_to_world(np.eye(3), np.concatenate([np.zeros(3), pose[3:]]), ORIGIN, axes).T
    return mapped(mesh, item_to_world(mesh.positions, pose, pivot, axes), linear)


def item_from_world(points: Floats, pose: Floats, pivot: Vector, axes: Quaternion) -> Floats:
    """Points (n,3) of the world in the coordinates of the mesh: the way back."""
    q = (float(pose[3]), float(pose[4]), float(pose[5]), float(pose[6]))
    local = rotation(q).inv().apply(points - pose[:3]) / pose[7:]
    x, y, z, w = axes
    out: Floats = about_pivot(local, ORIGIN, (-x, -y, -z, w)) + pivot
    return out


def item_boxes(poses: Floats, low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest corner (N,3) of the boxes round items, for their pose rows (N,10) and the box (3,), (3,) of
    their piece about its pivot."""
    centre, half = (low + high) / 2, (high - low) / 2
    turn = Rotation.from_quat(poses[:, 3:7]).as_matrix()
    middle = np.einsum("nij,nj->ni", turn, centre * poses[:, 7:]) + poses[:, :3]
    reach = np.einsum("nij,nj->ni", np.abs(turn), half * np.abs(poses[:, 7:]))
    return middle - reach, middle + reach


#: Points that are put into the world at once.
_AT_ONCE: Final = 500_000


def reach_of(points: Floats, poses: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,) of points (n,3) about a pivot, as they stand at pose rows (N,10)."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for part in np.array_split(poses, max(1, len(poses) * len(points) // _AT_ONCE)):
        turn = Rotation.from_quat(part[:, 3:7]).as_matrix()
        world = np.einsum("nij,nhj->nhi", turn, points * part[:, None, 7:]) + part[:, None, :3]
        low = np.minimum(low, world.min(axis=(0, 1), initial=np.inf))
        high = np.maximum(high, world.max(axis=(0, 1), initial=-np.inf))
    return low, high


def outward(loop: Floats, pose: Floats) -> Floats:
    """Unit normal (3,) of a face's loop (n,3) in the world; a mirrored size in the pose row (10,) turns it round."""
    return loop_normal(loop) * (-1.0 if float(np.prod(pose[7:])) < 0 else 1.0)
