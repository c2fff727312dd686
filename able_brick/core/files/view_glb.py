"""GLBs that the viewport draws: of a mesh, or of many items that share its faces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from able_brick.core.files.glb_write import ARRAY, ELEMENTS, Binary, Json, assembled, indices
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.kept import kept_with_mesh
from able_brick.core.mesh.normals import sharp_edges
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate


@dataclass(frozen=True, eq=False)
class _Slot:
    """One material's hardware vertices (h) by their numbers, its triangles (t,3) over these, and the face of each."""

    slot: int
    chosen: Ints
    triangles: Ints
    faces: Ints


@kept_with_mesh
def _slots(mesh: PolyMesh) -> list[_Slot]:
    hardware = hardware_vertices(mesh)
    tris, tri_face = triangulate(mesh)
    of_hardware = mesh.material[mesh.corner_face[hardware.corner]]
    tri_material = mesh.material[tri_face]
    out = []
    place = np.zeros(len(hardware), np.int32)
    for material in np.unique(tri_material):
        chosen = np.flatnonzero(of_hardware == material).astype(np.int32)
        place[chosen] = np.arange(len(chosen), dtype=np.int32)
        mine = tri_material == material
        out.append(_Slot(int(material), chosen, place[hardware.of_corner[tris[mine]]], tri_face[mine]))
    return out


def drawn_vertices(mesh: PolyMesh) -> Ints:
    """(H) the mesh's vertex of each vertex of its view GLB, slot after slot."""
    hardware = hardware_vertices(mesh)
    out: Ints = np.concatenate([np.zeros(0, np.int32), *(hardware.vertex[s.chosen] for s in _slots(mesh))])
    return out


@kept_with_mesh
def _lines(mesh: PolyMesh) -> tuple[Ints, Ints]:
    """The edges of the outline, and all others."""
    sharp = sharp_edges(mesh)
    return np.flatnonzero(sharp).astype(np.int32), np.flatnonzero(~sharp).astype(np.int32)


def write_view_glb(mesh: PolyMesh) -> bytes:
    """The GLB that the viewport draws: triangles grouped by material (`slot` in extras), then lines.

    Lines come as two primitives over the vertices, marked in extras: `outline` (sharp and border edges) and `inner`
    (all others). Triangles of a face are consecutive, in face order within each slot; `face` gives the face of each,
    `vertex` the mesh's vertex of each vertex of the primitive. Lines are over the mesh's own vertices, and `edge` gives
    the edge of each, as the topology numbers them.
    """
    hardware = hardware_vertices(mesh)
    uv = None if mesh.uv is None else mesh.uv[hardware.corner][None]
    return write_items_glb([ViewItems(mesh, mesh.positions[None], hardware.normals[None], uv)])


@dataclass(frozen=True, eq=False)
class ViewItems:
    """n items with the faces of one mesh: positions (n,V,3); normals (n,H,3) and uv (n,H,2) of its hardware
    vertices."""

    mesh: PolyMesh
    positions: Floats
    normals: Floats
    uv: Floats | None

    def __len__(self) -> int:
        return len(self.positions)


def write_items_glb(batches: Sequence[ViewItems]) -> bytes:
    """The same for many items, batch by batch: faces, vertices and edges are numbered on from item to item."""
    binary = Binary()
    primitives: list[Json] = []
    faces = np.concatenate([[0], np.cumsum([len(b) * b.mesh.face_count for b in batches])])
    vertices = np.concatenate([[0], np.cumsum([len(b) * b.mesh.vertex_count for b in batches])])
    edges = np.concatenate([[0], np.cumsum([len(b) * len(topology(b.mesh).edges) for b in batches])])
    for slot in sorted({p.slot for b in batches for p in _slots(b.mesh)}):
        parts = [(k, b, p) for k, b in enumerate(batches) for p in _slots(b.mesh) if p.slot == slot]
        positions, normals, uvs, colours, triangles, face, vertex = [], [], [], [], [], [], []
        total = 0
        for k, b, p in parts:
            n, h = len(b), len(p.chosen)
            own = hardware_vertices(b.mesh)
            at = own.vertex[p.chosen]
            positions.append(b.positions[:, at].reshape(-1, 3))
            normals.append(b.normals[:, p.chosen].reshape(-1, 3))
            if b.uv is not None:
                uvs.append(b.uv[:, p.chosen].reshape(-1, 2))
            if b.mesh.colour is not None:
                colours.append(np.tile(b.mesh.colour[own.corner[p.chosen]], (n, 1)))
            triangles.append(_repeated(p.triangles, n, h).ravel() + total)
            face.append(_repeated(p.faces, n, b.mesh.face_count) + faces[k])
            vertex.append(_repeated(at, n, b.mesh.vertex_count) + vertices[k])
            total += n * h
        attributes: Json = {
            "POSITION": binary.add(np.concatenate(positions).astype("<f4"), target=ARRAY, limits=True),
            "NORMAL": binary.add(np.concatenate(normals).astype("<f4"), target=ARRAY),
        }
        if len(uvs) == len(parts):
            attributes["TEXCOORD_0"] = binary.add(np.concatenate(uvs).astype("<f4"), target=ARRAY)
        if len(colours) == len(parts):
            attributes["COLOR_0"] = binary.add(np.concatenate(colours).astype("<f4"), target=ARRAY)
        primitives.append(
            {
                "attributes": attributes,
                "indices": binary.add(indices(np.concatenate(triangles), total), target=ELEMENTS),
                "mode": 4,
                "extras": {
                    "slot": slot,
                    "face": binary.add(np.concatenate(face).astype("<u4")),
                    "vertex": binary.add(np.concatenate(vertex).astype("<u4")),
                },
            }
        )
    if edges[-1]:
        every = np.concatenate([b.positions.reshape(-1, 3) for b in batches]).astype("<f4")
        position = binary.add(every, target=ARRAY, limits=True)
        for j, kind in enumerate(("outline", "inner")):
            ends, numbers = [], []
            for k, b in enumerate(batches):
                chosen = _lines(b.mesh)[j]
                table = topology(b.mesh).edges
                ends.append(_repeated(table[chosen], len(b), b.mesh.vertex_count).ravel() + vertices[k])
                numbers.append(_repeated(chosen, len(b), len(table)) + edges[k])
            if sum(len(e) for e in ends):
                primitives.append(
                    {
                        "attributes": {"POSITION": position},
                        "indices": binary.add(indices(np.concatenate(ends), int(vertices[-1])), target=ELEMENTS),
                        "mode": 1,
                        "extras": {"lines": kind, "edge": binary.add(np.concatenate(numbers).astype("<u4"))},
                    }
                )
    document: Json = {"asset": {"version": "2.0", "generator": "Able Brick"}, "scene": 0}
    document["scenes"] = [{"nodes": [0]}]
    document["nodes"] = [{"mesh": 0}] if primitives else [{"name": "empty"}]
    if primitives:
        document["meshes"] = [{"primitives": primitives}]
    return assembled(document, binary)


def _repeated(values: Ints, n: int, step: int) -> npt.NDArray[np.int64]:
    """Numbers (…) n times, each time `step` on."""
    out = values[None] + (np.arange(n, dtype=np.int64) * step).reshape(-1, *[1] * values.ndim)
    return out.reshape(-1, *values.shape[1:])
