"""Smooth subdivision (Catmull and Clark 1978) with sharp edges (DeRose, Kass and Truong 1998)."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.edit.limits import check_limit
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import Topology, topology

#: Faces of a smoothed mesh at most.
MOST_SMOOTHED: Final = 1_000_000


def smoothed(mesh: PolyMesh, levels: int, *, crease_angle: float | None = None) -> PolyMesh:
    """The mesh divided so many times, each face into a quad at each of its corners, its vertices put on a smoother
    surface.

    Flagged edges, borders, edges of more than two faces and those bent by more than `crease_angle` (radians) stay
    sharp: they become curves of their own. Vertices where three or more of them meet, corners of sheets and vertices
    where parts only touch stay in their places. uv and colours change evenly within each face; materials, facets and
    flags of edges go on. Raises GeometryError where there would be too many faces.
    """
    if levels < 1 or not mesh.face_count:
        return mesh
    check_limit(len(mesh.corners) * 4 ** (levels - 1), MOST_SMOOTHED)
    hard = _hard_corners(mesh, crease_angle)
    fixed = _fixed_vertices(mesh)
    for _ in range(levels):
        mesh, hard = _divided(mesh, hard, fixed)
    return mesh


def _hard_corners(mesh: PolyMesh, crease_angle: float | None) -> Bools:
    """(C) whether the edge from each corner on stays sharp by its flag or its angle."""
    if crease_angle is None:
        return mesh.sharp
    t = topology(mesh)
    ways = unit(area_vectors(mesh))
    across = mesh.corner_face[np.maximum(t.twin, 0)]
    bent = dots(ways.take(mesh.corner_face, axis=0), ways.take(across, axis=0)) < np.cos(crease_angle) - 1e-9
    return np.asarray(mesh.sharp | ((t.twin >= 0) & bent))


def _fixed_vertices(mesh: PolyMesh) -> Bools:
    """(V) vertices in which several fans of faces meet, or that are the corner of one face and of no other."""
    t = topology(mesh)
    c = np.flatnonzero(t.twin >= 0)
    label, count = joined_numbers(len(mesh.corners), c, mesh.next_corner[t.twin[c]])
    vertex = np.zeros(count, np.int64)
    vertex[label] = mesh.corners
    fans = np.bincount(vertex, minlength=mesh.vertex_count)
    faces = np.bincount(mesh.corners, minlength=mesh.vertex_count)
    return np.asarray((fans > 1) | (faces == 1))


def _sharp_edges(mesh: PolyMesh, t: Topology, hard: Bools) -> Bools:
    """(E) edges that stay sharp, by the corners (C) that do."""
    out: Bools = t.edge_uses != 2
    out[t.corner_edge[hard | (t.twin < 0)]] = True
    return out


def _divided(mesh: PolyMesh, hard: Bools, fixed: Bools) -> tuple[PolyMesh, Bools]:
    t = topology(mesh)
    p, starts, after = mesh.positions, mesh.face_starts[:-1], mesh.next_corner
    v, e = mesh.vertex_count, len(t.edges)
    of_corner = p.take(mesh.corners, axis=0)
    centre = np.add.reduceat(of_corner, starts, axis=0) / mesh.face_sizes[:, None]
    a, b = p.take(t.edges[:, 0], axis=0), p.take(t.edges[:, 1], axis=0)
    ends = a + b
    of_face = centre.take(mesh.corner_face, axis=0)
    sharp = _sharp_edges(mesh, t, hard)
    beside = sums_at(t.corner_edge, of_face, e)
    middle = np.where(sharp[:, None], ends / 2, (ends + beside) / 4)
    places = np.concatenate([_vertices(mesh, t, sharp, fixed, ends, of_face), middle, centre])
    before = np.empty_like(after)
    before[after] = np.arange(len(after), dtype=after.dtype)
    on, back = v + t.corner_edge, v + t.corner_edge[before]
    corners = np.stack([mesh.corners, on, v + e + mesh.corner_face, back], axis=1).ravel()
    out = PolyMesh.trusted(
        places,
        4 * np.arange(len(after) + 1),
        corners,
        material=mesh.material[mesh.corner_face],
        facet=mesh.facet[mesh.corner_face],
        sharp=_flags(mesh.sharp, before),
        uv=_within(mesh, before, mesh.uv),
        colour=_within(mesh, before, mesh.colour),
        smooth_angle=mesh.smooth_angle,
    )
    return out, _flags(hard, before)


def _vertices(mesh: PolyMesh, t: Topology, sharp: Bools, fixed: Bools, ends: Floats, of_face: Floats) -> Floats:
    """(V,3) where the vertices go; `fixed` are of the first of them."""
    p, count = mesh.positions, mesh.vertex_count
    both = t.edges.T.ravel()
    n = np.bincount(both, minlength=count)[:, None]
    sharps = np.bincount(t.edges[sharp].ravel(), minlength=count)
    around = sums_at(both, np.concatenate([ends, ends]), count)
    faces = sums_at(mesh.corners, of_face, count)
    number = np.bincount(mesh.corners, minlength=count)[:, None]
    least = np.maximum(n, 1)
    # Q + 2R + (n − 3)S over n: Q the mean of the faces' middles, R that of the edges'
    smooth = (faces / np.maximum(number, 1) + around / least + (n - 3) * p) / least
    out: Floats = np.array(smooth)
    on_curve = sharps == 2
    if on_curve.any():
        pairs = t.edges[sharp]
        both = pairs.T.ravel()
        total = sums_at(both, np.tile(ends[sharp], (2, 1)), count)[on_curve] - 2 * p[on_curve]
        out[on_curve] = (6 * p[on_curve] + total) / 8
    still = sharps > 2
    still[: len(fixed)] |= fixed
    out[still] = p[still]
    return out


def _flags(sharp: Bools, before: Ints) -> Bools:
    out = np.zeros((len(sharp), 4), np.bool_)
    out[:, 0], out[:, 3] = sharp, sharp[before]
    return out.ravel()


def _within(mesh: PolyMesh, before: Ints, values: Floats | None) -> Floats | None:
    """(4C,m) values (C,m) of corners at the corners of the quads: evenly within each face."""
    if values is None:
        return None
    half = (values + values[mesh.next_corner]) / 2
    centre = np.add.reduceat(values, mesh.face_starts[:-1], axis=0) / mesh.face_sizes[:, None]
    parts = (values, half, centre.take(mesh.corner_face, axis=0), half.take(before, axis=0))
    out: Floats = np.stack(parts, axis=1).reshape(-1, values.shape[1])
    return out
