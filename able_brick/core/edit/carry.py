"""Moving, turning and sizing vertices."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.edit.keep_to import along_edges, along_normals, on_surface
from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import csr_array, dijkstra
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology

KeepTo = Literal["free", "edges", "surface", "normal"]


def falloff(mesh: PolyMesh, vertices: Indices, radius: float) -> Floats:
    """(V) how much of a move each vertex goes along: 1 for those picked, falling smoothly to 0 at a radius (m) that is
    measured along the edges."""
    t = topology(mesh)
    long = np.linalg.norm(mesh.positions[t.edges[:, 0]] - mesh.positions[t.edges[:, 1]], axis=1)
    n = mesh.vertex_count
    # edges of no length are none to the search
    graph = csr_array((np.maximum(long, 1e-12), (t.edges[:, 0], t.edges[:, 1])), shape=(n, n))
    far = dijkstra(graph, directed=False, indices=vertices, limit=radius, min_only=True)
    x = np.minimum(far / radius, 1.0)
    out: Floats = 1.0 - x * x * (3.0 - 2.0 * x)
    out[vertices] = 1.0
    return out


def carry(
    mesh: PolyMesh,
    kind: ElementType,
    ids: Indices,
    matrix: Floats,
    shift: Floats,
    about: Floats,
    *,
    radius: float = 0.0,
    keep_to: KeepTo = "free",
) -> Edited:
    """Put what is picked elsewhere: about + matrix (3,3) · (p − about) + shift, metres; all other vertices stay bit for
    bit. `about` is (3,), or (V,3) of each vertex its own.

    `radius`: neighbours within so many metres along the edges go along, less the farther. `keep_to`: only along the
    edges, on the faces round it, or along its normal. Raises GeometryError where that is no place.
    """
    vertices = converted(mesh, kind, ids, "vertex")
    if radius > 0:
        weights = falloff(mesh, vertices, radius)
        vertices = np.flatnonzero(weights > 0).astype(np.int32)
    own = mesh.positions[vertices]
    centre = about if about.ndim == 1 else about[vertices]
    goal = centre + (own - centre) @ np.asarray(matrix).T + shift
    if radius > 0:
        near = weights[vertices, None]
        goal = np.where(near == 1.0, goal, own + (goal - own) * near)
    if keep_to == "edges":
        goal = along_edges(mesh, vertices, goal)
    elif keep_to == "surface":
        goal = on_surface(mesh, vertices, goal)
    elif keep_to == "normal":
        goal = along_normals(mesh, vertices, goal)
    return placed(mesh, kind, ids, vertices, goal)


def placed(mesh: PolyMesh, kind: ElementType, ids: Indices, vertices: Indices, goal: Floats) -> Edited:
    """The mesh with vertices (n) at other places (n,3). Raises GeometryError where that is no place, and
    where a face would have no area."""
    positions = mesh.positions.copy()
    positions[vertices] = goal
    if not np.isfinite(goal).all() or float(np.abs(goal).max(initial=0.0)) > 1e6:
        raise GeometryError("That would put vertices farther than 1 000 km away; give less.")
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    faces = np.arange(mesh.face_count, dtype=np.int32)
    out = Edited(mesh.replaced(positions=positions), every, faces, np.unique(ids).astype(np.int32), kind)
    return refuse_flat(mesh, out)


def centres(mesh: PolyMesh, kind: ElementType, ids: Indices) -> Floats:
    """(V,3) of each picked vertex the middle of the connected part of what is picked that it is in; 0 elsewhere."""
    vertices = converted(mesh, kind, ids, "vertex")
    t = topology(mesh)
    picked = np.zeros(mesh.vertex_count, np.bool_)
    picked[vertices] = True
    if kind == "vertex":
        links = t.edges[picked[t.edges].all(axis=1)]
    elif kind == "edge":
        links = t.edges[ids]
    else:
        links = t.edges[converted(mesh, "face", ids, "edge")]
    label, count = joined_numbers(mesh.vertex_count, links[:, 0], links[:, 1])
    total = sums_at(label[vertices], mesh.positions.take(vertices, axis=0), count)
    number = np.bincount(label[vertices], minlength=count)
    out = np.zeros((mesh.vertex_count, 3))
    out[vertices] = (total / np.maximum(number, 1)[:, None])[label[vertices]]
    return out


def middle_of(mesh: PolyMesh, kind: ElementType, ids: Indices) -> Floats:
    """The middle (3,) of the vertices of what is picked."""
    out: Floats = mesh.positions[converted(mesh, kind, ids, "vertex")].mean(axis=0)
    return out
