"""Face and shaded normals."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology


def unit(vectors: Floats) -> Floats:
    """Vectors (…,3) scaled to length 1; zero vectors stay zero."""
    length = np.sqrt((vectors * vectors).sum(axis=-1, keepdims=True))
    out: Floats = np.divide(vectors, length, out=np.zeros_like(vectors), where=length > 0)
    return out


@lru_cache(maxsize=16)
def area_vectors(mesh: PolyMesh) -> Floats:
    """(F,3) Newell normals, of the length of the face's area in m² (Newell, in Sutherland et al. 1974)."""
    if not mesh.face_count:
        return np.zeros((0, 3))
    origin = mesh.positions[mesh.corners[mesh.face_starts[:-1]]]
    p = mesh.positions[mesh.corners] - np.repeat(origin, mesh.face_sizes, axis=0)
    cross = np.cross(p, p[mesh.next_corner])
    out: Floats = 0.5 * np.add.reduceat(cross, mesh.face_starts[:-1], axis=0)
    out.flags.writeable = False
    return out


def sharp_edges(mesh: PolyMesh) -> Bools:
    """(E) edges shaded or drawn as sharp: flagged, bent beyond the smoothing angle, open or not two-faced."""
    t = topology(mesh)
    normals = unit(area_vectors(mesh))
    out = np.ones(len(t.edges), np.bool_)
    c = np.flatnonzero(t.twin >= 0)
    f = mesh.corner_face
    bent = (normals[f[c]] * normals[f[t.twin[c]]]).sum(axis=1) < np.cos(mesh.smooth_angle) - 1e-9
    out[t.corner_edge[c]] = bent
    out[t.corner_edge[np.flatnonzero(mesh.sharp)]] = True
    return out


@dataclass(frozen=True, eq=False)
class Shading:
    """Shaded normals: `group` (C) int32, which corners round a vertex share a normal; `normals` (G,3) unit."""

    group: Ints
    normals: Floats


@lru_cache(maxsize=16)
def shading(mesh: PolyMesh) -> Shading:
    """Corner normals, split at sharp edges, each the sum of face normals weighted by corner angle.

    Source: Thürmer & Wüthrich 1998, Computing vertex normals from polygonal facets.
    """
    t = topology(mesh)
    n = len(mesh.corners)
    if not n:
        return Shading(np.zeros(0, np.int32), np.zeros((0, 3)))
    smooth = ~sharp_edges(mesh)
    c = np.flatnonzero((t.twin >= 0) & smooth[t.corner_edge])
    # across the edge from c to its next: the corner c meets the corner after its twin, at the same vertex
    graph = coo_matrix((np.ones(len(c), np.int8), (c, mesh.next_corner[t.twin[c]])), shape=(n, n))
    count, group = connected_components(graph, directed=False)
    p = mesh.positions[mesh.corners]
    out = unit(p[mesh.next_corner] - p)
    before = np.empty(n, np.int64)
    before[mesh.next_corner] = np.arange(n)
    back = -out[before]
    angle = np.arccos(np.clip((out * back).sum(axis=1), -1.0, 1.0))
    face = unit(area_vectors(mesh))[mesh.corner_face]
    weighted = face * angle[:, None]
    normals: Floats = np.stack([np.bincount(group, weighted[:, k], minlength=count) for k in range(3)], axis=1)
    normals = unit(normals)
    lost = np.flatnonzero((normals == 0).all(axis=1))
    if len(lost):  # opposite faces cancel out: fall back to one face, or to up for a face without area
        any_corner = np.empty(count, np.int64)
        any_corner[group] = np.arange(n)
        normals[lost] = face[any_corner[lost]]
        normals[(normals == 0).all(axis=1)] = (0.0, 1.0, 0.0)
    return Shading(group.astype(np.int32), normals)
