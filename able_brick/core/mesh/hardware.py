"""The vertices that the graphics hardware will really hold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.normals import Shading, shading
from able_brick.core.mesh.numbering import bits_of, number_rows
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.mesh.split_by_shading import leaders, split_by_shading


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


@kept_with_mesh
def hardware_vertices(mesh: PolyMesh) -> HardwareVertices:
    """Hardware vertices in the order of the vertices, compared as float32, as they are uploaded."""
    shade = shading(mesh)
    if not len(mesh.corners):
        nothing = np.zeros(0, np.int32)
        return HardwareVertices(nothing, nothing, nothing, np.zeros((0, 3)), nothing)
    lead = leaders(mesh.vertex_count, shade.group, mesh.corners, bits_of(shade.normals))
    if not len(lead):
        lead = _leaders(shade, mesh.corners)
    group = lead[shade.group]
    material = mesh.material[mesh.corner_face]
    looks = [bits_of(a) for a in (mesh.uv, mesh.colour) if a is not None]
    rows = looks[0] if len(looks) == 1 else np.concatenate([np.zeros((len(group), 0), np.uint32), *looks], axis=1)
    number, first = split_by_shading(mesh.corners, mesh.vertex_count, group, material, rows)
    if not len(number):
        number, first = _split(mesh.corners, group, material, rows)
    groups = group[first]
    return HardwareVertices(number, first, mesh.corners[first], shade.normals[groups], groups)


def _leaders(shade: Shading, corners: Ints) -> Ints:
    """`leaders` for any number of groups at a vertex."""
    vertex = np.empty(len(shade.normals), np.uint32)
    vertex[shade.group] = corners
    number, first = number_rows(np.concatenate([vertex[:, None], bits_of(shade.normals)], axis=1))
    return first[number].astype(np.int32)


def _split(corners: Ints, group: Ints, material: Ints, rows: npt.NDArray[np.uint32]) -> tuple[Ints, Ints]:
    """`split_by_look` for any number of looks at a vertex."""
    whole = np.stack([corners, group, material], axis=1).astype(np.uint32)
    number, first = number_rows(np.concatenate([whole, rows], axis=1))
    order = np.argsort(corners[first], kind="stable")
    rank = np.empty(len(order), np.int32)
    rank[order] = np.arange(len(order), dtype=np.int32)
    return rank[number], first[order].astype(np.int32)
