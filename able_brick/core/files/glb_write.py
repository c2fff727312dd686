"""Writing GLB (glTF 2.0 binary)."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt

from able_brick.core.files.own_faces import FORMAT, checksum, packed
from able_brick.core.files.part import Material, Node, Part, Texture
from able_brick.core.mesh.triangulate import triangulate

ARRAY, ELEMENTS = 34962, 34963
_COMPONENT = {"|u1": 5121, "<u2": 5123, "<u4": 5125, "<f4": 5126}
Json = dict[str, object]


class Binary:
    """The binary chunk and the accessors into it."""

    def __init__(self) -> None:
        self.pieces: list[bytes] = []
        self.size = 0
        self.views: list[Json] = []
        self.accessors: list[Json] = []

    def add(self, array: npt.NDArray[np.generic], *, target: int | None = None, limits: bool = False) -> int:
        data = np.ascontiguousarray(array)
        raw = data.tobytes()
        view: Json = {"buffer": 0, "byteOffset": self.size, "byteLength": len(raw)}
        if target is not None:
            view["target"] = target
        self.views.append(view)
        padded = raw + b"\0" * (-len(raw) % 4)
        self.pieces.append(padded)
        self.size += len(padded)
        width = 1 if data.ndim == 1 else data.shape[1]
        accessor: Json = {
            "bufferView": len(self.views) - 1,
            "componentType": _COMPONENT[data.dtype.str],
            "count": len(data),
            "type": {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[width],
        }
        if limits:
            accessor["min"] = [float(v) for v in data.min(axis=0)]
            accessor["max"] = [float(v) for v in data.max(axis=0)]
        self.accessors.append(accessor)
        return len(self.accessors) - 1

    def view(self, data: bytes) -> int:
        """A buffer view of bytes."""
        self.views.append({"buffer": 0, "byteOffset": self.size, "byteLength": len(data)})
        padded = data + b"\0" * (-len(data) % 4)
        self.pieces.append(padded)
        self.size += len(padded)
        return len(self.views) - 1

    def image(self, texture: Texture) -> Json:
        return {"name": texture.name, "mimeType": texture.media, "bufferView": self.view(texture.data)}


def index_type(count: int) -> str:
    """What numbers so many vertices."""
    return "<u2" if count < 65535 else "<u4"


def indices(values: npt.NDArray[np.generic], count: int) -> npt.NDArray[np.generic]:
    return values.astype(index_type(count))


def _primitives(
    binary: Binary, part: Part, slots: Sequence[int], *, lean: bool
) -> tuple[list[Json], npt.NDArray[np.int64], str]:
    """One primitive for each material in use, the place of each hardware vertex in their joined arrays, and the
    checksum of what they hold."""
    mesh, hardware = part.mesh, part.hardware
    tris, tri_face = triangulate(mesh)
    of_hardware = mesh.material[mesh.corner_face[hardware.corner]]
    tri_material = mesh.material[tri_face]
    place = np.zeros(len(hardware), np.int64)
    out: list[Json] = []
    held: list[dict[str, object]] = []
    total = 0
    for material in np.unique(tri_material):
        chosen = np.flatnonzero(of_hardware == material)
        place[chosen] = total + np.arange(len(chosen))
        corner = hardware.corner[chosen]
        position = mesh.positions[hardware.vertex[chosen]].astype("<f4")
        uv = None if mesh.uv is None else mesh.uv[corner].astype("<f4")
        colour = None if mesh.colour is None else mesh.colour[corner].astype("<f4")
        attributes: Json = {
            "POSITION": binary.add(position, target=ARRAY, limits=True),
            "NORMAL": binary.add(hardware.normals[chosen].astype("<f4"), target=ARRAY),
        }
        if uv is not None:
            attributes["TEXCOORD_0"] = binary.add(uv, target=ARRAY)
        if colour is not None:
            attributes["COLOR_0"] = binary.add(colour, target=ARRAY)
        index = place[hardware.of_corner[tris[tri_material == material]]].ravel() - total
        held.append({"position": position, "uv": uv, "colour": colour, "triangles": index})
        primitive: Json = {
            "attributes": attributes,
            "indices": binary.add(indices(index, len(chosen)), target=ELEMENTS),
            "mode": 4,
        }
        if not lean:
            primitive["extras"] = {"slot": int(material)}
        if material < len(slots):
            primitive["material"] = slots[material]
        out.append(primitive)
        total += len(chosen)
    return out, place, checksum(held)


def _polygons(binary: Binary, part: Part, place: npt.NDArray[np.int64]) -> Json:
    """What triangles alone would lose: faces, vertices, facets, sharp edges."""
    mesh, hardware = part.mesh, part.hardware
    vertex = np.empty(len(place), np.int64)
    vertex[place] = hardware.vertex
    return {
        "format": FORMAT,
        "smooth_angle": mesh.smooth_angle,
        "faces": binary.view(packed(mesh, place[hardware.of_corner], vertex)),
    }


def assembled(document: Json, binary: Binary) -> bytes:
    if binary.size:
        document["buffers"] = [{"byteLength": binary.size}]
        document["bufferViews"] = binary.views
        document["accessors"] = binary.accessors
    text = json.dumps(document, separators=(",", ":"), ensure_ascii=False, allow_nan=False).encode()
    text += b" " * (-len(text) % 4)
    chunks = [struct.pack("<II", len(text), 0x4E4F534A), text]
    if binary.size:
        chunks += [struct.pack("<II", binary.size, 0x004E4942), *binary.pieces]
    body = b"".join(chunks)
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def _material(material: Material, textures: list[Texture]) -> Json:
    pbr: Json = {
        "baseColorFactor": list(material.colour),
        "roughnessFactor": material.roughness,
        "metallicFactor": material.metallic,
    }
    if material.texture is not None:
        if material.texture not in textures:
            textures.append(material.texture)
        pbr["baseColorTexture"] = {"index": textures.index(material.texture)}
    out: Json = {"name": material.name, "pbrMetallicRoughness": pbr}
    if material.colour[3] < 1:
        out["alphaMode"] = "BLEND"
    return out


def _quiet(_share: float) -> None:
    """Nobody listens."""


#: Nodes after which it is told how far it is.
_BREATH = 500


def write_glb(
    parts: Sequence[Part],
    nodes: Sequence[Node] | None = None,
    *,
    name: str = "",
    lean: bool = False,
    tell: Callable[[float], None] | None = None,
) -> bytes:
    """A GLB of parts and the nodes standing among them; parts used twice are stored once.

    Without nodes each part stands once at the origin. Parts without faces become bare nodes. Polygons, facets and
    sharp edges are kept in extras, so that `read_glb` gives back the same faces; a `lean` file has no extras. Positions
    are float32 metres.
    `tell` hears how far it is, 0…1, and may raise to stop it.
    """
    hear = tell or _quiet
    binary = Binary()
    materials: list[Material] = []
    meshes: list[Json] = []
    mesh_of: list[int | None] = []
    for k, part in enumerate(parts):
        hear(0.5 * k / len(parts))
        if not part.mesh.face_count:
            mesh_of.append(None)
            continue
        slots = []
        for m in part.materials:
            if m not in materials:
                materials.append(m)
            slots.append(materials.index(m))
        primitives, place, held = _primitives(binary, part, slots, lean=lean)
        written: Json = {"name": part.name, "primitives": primitives}
        if not lean:
            written["extras"] = {"able_brick": {**_polygons(binary, part, place), "materials": slots, "sum": held}}
        meshes.append(written)
        mesh_of.append(len(meshes) - 1)
    flat: list[Json] = []

    def lay(node: Node) -> int:
        out: Json = {"name": node.name}
        at = len(flat)
        flat.append(out)
        if any(node.translation):
            out["translation"] = list(node.translation)
        if node.rotation != (0.0, 0.0, 0.0, 1.0):
            q = np.asarray(node.rotation)
            out["rotation"] = [float(v) for v in np.clip(q / np.linalg.norm(q), -1.0, 1.0)]
        if node.scale != (1.0, 1.0, 1.0):
            out["scale"] = list(node.scale)
        if node.part is not None and mesh_of[node.part] is not None:
            out["mesh"] = mesh_of[node.part]
        if node.extras and not lean:
            out["extras"] = node.extras
        if node.children:
            out["children"] = [lay(child) for child in node.children]
        return at

    standing = [Node(p.name, i) for i, p in enumerate(parts)] if nodes is None else nodes
    roots = []
    for k, node in enumerate(standing):
        if k % _BREATH == 0:
            hear(0.5 + 0.3 * k / len(standing))
        roots.append(lay(node))
    hear(0.8)
    document: Json = {"asset": {"version": "2.0", "generator": "Able Brick"}, "scene": 0}
    document["scenes"] = [{"nodes": roots, **({"name": name} if name else {})} if roots else {"name": name or "Empty"}]
    textures: list[Texture] = []
    surfaces = [_material(m, textures) for m in materials]
    for key, values in (
        ("nodes", flat),
        ("meshes", meshes),
        ("materials", surfaces),
        ("textures", [{"source": i, "sampler": 0} for i in range(len(textures))]),
        ("samplers", [{"wrapS": 10497, "wrapT": 10497}] if textures else []),
        ("images", [binary.image(t) for t in textures]),
    ):
        if values:
            document[key] = values
    return assembled(document, binary)
