"""Places for a piece's pivot, and what moving it does to the placements."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from able_brick.core.mesh.measure import centre_of_mass
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import Quaternion, Vector, rotation, vector


class Along(StrEnum):
    """Where along one axis of the bounding box."""

    LOW = "low"
    MIDDLE = "middle"
    HIGH = "high"


_SHARE = {Along.LOW: 0.0, Along.MIDDLE: 0.5, Along.HIGH: 1.0}


def box_anchor(mesh: PolyMesh, x: Along, y: Along, z: Along) -> Vector:
    """A corner, edge middle, side centre or the centre of the mesh's bounding box; exact at the box's limits."""
    low, high = mesh.bounds
    return vector(
        [
            lo if a is Along.LOW else hi if a is Along.HIGH else lo + (hi - lo) * _SHARE[a]
            for a, lo, hi in zip((x, y, z), low, high, strict=True)
        ]
    )


def mass_anchor(mesh: PolyMesh) -> Vector:
    """The centre of mass of the mesh taken as solid, or of its surface when it is open."""
    return vector(centre_of_mass(mesh))


def compensated(position: Vector, turn: Quaternion, size: Vector, old: Vector, new: Vector) -> Vector:
    """The position with which a placement stands where it stood after its piece's pivot moved from old to new."""
    return vector(np.asarray(position) + rotation(turn).apply((np.asarray(new) - old) * size))
