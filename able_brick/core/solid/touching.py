"""Bodies that touch along an edge parted there, so that no edge has more than two faces."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology


def parted_edges(mesh: PolyMesh) -> PolyMesh:
    """The mesh with vertices at edges of more than two faces once for each body there: faces that bound the same bit of
    the inside stay together."""
    t = topology(mesh)
    crowded = np.flatnonzero(t.edge_uses > 2)
    if not len(crowded):
        return mesh
    twin = t.twin.copy()
    for edge in crowded.tolist():
        _pair(mesh, t.edges[edge], t.corners_of_edge(edge), twin)
    there = np.flatnonzero(twin >= 0)
    label, _ = joined_numbers(len(twin), there.astype(np.int32), mesh.next_corner[twin[there]])
    parting = np.zeros(mesh.vertex_count, np.bool_)
    parting[t.edges[crowded]] = True
    at = np.flatnonzero(parting[mesh.corners])
    corners, added = own_vertices(mesh, at, label[at])
    positions = np.concatenate([mesh.positions, mesh.positions[added]])
    return mesh.replaced(corners=corners, positions=positions, normal=mesh.normal)


def own_vertices(mesh: PolyMesh, at: Indices, group: Indices) -> tuple[Ints, Ints]:
    """The vertices of all corners (C), where corners `at` (n) of each group (n), all at one vertex, have one of their
    own: the first group at a vertex keeps that. And the old vertices (k) in whose places the new ones are, which are
    numbered on from those that there are."""
    corners = mesh.corners.copy()
    _, first, number = np.unique(group, return_index=True, return_inverse=True)
    lead = corners[at[first]]
    fresh = np.ones(len(lead), np.bool_)
    fresh[np.unique(lead, return_index=True)[1]] = False
    own = lead.copy()
    own[fresh] = mesh.vertex_count + np.arange(int(fresh.sum()))
    corners[at] = own[number.ravel()]
    return corners, lead[fresh]


def _pair(mesh: PolyMesh, ends: Ints, corners: Indices, twin: Ints) -> None:
    """Pair the corners (n) from which an edge runs, in `twin` (C): a face with the next one on its inner side."""
    start, end = mesh.positions[ends]
    along = (end - start) / max(float(np.linalg.norm(end - start)), 1e-300)
    ahead = mesh.corners[corners] == ends[0]
    normal = area_vectors(mesh)[mesh.corner_face[corners]]
    into = np.cross(normal, np.where(ahead[:, None], along, -along))
    one = into[0] / max(float(np.linalg.norm(into[0])), 1e-300)
    two = np.cross(along, one)
    angle = np.arctan2(into @ two, into @ one)
    left = set(range(len(corners)))
    for k in np.flatnonzero(ahead).tolist():
        # the inside lies behind a face that has the edge forwards, in the sense in which angles fall
        others = [m for m in left if not ahead[m]]
        if not others:
            break
        m = min(others, key=lambda m: (float(angle[k] - angle[m]) % (2 * np.pi), m))
        left -= {k, m}
        twin[corners[k]], twin[corners[m]] = corners[m], corners[k]
