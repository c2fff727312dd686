"""Places for a piece's pivot, and what moving and turning it does to the placements."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.measure import centre_of_mass
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pose import (
    IDENTITY,
    ORIGIN,
    Quaternion,
    Vector,
    about_pivot,
    quaternion,
    rotation,
    turned,
    vector,
)


def seen_from_pivot(mesh: PolyMesh, pivot: Vector, axes: Quaternion) -> PolyMesh:
    """The mesh in the axes of its pivot, measured from it."""
    return mapped(mesh, about_pivot(mesh.positions, pivot, axes), about_pivot(np.eye(3), ORIGIN, axes).T)


class Along(StrEnum):
    """Where along one axis of the bounding box."""

    LOW = "low"
    MIDDLE = "middle"
    HIGH = "high"


_SHARE = {Along.LOW: 0.0, Along.MIDDLE: 0.5, Along.HIGH: 1.0}


def box_along(mesh: PolyMesh, axes: Quaternion) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,) of the mesh's box along turned axes, measured from the mesh's origin."""
    if axes == IDENTITY or not mesh.vertex_count:
        return mesh.bounds
    turned = rotation(axes).inv().apply(np.array(mesh.positions))
    return turned.min(axis=0), turned.max(axis=0)


def box_anchor(mesh: PolyMesh, x: Along, y: Along, z: Along, axes: Quaternion = IDENTITY) -> Vector:
    """A corner, edge middle, side centre or the centre of the mesh's box along the axes, in the mesh's coordinates.

    Exact at the box's limits where the axes are the mesh's own.
    """
    low, high = box_along(mesh, axes)
    place = vector(
        [
            lo if a is Along.LOW else hi if a is Along.HIGH else lo + (hi - lo) * _SHARE[a]
            for a, lo, hi in zip((x, y, z), low, high, strict=True)
        ]
    )
    return place if axes == IDENTITY else vector(rotation(axes).apply(place))


def mass_anchor(mesh: PolyMesh) -> Vector:
    """The centre of mass of the mesh taken as solid, or of its surface when it is open."""
    return vector(centre_of_mass(mesh))


def up_along(normal: Floats) -> Quaternion:
    """The turn that stands things upright on a face: Y goes to its normal (3,), X stays level.

    Where the face lies level, X and Z stay as they are (X is kept under an overhang too, Z turns round).
    """
    n = np.asarray(normal, np.float64)
    n = n / np.linalg.norm(n)
    across = np.array([n[2], 0.0, -n[0]])  # Y × n
    size = float(np.linalg.norm(across))
    x = np.array([1.0, 0.0, 0.0]) if size < 1e-9 else across / size
    z = np.cross(x, n)
    z = z / np.linalg.norm(z)
    x = np.cross(n, z)
    return quaternion(Rotation.from_matrix(np.column_stack([x, n, z])))


def compensated(
    position: Vector, turn: Quaternion, size: Vector, old: Vector, new: Vector, axes: Quaternion = IDENTITY
) -> Vector:
    """The position with which a placement stands where it stood after its piece's pivot moved from old to new.

    `axes` are those that the pivot had before.
    """
    x, y, z, w = axes
    a, b, c = turned((-x, -y, -z, w), (new[0] - old[0], new[1] - old[1], new[2] - old[2]))
    dx, dy, dz = turned(turn, (a * size[0], b * size[1], c * size[2]))
    return (position[0] + dx + 0.0, position[1] + dy + 0.0, position[2] + dz + 0.0)


def permutation(turn: Rotation, *, tolerance: float = 1e-12) -> Floats | None:
    """The matrix (3,3) of 0, 1 and −1 of a turn that carries axes to axes; None for any other turn."""
    matrix = turn.as_matrix()
    near = np.round(matrix)
    return near if np.abs(matrix - near).max() <= tolerance else None


def turned_with(turn: Quaternion, size: Vector, by: Quaternion) -> tuple[Quaternion, Vector] | None:
    """Turn and size with which a placement stands as it stood after its pivot's axes turned `by` in their own frame.

    None where a non-uniform size would become a skew: it has to be baked into the mesh first.
    """
    change = rotation(by)
    swap = permutation(change)
    if size[0] == size[1] == size[2]:
        kept = size
    elif swap is not None:
        kept = vector(np.abs(swap.T) @ np.asarray(size))
    else:
        return None
    return quaternion(rotation(turn) * change), kept
