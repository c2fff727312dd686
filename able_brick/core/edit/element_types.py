"""What can be picked of a mesh, and how picks of one kind are picks of another."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.topology import topology

ElementType = Literal["vertex", "edge", "face"]
#: One, and many, of a kind in words.
WORDS: dict[ElementType, tuple[str, str]] = {
    "vertex": ("vertex", "vertices"),
    "edge": ("edge", "edges"),
    "face": ("face", "faces"),
}


def count_of(mesh: PolyMesh, kind: ElementType) -> int:
    """How many of a kind a mesh has."""
    if kind == "vertex":
        return mesh.vertex_count
    return mesh.face_count if kind == "face" else len(topology(mesh).edges)


def marked(mesh: PolyMesh, kind: ElementType, ids: Indices) -> Bools:
    """(V), (E) or (F) whether each is among `ids`. Raises GeometryError for none, and for what the mesh has not."""
    count = count_of(mesh, kind)
    one, plural = WORDS[kind]
    if not len(ids):
        raise GeometryError(f"No {one} is picked; pick one first.")
    if int(ids.min()) < 0 or int(ids.max()) >= count:
        raise GeometryError(f"The mesh has {plural} 0 to {count - 1}; pick again.")
    out = np.zeros(count, np.bool_)
    out[ids] = True
    return out


def converted(mesh: PolyMesh, kind: ElementType, ids: Indices, to: ElementType) -> Indices:
    """Picks of one kind as another, rising: of faces and edges what belongs to them; of less the faces or edges that
    have all of theirs in."""
    if kind == to or not len(ids):
        return np.unique(ids).astype(np.int32)
    t = topology(mesh)
    picked = marked(mesh, kind, ids)
    if to == "vertex":
        if kind == "edge":
            return np.unique(t.edges[picked]).astype(np.int32)
        return np.unique(mesh.corners[picked[mesh.corner_face]]).astype(np.int32)
    if to == "edge":
        if kind == "face":
            return np.unique(t.corner_edge[picked[mesh.corner_face]]).astype(np.int32)
        return np.flatnonzero(picked[t.edges].all(axis=1)).astype(np.int32)
    of_corner = picked[mesh.corners] if kind == "vertex" else picked[t.corner_edge]
    whole = np.logical_and.reduceat(of_corner, mesh.face_starts[:-1]) if mesh.face_count else np.zeros(0, np.bool_)
    return np.flatnonzero(whole).astype(np.int32)


def edges_between(mesh: PolyMesh, pairs: Indices) -> Indices:
    """The edges (k ≤ n), rising, that lead between pairs of vertices (n,2), of those that there are."""
    table = topology(mesh).edges.astype(np.int64)
    keys = table[:, 0] * mesh.vertex_count + table[:, 1]
    p = np.sort(np.asarray(pairs, np.int64).reshape(-1, 2), axis=1)
    wanted = p[:, 0] * mesh.vertex_count + p[:, 1]
    at = np.minimum(np.searchsorted(keys, wanted), max(0, len(keys) - 1))
    return np.unique(at[keys[at] == wanted]).astype(np.int32) if len(keys) else np.zeros(0, np.int32)
