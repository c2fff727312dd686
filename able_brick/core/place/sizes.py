"""Sizes: spreading things apart, and baking a size into a mesh."""

from __future__ import annotations

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import mapped, turned_over
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import IDENTITY, Quaternion, Vector, rotation


def spread(position: Vector, centre: Vector, factors: Vector) -> Vector:
    """Where a thing goes when distances from the centre change by factors along the world's axes: c + k (t − c)."""
    x, y, z = (c + k * (t - c) for t, c, k in zip(position, centre, factors, strict=True))
    return (x + 0.0, y + 0.0, z + 0.0)


def sized(mesh: PolyMesh, size: Vector, pivot: Vector, axes: Quaternion = IDENTITY) -> PolyMesh:
    """The mesh with a placement's size in its vertices: scaled about the pivot, along the pivot's axes.

    A mirroring size also turns the faces over, so that they look outward again. The pivot stays where it is.
    Raises GeometryError for a size that flattens.
    """
    if min(abs(s) for s in size) < 1e-4:
        raise GeometryError("A size of 0 would flatten the piece; give factors other than 0.", field="size")
    away = mesh.positions - pivot
    if axes == IDENTITY:
        points = away * size
    else:
        turn = rotation(axes)
        points = turn.apply(turn.inv().apply(away) * size)
    ways = rotation(axes).as_matrix()
    out = mapped(mesh, points + pivot, ways @ np.diag(size) @ ways.T)
    return turned_over(out) if float(np.prod(size)) < 0 else out
