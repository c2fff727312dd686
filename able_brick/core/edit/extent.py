"""What is picked stretched to a length."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.carry import carry
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh

Side = Literal["length", "width", "height"]


def stretched(mesh: PolyMesh, kind: ElementType, ids: Indices, length: float, side: Side = "length") -> Edited:
    """What is picked, made `length` m long about its middle: an edge, or what lies between two vertices; of faces the
    width or the height in their mean plane, level and up as far as that leans. Raises GeometryError where it has no
    such length yet, and for lengths that are not above 0."""
    if not length > 0 or not np.isfinite(length):
        raise GeometryError("The length is 0; give one above 0.", received=length)
    vertices = converted(mesh, kind, ids, "vertex")
    places = mesh.positions[vertices]
    if side == "length":
        if len(vertices) != 2:
            raise GeometryError("One edge or two vertices have a length; pick these alone.", received=len(vertices))
        way = places[1] - places[0]
    else:
        if kind != "face":
            raise GeometryError("Faces have a width and a height; pick faces.")
        way = plane_ways(area_vectors(mesh)[ids].sum(axis=0))[0 if side == "width" else 1]
    size = float(np.linalg.norm(way))
    along = places @ (way / size) if size > 0 else np.zeros(1)
    now = float(np.ptp(along))
    if not now > 1e-12 * float(np.abs(places).max(initial=0.0)):
        raise GeometryError("What is picked has no length there that could be stretched; move its vertices first.")
    unit = way / size
    matrix = np.eye(3) + np.outer(unit, unit) * (length / now - 1.0)
    about = unit * (along.min() + along.max()) / 2
    return carry(mesh, kind, ids, matrix, np.zeros(3), about)


def plane_ways(normal: Floats) -> tuple[Floats, Floats]:
    """The level direction (3,) in the plane of a normal (3,), and the one that goes up as far as it leans; where it is
    flat, along x and against z. Raises GeometryError for a normal of no length."""
    size = float(np.linalg.norm(normal))
    if not size > 0:
        raise GeometryError("The picked faces look in all directions, so they lie in no plane together.")
    n = normal / size
    up = np.array([0.0, 0.0, -1.0]) if abs(n[1]) > 0.99 else np.array([0.0, 1.0, 0.0])
    level: Floats = np.cross(up, n)
    level /= np.linalg.norm(level)
    return level, np.cross(n, level)
