"""Joining meshes and moving their vertices."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import corner_normals
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh

#: Corners of meshes that are looked at together.
_TOGETHER: Final = 500_000


def together(meshes: Sequence[PolyMesh]) -> list[list[PolyMesh]]:
    """Meshes in runs, each with so few corners that they may well be joined and looked at in one go."""
    out: list[list[PolyMesh]] = []
    corners = 0
    for mesh in meshes:
        corners += len(mesh.corners)
        if out and corners <= _TOGETHER:
            out[-1].append(mesh)
        else:
            out.append([mesh])
            corners = len(mesh.corners)
    return out


def joined(meshes: Sequence[PolyMesh], *, materials: Sequence[int] | None = None) -> PolyMesh:
    """One mesh holding all given ones, unwelded; `materials` gives each of them one material index.

    uv and colours survive where every mesh has them; where one has normals of a file, all are given those that they
    show. Raises GeometryError for an empty list.
    """
    if not meshes:
        raise GeometryError("Nothing to join: give at least one mesh.")
    vertex = np.concatenate([[0], np.cumsum([m.vertex_count for m in meshes])])
    corner = np.concatenate([[0], np.cumsum([len(m.corners) for m in meshes])])
    facets = np.concatenate([[0], np.cumsum([int(m.facet.max(initial=-1)) + 1 for m in meshes])])
    uvs = [m.uv for m in meshes if m.uv is not None]
    colours = [m.colour for m in meshes if m.colour is not None]
    normals = None
    if any(m.normal is not None for m in meshes):
        normals = np.concatenate([corner_normals(m) for m in meshes])
    return PolyMesh.trusted(
        np.concatenate([m.positions for m in meshes]),
        np.concatenate([[0]] + [m.face_starts[1:] + c for m, c in zip(meshes, corner[:-1], strict=True)]),
        np.concatenate([m.corners + v for m, v in zip(meshes, vertex[:-1], strict=True)]),
        material=np.concatenate(
            [
                m.material if materials is None else np.full(m.face_count, materials[i], np.int32)
                for i, m in enumerate(meshes)
            ]
        ),
        facet=np.concatenate([m.facet + f for m, f in zip(meshes, facets[:-1], strict=True)]),
        sharp=np.concatenate([m.sharp for m in meshes]),
        uv=np.concatenate(uvs) if len(uvs) == len(meshes) else None,
        colour=np.concatenate(colours) if len(colours) == len(meshes) else None,
        smooth_angle=meshes[0].smooth_angle,
        normal=normals,
    )


def with_positions(mesh: PolyMesh, positions: Floats) -> PolyMesh:
    """The same faces on other vertex positions (V,3), shaded as these give it."""
    return mesh.replaced(positions=positions)


def mapped(mesh: PolyMesh, positions: Floats, linear: Floats | None = None) -> PolyMesh:
    """The same faces on positions (V,3) to which a matrix (3,3) and a shift took those that they had; no matrix where
    directions stay. Normals of a file go along."""
    if mesh.normal is None:
        return mesh.replaced(positions=positions)
    return mesh.replaced(positions=positions, normal=_directed(mesh.normal, linear))


def _directed(normals: Floats, linear: Floats | None) -> Floats:
    """Normals (n,3) of a surface to which a matrix was done, which turns over where that does."""
    if linear is None:
        return normals
    across = np.linalg.det(linear) * np.linalg.inv(linear).T
    out: Floats = np.asarray(normals @ across.T, np.float64)
    if np.abs(across @ across.T - np.eye(3)).max() < 1e-12:  # as long as they were
        return out + 0.0
    length: Floats = np.linalg.norm(out, axis=1, keepdims=True)
    return np.asarray(out / np.maximum(length, 1e-300), np.float64)


def moved(mesh: PolyMesh, offset: Sequence[float] | Floats) -> PolyMesh:
    """The mesh shifted by an offset (3,), metres."""
    return mapped(mesh, mesh.positions + np.asarray(offset, np.float64))


def order_over(mesh: PolyMesh) -> Ints:
    """(C) the corner that comes at each place when every face is wound the other way from the same first corner."""
    first, size = mesh.face_starts[mesh.corner_face], mesh.face_sizes[mesh.corner_face]
    place = np.arange(len(mesh.corners)) - first
    return np.asarray(first + (size - place) % size, np.int32)


def turned_over(mesh: PolyMesh) -> PolyMesh:
    """The mesh with every face wound the other way; the first corner of each face stays the first."""
    order = order_over(mesh)
    # the edge from a corner on is, the other way round, the one that led to it
    turned = {} if mesh.normal is None else {"normal": 0.0 - mesh.normal[order]}
    return mesh.with_corners(order, sharp=mesh.sharp[order[mesh.next_corner]], **turned)
