"""Vertices put into planes, and chains evened out."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.carry import placed
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.edit.slide import chains
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def flattened(mesh: PolyMesh, kind: ElementType, ids: Indices, normal: Floats | None, point: Floats | None) -> Edited:
    """Put what is picked into a plane: through their middle or a point (3,), square to a normal (3,) or as near to all
    of them as can be. Raises GeometryError for fewer than three vertices where the plane is to be found."""
    vertices = converted(mesh, kind, ids, "vertex")
    p = mesh.positions[vertices]
    middle = p.mean(axis=0) if point is None else np.asarray(point)
    if normal is None:
        if len(vertices) < 3:
            raise GeometryError("Three vertices at least make a plane; pick more, or choose an axis.")
        _, sizes, ways = np.linalg.svd(p - p.mean(axis=0), full_matrices=False)
        if sizes[1] <= 1e-12 * max(sizes[0], 1e-300):
            raise GeometryError("The vertices lie on a line, through which many planes go; choose an axis.")
        normal = ways[2]
    n = np.asarray(normal) / np.linalg.norm(normal)
    return placed(mesh, kind, ids, vertices, p - ((p - middle) @ n)[:, None] * n)


def evened(mesh: PolyMesh, edges: Indices) -> Edited:
    """Even out the distances along chains of edges, on the way they lead; ends stay, and of closed ones the lowest
    vertex."""
    positions = mesh.positions.copy()
    for chain in chains(mesh, edges):
        way = [chain[0][0], *(b for _, b in chain)]
        p = mesh.positions[way]
        long = np.linalg.norm(np.diff(p, axis=0), axis=1)
        far = np.concatenate([[0.0], np.cumsum(long)])
        if not far[-1] > 0:
            continue
        wanted = np.linspace(0.0, far[-1], len(way))[1:-1]
        for k in range(3):
            positions[way[1:-1], k] = np.interp(wanted, far, p[:, k])
    vertices = np.unique(topology(mesh).edges[edges])
    return placed(mesh, "edge", edges, vertices, positions[vertices])
