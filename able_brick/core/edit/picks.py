"""Taking in more: what belongs to what is picked."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np

from able_brick.core.edit.element_types import ElementType, converted, count_of
from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.facets import facets
from able_brick.core.mesh.normals import area_vectors, dots, sharp_edges, unit
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.rings import borders, edge_loop, edge_ring
from able_brick.core.mesh.topology import face_components, topology

Face = Literal["same plane", "same facet", "same material", "same way", "triangles", "quads", "n-gons"]
Edge = Literal["loop", "ring", "border", "sharp", "every second"]
How = Literal[
    "grow", "shrink", "connected", "invert", "all",
    "same plane", "same facet", "same material", "same way", "triangles", "quads", "n-gons",
    "loop", "ring", "border", "sharp", "every second",
]  # fmt: skip
#: Planes are the same within this angle, as a cosine, and this share of the mesh's size.
_SAME = 1.0 - 1e-9
_NEAR = 1e-6


def take_in(mesh: PolyMesh, kind: ElementType, ids: Indices, how: How, angle: float = 0.0) -> Indices:
    """What is picked of a kind after taking in more of it, rising; `angle` (radians) is how far *same way* reaches.

    Raises GeometryError for what means nothing for the kind.
    """
    picked: Bools = np.zeros(count_of(mesh, kind), np.bool_)
    picked[ids] = True
    match how:
        case "grow":
            picked[_beside(mesh, kind, picked)] = True
        case "shrink":
            picked[_beside(mesh, kind, ~picked)] = False
        case "connected":
            picked = _connected(mesh, kind, picked)
        case "invert":
            picked = ~picked
        case "all":
            picked[:] = True
        case _:
            if how in get_args(Face) and kind == "face":
                picked = _faces(mesh, picked, how, angle)
            elif how in get_args(Edge) and kind == "edge":
                picked = _edges(mesh, picked, how)
            else:
                raise GeometryError(f"{how.capitalize()} means nothing for a {kind}.", received=how)
    return np.flatnonzero(picked).astype(np.int32)


def _touched(mesh: PolyMesh, kind: ElementType, picked: Bools) -> Bools:
    """(V) vertices of what is picked."""
    out = np.zeros(mesh.vertex_count, np.bool_)
    if picked.any():
        out[converted(mesh, kind, np.flatnonzero(picked).astype(np.int32), "vertex")] = True
    return out


def _beside(mesh: PolyMesh, kind: ElementType, picked: Bools) -> Bools:
    """What shares a vertex with what is picked; of vertices what shares an edge."""
    touched = _touched(mesh, kind, picked)
    if kind == "face":
        out = np.zeros(mesh.face_count, np.bool_)
        out[mesh.corner_face[touched[mesh.corners]]] = True
        return out
    table = topology(mesh).edges
    near = np.asarray(touched[table].any(axis=1))
    if kind == "edge":
        return near
    out = touched.copy()
    out[table[near].ravel()] = True
    return out


def _connected(mesh: PolyMesh, kind: ElementType, picked: Bools) -> Bools:
    if kind == "face":
        _, part = face_components(mesh)
        return np.asarray(np.isin(part, part[picked]))
    table = topology(mesh).edges
    part, _ = joined_numbers(mesh.vertex_count, table[:, 0], table[:, 1])
    of = part if kind == "vertex" else part[table[:, 0]]
    return np.asarray(np.isin(of, of[picked]))


def _faces(mesh: PolyMesh, picked: Bools, how: How, angle: float) -> Bools:
    match how:
        case "same material":
            return np.asarray(np.isin(mesh.material, mesh.material[picked]))
        case "same facet":
            own = facets(mesh)
            return np.asarray(np.isin(own, own[picked]))
        case "same plane":
            return _same_plane(mesh, picked)
        case "triangles":
            return np.asarray(mesh.face_sizes == 3)
        case "quads":
            return np.asarray(mesh.face_sizes == 4)
        case "n-gons":
            return np.asarray(mesh.face_sizes > 4)
    return _same_way(mesh, picked, angle)


def _same_way(mesh: PolyMesh, picked: Bools, angle: float) -> Bools:
    """(F) faces that look as one of the picked ones does, within an angle (radians); these with them."""
    if not picked.any():
        return picked
    normals = unit(area_vectors(mesh))
    # two unit vectors at an angle are so far apart
    reach = 2.0 * np.sin(max(angle + 1e-12, np.arccos(_SAME)) / 2)
    away, _ = cKDTree(np.unique(normals[picked], axis=0)).query(normals, distance_upper_bound=reach)
    return np.asarray(picked | np.isfinite(away))


def _edges(mesh: PolyMesh, picked: Bools, how: How) -> Bools:
    out = picked.copy()
    if how == "border":
        return np.asarray(topology(mesh).border)
    if how == "sharp":
        return sharp_edges(mesh)
    if how == "every second":
        return _every_second(mesh, picked)
    done = np.zeros(len(picked), np.bool_)
    rims = None
    for edge in np.flatnonzero(picked).tolist():
        if done[edge]:
            continue
        if how == "loop" and topology(mesh).border[edge]:
            rims = borders(mesh) if rims is None else rims
            way = next(c for c in rims if edge in c.edges)
        else:
            way = edge_loop(mesh, edge) if how == "loop" else edge_ring(mesh, edge)
        done[way.edges] = True
        out[way.edges] = True
    return out


def _every_second(mesh: PolyMesh, picked: Bools) -> Bools:
    """(E) of loops and rings that are picked every second edge, from the lowest on."""
    out = np.zeros(len(picked), np.bool_)
    left = picked.copy()
    for edge in np.flatnonzero(picked).tolist():
        if not left[edge]:
            continue
        ways = [edge_loop(mesh, edge), edge_ring(mesh, edge)]
        way = max(ways, key=lambda c: int(picked[c.edges].sum()))
        mine = way.edges
        begin = int(np.flatnonzero(mine == edge)[0])
        out[mine[begin % 2 :: 2][picked[mine[begin % 2 :: 2]]]] = True
        left[mine] = False
    return out


def _same_plane(mesh: PolyMesh, picked: Bools) -> Bools:
    """(F) what hangs together with picked faces through edges, and lies in their planes."""
    t = topology(mesh)
    c = np.flatnonzero(t.twin > np.arange(len(t.twin)))
    a, b = mesh.corner_face[c], mesh.corner_face[t.twin[c]]
    normals = unit(area_vectors(mesh))
    size = max(float(np.abs(mesh.bounds[1] - mesh.bounds[0]).max()), 1e-300)
    one = normals[a]
    alike = np.flatnonzero(dots(one, normals[b]) > _SAME)
    a, b, one = a[alike], b[alike], one[alike]
    # in one plane: a corner of each is as far along the normal
    first = mesh.positions[mesh.corners[mesh.face_starts[:-1]]]
    flat = np.abs(dots(first[b] - first[a], one)) < _NEAR * size
    part, _ = joined_numbers(mesh.face_count, a[flat], b[flat])
    chosen = np.zeros(int(part.max(initial=-1)) + 1, np.bool_)
    chosen[part[picked]] = True
    return np.asarray(chosen[part])
