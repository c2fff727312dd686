"""GLBs that the viewport draws: of a mesh, or of many items that share its faces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from able_brick.core.files.glb_write import ARRAY, ELEMENTS, Binary, Json, assembled, index_type
from able_brick.core.files.view_kernels import gather, repeat
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.mesh_cache import kept_with_mesh
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
        primitives.append(_triangles(binary, batches, slot, faces, vertices))
    if edges[-1]:
        every = np.concatenate([b.positions.astype("<f4").reshape(-1, 3) for b in batches])
        position = binary.add(every, target=ARRAY, limits=True)
        for j, kind in enumerate(("outline", "inner")):
            chosen = [_lines(b.mesh)[j] for b in batches]
            total = sum(len(b) * len(c) for b, c in zip(batches, chosen, strict=True))
            if not total:
                continue
            ends, numbers = np.empty(2 * total, index_type(int(vertices[-1]))), np.empty(total, "<u4")
            row = 0
            for k, (b, c) in enumerate(zip(batches, chosen, strict=True)):
                table = topology(b.mesh).edges
                repeat(table[c].ravel(), len(b), b.mesh.vertex_count, vertices[k], ends, 2 * row)
                row = repeat(c, len(b), len(table), edges[k], numbers, row)
            primitives.append(
                {
                    "attributes": {"POSITION": position},
                    "indices": binary.add(ends, target=ELEMENTS),
                    "mode": 1,
                    "extras": {"lines": kind, "edge": binary.add(numbers)},
                }
            )
    document: Json = {"asset": {"version": "2.0", "generator": "Able Brick"}, "scene": 0}
    document["scenes"] = [{"nodes": [0]}]
    document["nodes"] = [{"mesh": 0}] if primitives else [{"name": "empty"}]
    if primitives:
        document["meshes"] = [{"primitives": primitives}]
    return assembled(document, binary)


def _triangles(binary: Binary, batches: Sequence[ViewItems], slot: int, faces: Ints, vertices: Ints) -> Json:
    """The primitive of one material; faces and vertices of each batch are numbered on from `faces` and `vertices`."""
    parts = [(k, b, p) for k, b in enumerate(batches) for p in _slots(b.mesh) if p.slot == slot]
    total = sum(len(b) * len(p.chosen) for _, b, p in parts)
    flat = sum(len(b) * len(p.triangles) for _, b, p in parts)
    positions, normals, vertex = np.empty((total, 3), "<f4"), np.empty((total, 3), "<f4"), np.empty(total, "<u4")
    uv = np.empty((total, 2), "<f4") if all(b.uv is not None for _, b, _ in parts) else None
    colours = []
    corners, face = np.empty(3 * flat, index_type(total)), np.empty(flat, "<u4")
    row = tri = 0
    for k, b, p in parts:
        n, own = len(b), hardware_vertices(b.mesh)
        at = own.vertex[p.chosen]
        repeat(at, n, b.mesh.vertex_count, vertices[k], vertex, row)
        gather(b.normals, p.chosen, normals, row)
        if uv is not None and b.uv is not None:
            gather(b.uv, p.chosen, uv, row)
        if b.mesh.colour is not None:
            colours.append(np.tile(b.mesh.colour[own.corner[p.chosen]], (n, 1)))
        repeat(p.triangles.ravel(), n, len(p.chosen), row, corners, 3 * tri)
        tri = repeat(p.faces, n, b.mesh.face_count, faces[k], face, tri)
        row = gather(b.positions, at, positions, row)
    attributes: Json = {
        "POSITION": binary.add(positions, target=ARRAY, limits=True),
        "NORMAL": binary.add(normals, target=ARRAY),
    }
    if uv is not None:
        attributes["TEXCOORD_0"] = binary.add(uv, target=ARRAY)
    if len(colours) == len(parts):
        attributes["COLOR_0"] = binary.add(np.concatenate(colours).astype("<f4"), target=ARRAY)
    return {
        "attributes": attributes,
        "indices": binary.add(corners, target=ELEMENTS),
        "mode": 4,
        "extras": {"slot": slot, "face": binary.add(face), "vertex": binary.add(vertex)},
    }
