"""Facets: faces that are treated as one, their outlines and corners."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.topology import topology

#: Where nothing is said, faces that meet within this angle (radians) are one facet.
FLAT = np.radians(1.0)


def joined_where(mesh: PolyMesh, same: Bools) -> Indices:
    """(F) the number of the set of faces that hang together through edges at whose corner (C) `same` holds."""
    t = topology(mesh)
    c = np.flatnonzero((t.twin >= 0) & same)
    label, _ = joined_numbers(mesh.face_count, mesh.corner_face[c], mesh.corner_face[t.twin[c]])
    out: Indices = label
    return out


def facets_by_angle(mesh: PolyMesh, angle: float) -> Indices:
    """(F) facets of faces that meet within an angle (radians)."""
    t = topology(mesh)
    normals = unit(area_vectors(mesh))
    same = np.zeros(len(mesh.corners), np.bool_)
    c = np.flatnonzero(t.twin >= 0)
    a, b = mesh.corner_face[c], mesh.corner_face[t.twin[c]]
    same[c] = dots(normals[a], normals[b]) >= np.cos(angle) - 1e-12
    return joined_where(mesh, same)


def facets_by_material(mesh: PolyMesh) -> Indices:
    """(F) facets of faces of one material."""
    t = topology(mesh)
    other = mesh.corner_face[np.maximum(t.twin, 0)]
    return joined_where(mesh, mesh.material[mesh.corner_face] == mesh.material[other])


@kept_with_mesh
def facets(mesh: PolyMesh) -> Indices:
    """(F) the facet of each face: connected faces of one facet number; of a mesh in which all have the same number, as
    files come, those that are flat together and of one material."""
    if not mesh.face_count:
        return np.zeros(0, np.int32)
    t = topology(mesh)
    other = mesh.corner_face[np.maximum(t.twin, 0)]
    if mesh.facet.min() != mesh.facet.max():
        return joined_where(mesh, mesh.facet[mesh.corner_face] == mesh.facet[other])
    normals = unit(area_vectors(mesh))
    a = mesh.corner_face
    flat = dots(normals[a], normals[other]) >= np.cos(FLAT) - 1e-12
    return joined_where(mesh, flat & (mesh.material[a] == mesh.material[other]))


def facet_edges(mesh: PolyMesh) -> Bools:
    """(E) edges where two facets meet, or the mesh ends."""
    t = topology(mesh)
    own = facets(mesh)
    out = np.zeros(len(t.edges), np.bool_)
    c = np.arange(len(mesh.corners))
    apart = (t.twin < 0) | (own[mesh.corner_face] != own[mesh.corner_face[np.maximum(t.twin, 0)]])
    out[t.corner_edge[c[apart]]] = True
    return out


#: A facet's outline has a corner where it turns to less than this angle (radians).
CORNER = np.radians(140.0)


def facet_corners(mesh: PolyMesh, threshold: float = CORNER) -> Bools:
    """(V) vertices where three facets meet, outside counted as one, or where an outline turns to an angle below a
    threshold (radians), seen in the facet's mean plane."""
    t = topology(mesh)
    own = facets(mesh)
    outline = facet_edges(mesh)
    # how many facets meet at each vertex
    pairs = np.unique(np.stack([mesh.corners, own[mesh.corner_face]], axis=1), axis=0)
    count = np.bincount(pairs[:, 0], minlength=mesh.vertex_count)
    open_ = np.zeros(mesh.vertex_count, np.bool_)
    open_[t.edges[t.border].ravel()] = True
    out = count + open_ >= 3
    # the turn of each facet's outline from corner to corner
    total = sums_at(own, area_vectors(mesh), int(own.max(initial=-1)) + 1)
    area = np.bincount(own, np.linalg.norm(area_vectors(mesh), axis=1), minlength=len(total))
    # one that looks all round has no mean plane
    total[np.linalg.norm(total, axis=1) <= 1e-6 * area] = 0.0
    normal = unit(total)
    c = np.flatnonzero(outline[t.corner_edge])
    facet = own[mesh.corner_face[c]]
    way = mesh.positions[mesh.corners[mesh.next_corner[c]]] - mesh.positions[mesh.corners[c]]
    n = normal[facet]
    way = unit(way - dots(way, n)[:, None] * n)
    ends = {}
    for k, (v, f) in enumerate(zip(mesh.corners[mesh.next_corner[c]].tolist(), facet.tolist(), strict=True)):
        ends[v, f] = k
    limit = -np.cos(threshold)
    for k, (v, f) in enumerate(zip(mesh.corners[c].tolist(), facet.tolist(), strict=True)):
        came = ends.get((v, f))
        # an angle below the threshold is a turn beyond the rest of the half circle
        if came is not None and float(way[came] @ way[k]) < limit - 1e-9:
            out[v] = True
    return np.asarray(out)
