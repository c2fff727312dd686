"""One operation after another, and what elements are called after it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, edges_between
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def unchanged(mesh: PolyMesh) -> Edited:
    """A mesh to which nothing has been done."""
    nothing = np.zeros(0, np.int32)
    return Edited(
        mesh, np.arange(mesh.vertex_count, dtype=np.int32), np.arange(mesh.face_count, dtype=np.int32), nothing
    )


def composed(first: Edited, then: Edited) -> Edited:
    """What comes of an operation on the result of another, as of one."""
    return replace(
        then,
        vertex_from=_through(first.vertex_from, then.vertex_from),
        face_from=_through(first.face_from, then.face_from),
    )


def _through(first: Indices, then: Indices) -> Indices:
    out: Indices = np.where(then >= 0, first[np.maximum(then, 0)], -1).astype(np.int32)
    return out


def carried(before: PolyMesh, out: Edited, kind: ElementType, ids: Indices) -> Indices:
    """What elements of a mesh are called in what has come of it, rising; those that are gone are left out."""
    if kind == "edge":
        number = np.full(before.vertex_count, -1, np.int32)
        number[out.vertex_from[out.vertex_from >= 0]] = np.flatnonzero(out.vertex_from >= 0)
        return _edges(out.mesh, number[topology(before).edges[ids]])
    back = out.face_from if kind == "face" else out.vertex_from
    return np.flatnonzero(np.isin(back, ids)).astype(np.int32)


def carried_back(before: PolyMesh, out: Edited, kind: ElementType, ids: Indices) -> Indices:
    """What elements of what has come of a mesh are called in that, rising; those that are new are left out."""
    if kind == "edge":
        return _edges(before, out.vertex_from[topology(out.mesh).edges[ids]])
    old = (out.face_from if kind == "face" else out.vertex_from)[ids]
    return np.unique(old[old >= 0]).astype(np.int32)


def _edges(mesh: PolyMesh, pairs: Indices) -> Indices:
    return edges_between(mesh, pairs[(pairs >= 0).all(axis=1)])
