"""The faces of a bevel: those that come in, and the old ones with their corners moved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.assemble import Faces, weights_of
from able_brick.core.edit.bevel_corners import Moves
from able_brick.core.edit.bevel_rails import Rails
from able_brick.core.edit.bevel_uv import BevelUv
from able_brick.core.mesh.gather import chosen_rows
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.spans import spans
from able_brick.core.mesh.topology import topology


@dataclass(frozen=True, eq=False)
class NewFaces:
    """n faces with k corners: `sizes` (n); `points` (k), the old `corner` (k) that each is like, and its `uv` (k,2);
    the old face that each is `like` (n), and its `facet` (n)."""

    sizes: Indices
    points: Indices
    corner: Indices
    uv: Floats | None
    like: Indices
    facet: Indices

    @classmethod
    def none(cls, mapped: bool) -> NewFaces:
        """No faces, with uv or without."""
        empty = np.zeros(0, np.int64)
        return cls(empty, empty, empty, np.zeros((0, 2)) if mapped else None, empty, empty)


def polygons(points: Indices, corner: Indices, uv: Floats | None, like: Indices, facet: Indices) -> NewFaces:
    """Faces (n,m) without the corners where a point comes twice in a row, and without those that have no three then."""
    keep = points != np.roll(points, 1, axis=1)
    keep &= (keep.sum(axis=1) >= 3)[:, None]
    sizes = keep.sum(axis=1)
    there = sizes > 0
    maps = None if uv is None else chosen_rows(uv.reshape(-1, 2), keep.ravel())
    return NewFaces(sizes[there], points[keep], corner[keep], maps, like[there], facet[there])


def by_facet(parts: Sequence[NewFaces]) -> NewFaces:
    """Several lists of faces as one, in the order of their facets."""
    facet = np.concatenate([p.facet for p in parts])
    sizes = np.concatenate([p.sizes for p in parts])
    order = np.argsort(facet, kind="stable")
    take = spans((np.cumsum(sizes) - sizes)[order], sizes[order])
    uv = [p.uv for p in parts if p.uv is not None]
    return NewFaces(
        sizes[order],
        np.concatenate([p.points for p in parts])[take],
        np.concatenate([p.corner for p in parts])[take],
        np.concatenate(uv).take(take, axis=0) if uv else None,
        np.concatenate([p.like for p in parts])[order],
        facet[order],
    )


def new_faces(mesh: PolyMesh, parts: Sequence[NewFaces], material: int | None) -> Faces:
    """What the builder adds: each facet a fresh one, the material given or that of the face that each is like."""
    made = by_facet(parts)
    _, fresh = np.unique(made.facet, return_inverse=True)
    return Faces(
        made.sizes.astype(np.int32),
        (made.points + mesh.vertex_count).astype(np.int32),
        weights_of(mesh, made.corner[:, None], np.ones((len(made.corner), 1))),
        made.like.astype(np.int32),
        np.zeros(len(made.corner), np.bool_),
        made.uv,
        None if material is None else np.full(len(made.like), material, np.int32),
        fresh.ravel().astype(np.int32),
    )


def changed_faces(mesh: PolyMesh, chosen: Bools, moves: Moves, across: Rails, uv: BevelUv | None) -> Faces:
    """The old faces with their corners moved, as edges (E) are bevelled."""
    changed = np.zeros(mesh.face_count, np.bool_)
    changed[mesh.corner_face[moves.one >= 0]] = True
    c = np.flatnonzero(changed[mesh.corner_face])
    count = 1 + (moves.two[c] >= 0)
    lone = np.searchsorted(c, across.lone_corners)
    count[lone] = across.lines.shape[1]
    end = np.cumsum(count)
    corner = np.repeat(c, count)
    point = np.repeat(moves.one[c], count)
    point[end - 1] = np.where(moves.two[c] >= 0, moves.two[c], moves.one[c])
    point[spans((end - count)[lone], count[lone])] = across.lines[across.lone][:, ::-1].ravel()
    moved = point >= 0
    sharp = np.zeros(len(corner), np.bool_)
    sharp[end - 1] = mesh.sharp[c] & ~(moved[end - 1] & chosen[topology(mesh).corner_edge[c]])
    maps = None
    if uv is not None:
        maps = uv.uv.take(corner, axis=0)
        maps[moved] = uv.at(corner[moved], point[moved])
    faces = np.flatnonzero(changed)
    return Faces(
        np.add.reduceat(count, np.searchsorted(c, mesh.face_starts[faces])).astype(np.int32),
        np.where(moved, point + mesh.vertex_count, mesh.corners[corner]).astype(np.int32),
        weights_of(mesh, corner[:, None], np.ones((len(corner), 1))),
        faces.astype(np.int32),
        sharp,
        maps,
    )
