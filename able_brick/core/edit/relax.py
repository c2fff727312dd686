"""Vertices drawn towards their neighbours, so that faces become even."""

from __future__ import annotations

from typing import Final, Literal, NamedTuple

import numpy as np

from able_brick.core.edit.carry import placed
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, sharp_edges, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology

Keeping = Literal["surface", "volume", "nothing"]
#: The pass band of Taubin's filter: 1/λ + 1/μ.
_BAND: Final = 0.1


def relaxed(
    mesh: PolyMesh,
    kind: ElementType,
    ids: Indices,
    *,
    strength: float = 0.5,
    repeats: int = 5,
    keep: Keeping = "surface",
    hold_sharp: bool = True,
) -> Edited:
    """Draw what is picked so many times towards the mean of its neighbours, by a share `strength` 0…1 of the way.

    Keeping the surface, vertices slide in the plane that is tangent to it; keeping the volume, each time is followed by
    one that blows it up again (Taubin 1995). On borders, edges between materials and, unless they are not held, sharp
    edges vertices stay on the line, drawn to those beside them on it; they stay where such lines end, meet or have a
    corner.
    """
    vertices = converted(mesh, kind, ids, "vertex")
    near = _neighbours(mesh, vertices, hold_sharp=hold_sharp)
    moves = np.zeros(mesh.vertex_count, np.bool_)
    moves[vertices] = True
    moves &= near.total > 0
    back = 1.0 / (_BAND - 1.0 / strength) if strength > 0 else 0.0
    places = np.array(mesh.positions)
    for _ in range(repeats):
        for share in (strength, back) if keep == "volume" else (strength,):
            places = _drawn(mesh, places, near, moves, share, slide=keep == "surface")
    return placed(mesh, kind, ids, vertices, places[vertices])


class _Neighbours(NamedTuple):
    """Pairs of vertices (n): one, and another that it is drawn to; how many each has (V); which stay on lines (V)."""

    one: Indices
    other: Indices
    total: Indices
    on_line: Bools


def _neighbours(mesh: PolyMesh, vertices: Indices, *, hold_sharp: bool) -> _Neighbours:
    t = topology(mesh)
    chosen = np.zeros(mesh.vertex_count, np.bool_)
    chosen[vertices] = True
    line = (t.edge_uses != 2) | _between_materials(mesh)
    if hold_sharp:
        line |= sharp_edges(mesh)
    here = chosen[t.edges].any(axis=1)
    pairs, lines = t.edges[here], line[here]
    lines_at = np.bincount(t.edges[line].ravel(), minlength=mesh.vertex_count)
    one, other = np.concatenate([pairs, pairs[:, ::-1]]).T
    along = np.tile(lines, 2)
    straight = (lines_at == 2) & ~_corners(mesh, t.edges[line])
    # of a vertex on one line only those beside it there, of an end or a meeting none
    use = np.where(lines_at[one] == 0, True, straight[one] & along)
    one, other = one[use], other[use]
    return _Neighbours(one, other, np.bincount(one, minlength=mesh.vertex_count), lines_at > 0)


def _corners(mesh: PolyMesh, lines: Indices) -> Bools:
    """(V) vertices at which the two edges of lines (n,2) bend by more than what is shaded smooth."""
    a, b = np.concatenate([lines, lines[:, ::-1]]).T
    ways = unit(mesh.positions[b] - mesh.positions[a])
    # of two unit ways off a vertex the sum is short where the line goes on straight
    total = np.linalg.norm(sums_at(a, ways, mesh.vertex_count), axis=1)
    return np.asarray(total > 2.0 * np.sin(mesh.smooth_angle / 2.0))


def _between_materials(mesh: PolyMesh) -> Bools:
    """(E) edges whose faces have different materials."""
    t = topology(mesh)
    own = mesh.material[mesh.corner_face]
    out = np.zeros(len(t.edges), np.bool_)
    paired = t.twin >= 0
    out[t.corner_edge[paired]] = own[paired] != own[t.twin[paired]]
    return out


def _drawn(mesh: PolyMesh, places: Floats, near: _Neighbours, moves: Bools, share: float, *, slide: bool) -> Floats:
    mean = sums_at(near.one, places[near.other], len(places)) / np.maximum(near.total, 1)[:, None]
    way = np.where(moves[:, None], share * (mean - places), 0.0)
    if slide:
        normals = unit(_vertex_normals(mesh.replaced(positions=places)))
        free = ~near.on_line
        way[free] -= np.einsum("ij,ij->i", way[free], normals[free])[:, None] * normals[free]
    return np.asarray(places + way)


def _vertex_normals(mesh: PolyMesh) -> Floats:
    """(V,3) where the surface looks at its vertices, as long as the area there."""
    return sums_at(mesh.corners, area_vectors(mesh).take(mesh.corner_face, axis=0), mesh.vertex_count)
