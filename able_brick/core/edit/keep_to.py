"""Moves of vertices held to edges, faces or normals."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.spans import spans
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate


def along_edges(mesh: PolyMesh, vertices: Indices, goal: Floats) -> Floats:
    """(n,3) as far along the edge of each vertex (n) that leads nearest to the goal (n,3) as it goes there, at most to
    its end."""
    t = topology(mesh)
    rank = np.full(mesh.vertex_count, -1, np.int64)
    rank[vertices] = np.arange(len(vertices))
    both = np.concatenate([t.edges, t.edges[:, ::-1]])
    own = both[rank[both[:, 0]] >= 0]
    at = rank[own[:, 0]]
    p = mesh.positions
    edge = p[own[:, 1]] - p[own[:, 0]]
    long = np.maximum(np.linalg.norm(edge, axis=1), 1e-300)
    move = goal - p[vertices]
    along = (move[at] * edge).sum(axis=1) / long
    best = np.zeros(len(vertices))
    np.maximum.at(best, at, along)
    out = p[vertices].copy()
    chosen = np.flatnonzero((along > 0) & (along == best[at]))
    out[at[chosen]] = p[own[chosen, 0]] + edge[chosen] * np.minimum(along[chosen] / long[chosen], 1.0)[:, None]
    return out


def along_normals(mesh: PolyMesh, vertices: Indices, goal: Floats) -> Floats:
    """(n,3) the move to each goal (n,3) as far as it goes along the normal of its vertex (n)."""
    total = sums_at(mesh.corners, area_vectors(mesh).take(mesh.corner_face, axis=0), mesh.vertex_count)
    normal = unit(total[vertices])
    p = mesh.positions[vertices]
    out: Floats = p + ((goal - p) * normal).sum(axis=1)[:, None] * normal
    return out


def on_surface(mesh: PolyMesh, vertices: Indices, goal: Floats) -> Floats:
    """(n,3) the place on the faces round each vertex (n) that is nearest to its goal (n,3)."""
    triangles, of_face = triangulate(mesh)
    at = mesh.corners[triangles]
    rank = np.full(mesh.vertex_count, -1, np.int64)
    rank[vertices] = np.arange(len(vertices))
    # the triangles of every face round each vertex
    c = np.flatnonzero(rank[mesh.corners] >= 0)
    own, face = rank[mesh.corners[c]], mesh.corner_face[c]
    starts = np.searchsorted(of_face, np.arange(mesh.face_count + 1))
    count = (starts[1:] - starts[:-1])[face]
    mine, own = spans(starts[face], count), np.repeat(own, count)
    found = nearest_on_triangles(goal[own], mesh.positions[at[mine]])
    far = dots(found - goal[own], found - goal[own])
    order = np.lexsort((far, own))
    first = order[np.append(True, np.diff(own[order]) > 0)] if len(order) else order
    out = mesh.positions[vertices].copy()
    out[own[first]] = found[first]
    return out


def nearest_on_triangles(points: Floats, triangles: Floats) -> Floats:
    """(n,3) the place on each triangle (n,3,3) that is nearest to a point, (n,3) or (3,)."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    normal = unit(np.cross(b - a, c - a))
    flat = points - dots(points - a, normal)[:, None] * normal
    inside = np.ones(len(a), np.bool_)
    best = np.full(len(a), np.inf)
    out: Floats = flat.copy()
    for p, q in ((a, b), (b, c), (c, a)):
        edge = q - p
        inside &= dots(np.cross(edge, flat - p), normal) >= 0
        share = np.clip(dots(points - p, edge) / np.maximum(dots(edge, edge), 1e-300), 0.0, 1.0)
        there = p + edge * share[:, None]
        far = dots(there - points, there - points)
        nearer = far < best
        best = np.where(nearer, far, best)
        out[nearer] = there[nearer]
    out[inside] = flat[inside]
    return out
