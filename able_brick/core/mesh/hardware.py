"""The vertices that the graphics hardware will really hold."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from able_brick.core.mesh.normals import shading
from able_brick.core.mesh.numbering import bits_of, number_rows
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


@lru_cache(maxsize=16)
def hardware_vertices(mesh: PolyMesh) -> HardwareVertices:
    """Hardware vertices in the order of the vertices, compared as float32, as they are uploaded."""
    shade = shading(mesh)
    if not len(mesh.corners):
        nothing = np.zeros(0, np.int32)
        return HardwareVertices(nothing, nothing, nothing, np.zeros((0, 3)), nothing)
    # groups of one vertex that came out with the same normal are one
    group_vertex = np.empty(len(shade.normals), np.uint32)
    group_vertex[shade.group] = mesh.corners
    looks, leader = number_rows(np.concatenate([group_vertex[:, None], bits_of(shade.normals)], axis=1))
    group = leader[looks]
    columns: list[Any] = [mesh.corners[:, None], group[shade.group, None], mesh.material[mesh.corner_face, None]]
    rows: list[Any] = [np.concatenate(columns, axis=1).astype(np.uint32)]
    rows += [bits_of(a) for a in (mesh.uv, mesh.colour) if a is not None]
    number, first = number_rows(np.concatenate(rows, axis=1))
    order = np.argsort(mesh.corners[first], kind="stable")
    rank = np.empty(len(order), np.int32)
    rank[order] = np.arange(len(order), dtype=np.int32)
    corner = first[order].astype(np.int32)
    groups = group[shade.group[corner]]
    return HardwareVertices(rank[number], corner, mesh.corners[corner], shade.normals[groups], groups.astype(np.int32))
