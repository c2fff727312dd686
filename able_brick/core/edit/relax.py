"""Vertices drawn towards their neighbours, so that faces become even."""

from __future__ import annotations

from typing import Final, Literal, NamedTuple

import numpy as np

from able_brick.core.edit.carry import placed
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, dots, sharp_edges, unit
from able_brick.core.mesh.parts import only
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
    back = 1.0 / (_BAND - 1.0 / strength) if strength > 0 else 0.0
    tangent = _Tangent(mesh, vertices) if keep == "surface" else None
    places = np.array(mesh.positions)
    for _ in range(repeats):
        for share in (strength, back) if keep == "volume" else (strength,):
            own = places[vertices]
            mean = sums_at(near.one, places[near.other], len(vertices)) / np.maximum(near.total, 1)[:, None]
            way = np.where(near.total[:, None] > 0, share * (mean - own), 0.0)
            if tangent is not None:
                normals = tangent.normals(places)[near.free]
                way[near.free] -= dots(way[near.free], normals)[:, None] * normals
            places[vertices] = own + way
    return placed(mesh, kind, ids, vertices, places[vertices])


class _Neighbours(NamedTuple):
    """Pairs (n): the number of a picked vertex among them, and the vertex that it is drawn to; how many pairs each of
    them (k) has; which of them (k) are on no line."""

    one: Indices
    other: Indices
    total: Indices
    free: Bools


def _neighbours(mesh: PolyMesh, vertices: Indices, *, hold_sharp: bool) -> _Neighbours:
    t = topology(mesh)
    number = np.full(mesh.vertex_count, -1, np.int32)
    number[vertices] = np.arange(len(vertices))
    line = (t.edge_uses != 2) | _between_materials(mesh)
    if hold_sharp:
        line |= sharp_edges(mesh)
    lines_at = np.bincount(t.edges[line].ravel(), minlength=mesh.vertex_count)
    here = (number[t.edges] >= 0).any(axis=1)
    pairs = t.edges[here]
    one, other = np.concatenate([pairs, pairs[:, ::-1]]).T
    along = np.tile(line[here], 2)
    straight = (lines_at == 2) & ~_corners(mesh, t.edges[line])
    # of a vertex on one line only those beside it there, of an end, a corner or a meeting none
    use = (number[one] >= 0) & np.where(lines_at[one] == 0, True, straight[one] & along)
    one = number[one[use]]
    return _Neighbours(one, other[use], np.bincount(one, minlength=len(vertices)), lines_at[vertices] == 0)


class _Tangent:
    """Where a surface looks at some of its vertices (k), as these move."""

    def __init__(self, mesh: PolyMesh, vertices: Indices) -> None:
        chosen = np.zeros(mesh.vertex_count, np.bool_)
        chosen[vertices] = True
        around = np.logical_or.reduceat(chosen[mesh.corners], mesh.face_starts[:-1])
        self._faces = only(mesh, around)
        self._of = np.unique(mesh.corners[around[mesh.corner_face]])
        self._at = np.searchsorted(self._of, vertices)

    def normals(self, places: Floats) -> Floats:
        """(k,3) unit normals for places (V,3) of all vertices."""
        faces = self._faces.replaced(positions=places[self._of])
        areas = area_vectors(faces).take(faces.corner_face, axis=0)
        return unit(sums_at(faces.corners, areas, faces.vertex_count)[self._at])


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
