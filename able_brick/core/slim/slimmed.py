"""What a mesh is slimmed to, and the targets that say how far."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Ints, PolyMesh


@dataclass(frozen=True, eq=False)
class Slimmed:
    """A reduced mesh of triangles; `vertex_source` (V) int32 names the source vertex that each one grew from.

    `collapse_map` (source V) int32 is the vertex that each one of the source went into; −1 where nothing is left round
    it.

    `reached` is False where borders, seams and form left nothing more to take away. `gone` are the parts that were let
    go as a whole.
    """

    mesh: PolyMesh
    vertex_source: Ints
    reached: bool
    collapse_map: Ints
    gone: int = 0


def target_triangles(mesh: PolyMesh, share: float) -> int:
    """Whole number of triangles that a share (0…1] of the mesh means, at least 4."""
    if not 0 < share <= 1:
        raise GeometryError(f"The share is {share:g}; give a number above 0 and up to 1.", received=share)
    return max(4, math.floor(mesh.triangle_count * share + 0.5))


def check_target(triangles: int) -> None:
    """GeometryError for a target below 1."""
    if triangles < 1:
        raise GeometryError(f"The target is {triangles} triangles; give 1 or more.", received=triangles)


def unchanged(mesh: PolyMesh) -> Slimmed:
    """The mesh as it is."""
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    return Slimmed(mesh, every, True, every)
