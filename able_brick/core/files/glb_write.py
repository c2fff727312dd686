"""Writing GLB (glTF 2.0 binary)."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable, Mapping, Sequence

import numpy as np
import numpy.typing as npt

from able_brick.core.files.glb_nodes import Laid, MeshAt, Rungs, Tree
from able_brick.core.files.own_faces import FORMAT, Triangles, checksum, packed
from able_brick.core.files.own_level import FORMAT as LEVEL_FORMAT
from able_brick.core.files.own_level import packed_level
from able_brick.core.files.scene import Material, Node, ScenePart, Texture
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
    binary: Binary, part: ScenePart, slots: Sequence[int], *, lean: bool
) -> tuple[list[Json], npt.NDArray[np.int64], str]:
    """One primitive for each material in use, the place of each hardware vertex in their joined arrays, and the
    checksum of what they hold."""
    mesh, hardware = part.mesh, part.hardware
    tris, tri_face = triangulate(mesh)
    of_hardware = mesh.material[mesh.corner_face[hardware.corner]]
    tri_material = mesh.material[tri_face]
    place = np.zeros(len(hardware), np.int64)
    out: list[Json] = []
    held: list[Triangles] = []
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
        held.append(Triangles(position, index, uv=uv, colour=colour))
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


def _polygons(binary: Binary, part: ScenePart, place: npt.NDArray[np.int64]) -> Json:
    """What triangles alone would lose: faces, vertices, facets, sharp edges."""
    mesh, hardware = part.mesh, part.hardware
    vertex = np.empty(len(place), np.int64)
    vertex[place] = hardware.vertex
    return {
        "format": FORMAT,
        "smooth_angle": mesh.smooth_angle,
        "faces": binary.view(packed(mesh, place[hardware.of_corner], vertex)),
        **({} if mesh.normal is None else {"normals": "own"}),
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


def _material(material: Material, textures: list[Texture], extensions: list[str]) -> Json:
    pbr: Json = {
        "baseColorFactor": list(material.colour),
        "roughnessFactor": material.roughness,
        "metallicFactor": material.metallic,
    }
    if material.texture is not None:
        if material.texture not in textures:
            textures.append(material.texture)
        picture: Json = {"index": textures.index(material.texture)}
        if material.uv_transform is not None:
            u, v, turn, a, b = material.uv_transform
            moved: Json = {"offset": [u, v], "rotation": turn, "scale": [a, b]}
            picture["extensions"] = {"KHR_texture_transform": moved}
            _use(extensions, "KHR_texture_transform")
        pbr["baseColorTexture"] = picture
    out: Json = {"name": material.name, "pbrMetallicRoughness": pbr}
    alpha = material.alpha or ("blend" if material.colour[3] < 1 else "opaque")
    if alpha != "opaque":
        out["alphaMode"] = alpha.upper()
    if alpha == "mask" and material.cutoff != 0.5:
        out["alphaCutoff"] = material.cutoff
    if material.both_sides:
        out["doubleSided"] = True
    return out


def _use(extensions: list[str], name: str) -> None:
    if name not in extensions:
        extensions.append(name)


def _textures(textures: Sequence[Texture], extensions: list[str]) -> list[Json]:
    out: list[Json] = []
    for k, texture in enumerate(textures):
        if texture.media == "image/webp":
            _use(extensions, "EXT_texture_webp")
            out.append({"sampler": 0, "extensions": {"EXT_texture_webp": {"source": k}}})
        else:
            out.append({"source": k, "sampler": 0})
    return out


class _Meshes:
    """The meshes of a file, each with the materials that it has among those of the file."""

    def __init__(self, binary: Binary, *, lean: bool) -> None:
        self.binary, self.lean = binary, lean
        self.materials: list[Material] = []
        self.written: list[Json] = []

    def add(self, part: ScenePart, piece: str = "") -> MeshAt | None:
        """The mesh of a part; None where it has no faces."""
        if not part.mesh.face_count:
            return None
        slots = []
        for m in part.materials:
            if m not in self.materials:
                self.materials.append(m)
            slots.append(self.materials.index(m))
        primitives, place, held = _primitives(self.binary, part, slots, lean=self.lean)
        out: Json = {"name": part.name, "primitives": primitives}
        if not self.lean:
            own = {**_polygons(self.binary, part, place), "materials": slots, "sum": held}
            out["extras"] = {"able_brick": {**own, "piece": piece} if piece else own}
        self.written.append(out)
        return MeshAt(len(self.written) - 1, held, piece)


def _quiet(_share: float) -> None:
    """Nobody listens."""


#: Nodes between two reports of progress.
_BREATH = 500


def write_glb(
    parts: Sequence[ScenePart],
    nodes: Sequence[Node] | None = None,
    *,
    name: str = "",
    lean: bool = False,
    rungs: Rungs | None = None,
    rows: Mapping[str, object] | None = None,
    tell: Callable[[float], None] | None = None,
) -> bytes:
    """A GLB of parts and the nodes standing among them; parts used twice are stored once.

    Without nodes each part stands once at the origin. Parts without faces become bare nodes. Polygons, facets and
    sharp edges are kept in extras, so that `read_glb` gives back the same faces, and with them the `rows` of a level; a
    `lean` file has no extras. `rungs` says how those of parts are written; without it they are left out. Positions are
    float32 metres.
    `tell` hears how far it is, 0…1, and may raise to stop it.
    """
    hear = tell or _quiet
    binary = Binary()
    meshes = _Meshes(binary, lean=lean)
    at: list[tuple[MeshAt | None, ...]] = []
    for k, part in enumerate(parts):
        hear(0.5 * k / len(parts))
        first, *others = part.every if rungs is not None else [part]
        found = meshes.add(first, part.piece)
        at.append((found, *(meshes.add(r) for r in others)) if found is not None else ())
    tree = Tree(parts, at, rungs, lean=lean)
    standing = [Node(p.name, i) for i, p in enumerate(parts)] if nodes is None else nodes
    roots: list[Laid] = []
    for k, node in enumerate(standing):
        if k % _BREATH == 0:
            hear(0.5 + 0.3 * k / len(standing))
        roots.append(tree.lay(node))
    hear(0.8)
    document: Json = {"asset": {"version": "2.0", "generator": "Able Brick"}, "scene": 0}
    scene: Json = {"nodes": [r.number for r in roots], **({"name": name} if name else {})}
    if not roots:
        scene = {"name": name or "Empty"}
    if rows is not None and not lean:
        view = binary.view(packed_level(rows, tree.sums))
        scene["extras"] = {"able_brick": {"format": LEVEL_FORMAT, "level": view}}
    document["scenes"] = [scene]
    extensions = tree.extensions
    textures: list[Texture] = []
    surfaces = [_material(m, textures, extensions) for m in meshes.materials]
    pictures = _textures(textures, extensions)
    if extensions:
        document["extensionsUsed"] = extensions
    if "EXT_texture_webp" in extensions:  # there are no other pictures in their place
        document["extensionsRequired"] = ["EXT_texture_webp"]
    for key, values in (
        ("nodes", tree.flat),
        ("meshes", meshes.written),
        ("materials", surfaces),
        ("textures", pictures),
        ("samplers", [{"wrapS": 10497, "wrapT": 10497}] if textures else []),
        ("images", [binary.image(t) for t in textures]),
    ):
        if values:
            document[key] = values
    return assembled(document, binary)
