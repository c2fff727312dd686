"""The vertices that the graphics hardware will really hold."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.normals import shading
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh


@dataclass(frozen=True, eq=False)
class HardwareVertices:
    """Distinct (vertex, shaded normal, uv, colour, material) tuples of the corners.

    of_corner (C) int32; corner (H) int32, one corner for each; vertex (H) int32; normals (H,3) unit;
    normal_group (H) int32, the shading group of each.
    """

    of_corner: Ints
    corner: Ints
    vertex: Ints
    normals: Floats
    normal_group: Ints

    def __len__(self) -> int:
        return len(self.corner)


def _refine(ids: npt.NDArray[np.int64], other: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
    """Ids (C) split further by another id (C)."""
    out: npt.NDArray[np.int64] = np.unique(ids * (int(other.max(initial=0)) + 1) + other, return_inverse=True)[
        1
    ].astype(np.int64)
    return out


def _row_ids(rows: npt.NDArray[np.float32]) -> npt.NDArray[np.int64]:
    """(N) one id for each distinct row (N,k) of floats."""
    ids = np.zeros(len(rows), np.int64)
    for k in range(rows.shape[1]):
        ids = _refine(ids, np.unique(rows[:, k] + 0.0, return_inverse=True)[1].astype(np.int64))
    return ids


@lru_cache(maxsize=16)
def hardware_vertices(mesh: PolyMesh) -> HardwareVertices:
    """Hardware vertices in the order of the vertices, compared as float32, as they are uploaded."""
    shade = shading(mesh)
    # groups of one vertex that came out with the same normal are one
    group_vertex = np.empty(len(shade.normals), np.int64)
    group_vertex[shade.group] = mesh.corners
    group = np.arange(len(group_vertex), dtype=np.int64)
    if len(group):
        many = np.bincount(group_vertex)[group_vertex] > 1
        same = _row_ids(shade.normals[many].astype(np.float32))
        merged = _refine(group_vertex[many], same)
        leader = np.empty(int(merged.max(initial=-1)) + 1, np.int64)
        leader[merged] = group[many]
        group[many] = leader[merged]
    ids = _refine(mesh.corners.astype(np.int64), group[shade.group])
    if mesh.material.any():
        ids = _refine(ids, mesh.material[mesh.corner_face].astype(np.int64))
    if mesh.uv is not None:
        ids = _refine(ids, _row_ids(mesh.uv.astype(np.float32)))
    if mesh.colour is not None:
        ids = _refine(ids, _row_ids(mesh.colour.astype(np.float32)))
    count = int(ids.max(initial=-1)) + 1
    corner = np.empty(count, np.int32)
    corner[ids[::-1]] = np.arange(len(ids), dtype=np.int32)[::-1]
    groups = group[shade.group[corner]]
    return HardwareVertices(
        ids.astype(np.int32), corner, mesh.corners[corner], shade.normals[groups], groups.astype(np.int32)
    )
