"""Reading GLB (glTF 2.0 binary). Nothing in the file is believed before it is checked."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable, Iterator
from typing import Any, Final

import numpy as np
import numpy.typing as npt
from scipy.spatial.transform import Rotation

from able_brick.core.errors import FileError, GeometryError
from able_brick.core.files.from_triangles import from_triangles
from able_brick.core.files.part import Instance, Material, Part, Scene
from able_brick.core.mesh.polymesh import Floats, PolyMesh

_TYPES: Final = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTH: Final = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
_MOST_JSON: Final = 64 * 2**20
_MOST_NODES: Final = 200_000
_MOST_VERTICES: Final = 20_000_000


def read_glb(data: bytes) -> Scene:
    """Parts, and where they stand in the file's scene, from the bytes of a GLB file.

    Faces with their polygons where Able Brick wrote them, triangles otherwise; corners of exactly equal position are
    one vertex, hard edges are taken from differing normals. Raises FileError naming the place in the file.
    """
    document, binary = _chunks(data)
    return _Reader(document, binary).scene()


def _chunks(data: bytes) -> tuple[dict[str, Any], bytes]:
    if len(data) < 20 or data[:4] != b"glTF":
        raise FileError(
            "This is not a GLB file: it does not begin with “glTF”. Export it as binary glTF 2.0.",
            place="byte 0",
        )
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise FileError(f"GLB version {version} cannot be read, only version 2.", place="byte 4", received=version)
    if length > len(data):
        raise FileError(
            f"The file is cut off: its header says {length} bytes, {len(data)} are there. Get the whole file again.",
            place="byte 8",
        )
    at, text, binary = 12, None, b""
    while at + 8 <= length:
        size, kind = struct.unpack_from("<II", data, at)
        if at + 8 + size > length:
            raise FileError(f"A chunk claims {size} bytes, beyond the end of the file.", place=f"byte {at}")
        body = data[at + 8 : at + 8 + size]
        if kind == 0x4E4F534A and text is None:
            text = body
        elif kind == 0x004E4942 and not binary:
            binary = body
        at += 8 + size
    if text is None:
        raise FileError("The file has no JSON chunk.", place="byte 12")
    if len(text) > _MOST_JSON:
        raise FileError(f"The JSON chunk has {len(text)} bytes; at most {_MOST_JSON} are read.", place="byte 12")
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise FileError("The JSON chunk is broken; export the file again.", place="byte 20") from error
    if not isinstance(document, dict):
        raise FileError("The JSON chunk is not an object.", place="byte 20")
    return document, binary


def _number(value: object, place: str, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not low <= value <= high:
        raise FileError(f"{place} should be a number from {low:g} to {high:g}.", place=place, received=repr(value)[:80])
    return float(value)


class _Reader:
    def __init__(self, document: dict[str, Any], binary: bytes) -> None:
        self.document = document
        self.binary = binary
        self.notes: list[str] = []
        self.vertices = 0

    # -- JSON -

    def list_of(self, key: str) -> list[Any]:
        value = self.document.get(key, [])
        if not isinstance(value, list):
            raise FileError(f"{key} should be a list.", place=key)
        return value

    def item(self, key: str, index: object, place: str) -> dict[str, Any]:
        every = self.list_of(key)
        at = self.whole(index, place, 0, len(every) - 1)
        value = every[at]
        if not isinstance(value, dict):
            raise FileError(f"{key}[{at}] should be an object.", place=f"{key}[{at}]")
        return value

    def whole(self, value: object, place: str, low: int, high: int) -> int:
        if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
            raise FileError(
                f"{place} should be a whole number from {low} to {high}.",
                place=place,
                received=repr(value)[:80],
            )
        return value

    def numbers(self, value: object, place: str, count: int) -> Floats:
        if not isinstance(value, list) or len(value) != count:
            raise FileError(f"{place} should be a list of {count} numbers.", place=place)
        return np.array([_number(v, place, -1e12, 1e12) for v in value])

    def name(self, holder: dict[str, Any], fallback: str) -> str:
        value = holder.get("name")
        clean = "".join(c for c in value if c.isprintable())[:120].strip() if isinstance(value, str) else ""
        return clean or fallback

    # -- binary -

    def accessor(self, index: object, place: str, kinds: tuple[str, ...]) -> npt.NDArray[Any]:
        """The accessor's values (n,) or (n,width), integers raw unless they are normalised."""
        a = self.item("accessors", index, place)
        place = f"accessors[{index}]"
        kind = a.get("type")
        if kind not in kinds:
            raise FileError(f"{place} has type {kind!r}; {' or '.join(sorted(kinds))} is needed.", place=place)
        if "sparse" in a:
            raise FileError(f"{place} is sparse, which is not read yet; export without sparse accessors.", place=place)
        component = a.get("componentType")
        if component not in _TYPES:
            raise FileError(f"{place} has component type {component!r}; allowed: {sorted(_TYPES)}.", place=place)
        dtype, width = np.dtype(_TYPES[component]), _WIDTH[kind]
        count = self.whole(a.get("count"), f"{place}.count", 1, 2**31)
        view = self.item("bufferViews", a.get("bufferView"), f"{place}.bufferView")
        where = f"bufferViews[{a['bufferView']}]"
        self.whole(view.get("buffer"), f"{where}.buffer", 0, 0)
        start = self.whole(view.get("byteOffset", 0), f"{where}.byteOffset", 0, len(self.binary))
        length = self.whole(view.get("byteLength"), f"{where}.byteLength", 1, len(self.binary) - start)
        offset = self.whole(a.get("byteOffset", 0), f"{place}.byteOffset", 0, length)
        tight = dtype.itemsize * width
        stride = self.whole(view.get("byteStride", tight), f"{where}.byteStride", tight, 252 if tight <= 252 else tight)
        if offset + (count - 1) * stride + tight > length:
            raise FileError(
                f"{place} claims {count} items, more than its {length} bytes hold.",
                place=place,
                received=count,
            )
        raw = np.ndarray((count, width), dtype, self.binary, start + offset, (stride, dtype.itemsize))
        out: npt.NDArray[Any] = raw.copy()
        if a.get("normalized") is True and dtype.kind in "iu":
            out = np.maximum(out.astype(np.float64) / np.iinfo(dtype).max, -1.0)
        return out[:, 0] if width == 1 else out

    # -- scene -

    def scene(self) -> Scene:
        required = self.list_of("extensionsRequired")
        if required:
            names = ", ".join(sorted(str(r)[:60] for r in required))
            raise FileError(
                f"The file needs {names}, which is not read; export without it.", place="extensionsRequired"
            )
        materials = [self.material(i) for i in range(len(self.list_of("materials")))]
        parts: list[Part] = []
        part_of: dict[int, int] = {}
        for i in range(len(self.list_of("meshes"))):
            part = self.part(i, materials)
            if part is not None:
                part_of[i] = len(parts)
                parts.append(part)
        if not parts:
            raise FileError("The file holds no triangles.", place="meshes")
        instances = [Instance(part_of[mesh], name, matrix) for mesh, name, matrix in self.standing() if mesh in part_of]
        return Scene(tuple(parts), tuple(instances), tuple(self.notes))

    def material(self, index: int) -> Material:
        m = self.item("materials", index, "materials")
        place = f"materials[{index}]"
        pbr = m.get("pbrMetallicRoughness", {})
        if not isinstance(pbr, dict):
            raise FileError(f"{place}.pbrMetallicRoughness should be an object.", place=place)
        r, g, b, a = np.clip(
            self.numbers(pbr.get("baseColorFactor", [1, 1, 1, 1]), f"{place}.baseColorFactor", 4), 0, 1
        )
        return Material(
            self.name(m, f"Material {index + 1}"),
            (float(r), float(g), float(b), float(a)),
            _number(pbr.get("roughnessFactor", 1), f"{place}.roughnessFactor", 0, 1),
            _number(pbr.get("metallicFactor", 1), f"{place}.metallicFactor", 0, 1),
        )

    def standing(self) -> Iterator[tuple[int, str, Floats]]:
        nodes = self.list_of("nodes")
        if len(nodes) > _MOST_NODES:
            raise FileError(f"The file has {len(nodes)} nodes; at most {_MOST_NODES} are read.", place="nodes")
        scenes = self.list_of("scenes")
        if scenes:
            scene = self.item("scenes", self.document.get("scene", 0), "scene")
            roots = scene.get("nodes", [])
        else:
            roots = []
        if not isinstance(roots, list):
            raise FileError("scenes.nodes should be a list.", place="scenes")
        seen: set[int] = set()
        stack: list[tuple[object, Floats]] = [(r, np.eye(4)) for r in reversed(roots)]
        while stack:
            index, parent = stack.pop()
            node = self.item("nodes", index, "node index")
            place = f"nodes[{index}]"
            if index in seen:
                raise FileError(f"{place} is reached twice; nodes must form a tree.", place=place)
            seen.add(index)  # type: ignore[arg-type]
            world = parent @ self.local(node, place)
            if "mesh" in node:
                mesh = self.whole(node["mesh"], f"{place}.mesh", 0, len(self.list_of("meshes")) - 1)
                yield mesh, self.name(node, f"Node {index}"), world
            children = node.get("children", [])
            if not isinstance(children, list):
                raise FileError(f"{place}.children should be a list.", place=place)
            stack += [(c, world) for c in reversed(children)]

    def local(self, node: dict[str, Any], place: str) -> Floats:
        if "matrix" in node:
            return self.numbers(node["matrix"], f"{place}.matrix", 16).reshape(4, 4).T
        out = np.eye(4)
        q = self.numbers(node.get("rotation", [0, 0, 0, 1]), f"{place}.rotation", 4)
        if not 0.5 < float(np.linalg.norm(q)) < 2.0:
            raise FileError(f"{place}.rotation is not a unit quaternion.", place=place)
        out[:3, :3] = Rotation.from_quat(q).as_matrix() * self.numbers(
            node.get("scale", [1, 1, 1]), f"{place}.scale", 3
        )
        out[:3, 3] = self.numbers(node.get("translation", [0, 0, 0]), f"{place}.translation", 3)
        return out

    # -- meshes -

    def part(self, index: int, materials: list[Material]) -> Part | None:
        mesh = self.item("meshes", index, "meshes")
        place = f"meshes[{index}]"
        primitives = mesh.get("primitives")
        if not isinstance(primitives, list) or not all(isinstance(p, dict) for p in primitives):
            raise FileError(f"{place}.primitives should be a list of objects.", place=place)
        pieces = [
            self.primitive(p, f"{place}.primitives[{k}]")
            for k, p in enumerate(primitives)
            if p.get("mode", 4) in (4, 5, 6)
        ]
        skipped = len(primitives) - len(pieces)
        if skipped:
            self.notes.append(f"{skipped} primitives of points or lines were left out of {self.name(mesh, place)}.")
        if not pieces:
            return None
        slots = [p.get("material") for p in primitives if p.get("mode", 4) in (4, 5, 6)]
        used: list[Material] = []
        slot_of: list[int] = []
        for slot in slots:
            m = (
                Material("Plain")
                if slot is None
                else materials[self.whole(slot, f"{place}.material", 0, len(materials) - 1)]
            )
            if m not in used:
                used.append(m)
            slot_of.append(used.index(m))
        name = self.name(mesh, f"Mesh {index + 1}")

        def stack(get: Callable[[dict[str, Any]], Any]) -> npt.NDArray[Any] | None:
            values = [get(p) for p in pieces]
            return None if any(v is None for v in values) else np.concatenate(values)

        position = stack(lambda p: p["position"])
        normal, uv, colour = (stack(lambda p, k=k: p[k]) for k in ("normal", "uv", "colour"))  # type: ignore[misc]
        offset = np.concatenate([[0], np.cumsum([len(p["position"]) for p in pieces])])
        extras = mesh.get("extras")
        own = extras.get("able_brick") if isinstance(extras, dict) else None
        try:
            if isinstance(own, dict) and own.get("format") == 1:
                built = self.polygons(own, place, np.asarray(position), uv, colour)
            else:
                triangles = np.concatenate([p["triangles"] + o for p, o in zip(pieces, offset[:-1], strict=True)])
                material = np.repeat(slot_of, [len(p["triangles"]) for p in pieces])
                built, notes = from_triangles(
                    np.asarray(position), triangles, material=material, normal=normal, uv=uv, colour=colour
                )
                self.notes += [f"{name}: {note}" for note in notes]
        except GeometryError as error:
            raise FileError(f"{place} ({name}): {error}", place=place) from error
        return Part(name, built, tuple(used)) if built.face_count else None

    def primitive(self, p: dict[str, Any], place: str) -> dict[str, Any]:
        attributes = p.get("attributes")
        if not isinstance(attributes, dict) or "POSITION" not in attributes:
            raise FileError(f"{place} has no POSITION.", place=place)
        position = self.accessor(attributes["POSITION"], f"{place}.POSITION", ("VEC3",)).astype(np.float64)
        n = len(position)
        self.vertices += n
        if self.vertices > _MOST_VERTICES:
            raise FileError(f"The file has more than {_MOST_VERTICES} vertices; split it.", place=place)
        if not np.isfinite(position).all():
            bad = int(np.flatnonzero(~np.isfinite(position).all(axis=1))[0])
            raise FileError(
                f"{place}: vertex {bad} has a coordinate that is not a finite number.",
                place=place,
                vertex=bad,
            )
        out: dict[str, Any] = {"position": position}
        for key, name, kinds in (
            ("normal", "NORMAL", ("VEC3",)),
            ("uv", "TEXCOORD_0", ("VEC2",)),
            ("colour", "COLOR_0", ("VEC3", "VEC4")),
        ):
            out[key] = None
            if name in attributes:
                value = self.accessor(attributes[name], f"{place}.{name}", kinds).astype(np.float64)
                if len(value) != n:
                    raise FileError(f"{place}.{name} has {len(value)} items for {n} vertices.", place=place)
                if not np.isfinite(value).all():
                    raise FileError(f"{place}.{name} holds a value that is not a finite number.", place=place)
                if key == "colour" and value.shape[1] == 3:
                    value = np.concatenate([value, np.ones((n, 1))], axis=1)
                out[key] = value
        if "indices" in p:
            index = self.accessor(p["indices"], f"{place}.indices", ("SCALAR",))
            if index.dtype.kind == "f":
                raise FileError(f"{place}.indices are not whole numbers.", place=place)
            index = index.astype(np.int64)
            if index.min() < 0 or index.max() >= n:
                raise FileError(f"{place}.indices name vertex {index.max()}; there are {n}.", place=place)
        else:
            index = np.arange(n)
        mode = p.get("mode", 4)
        if mode == 4:
            if len(index) % 3:
                raise FileError(f"{place} has {len(index)} indices, which is no multiple of 3.", place=place)
            tris = index.reshape(-1, 3)
        else:
            k = np.arange(max(len(index) - 2, 0))
            if mode == 5:
                odd = k % 2
                tris = np.stack([index[k], index[k + 1 + odd], index[k + 2 - odd]], axis=1)
            else:
                tris = np.stack([index[k * 0], index[k + 1], index[k + 2]], axis=1)
        out["triangles"] = tris
        return out

    def polygons(
        self,
        own: dict[str, Any],
        place: str,
        position: Floats,
        uv: Floats | None,
        colour: Floats | None,
    ) -> PolyMesh:
        def get(key: str) -> npt.NDArray[np.int64]:
            values = self.accessor(own.get(key), f"{place}.extras.{key}", ("SCALAR",))
            if values.dtype.kind == "f":
                raise FileError(f"{place}.extras.{key} are not whole numbers.", place=place)
            return values.astype(np.int64)

        hardware, vertex = get("corners"), get("vertex")
        if len(vertex) != len(position) or hardware.max() >= len(position):
            raise FileError(f"{place}.extras do not fit its {len(position)} vertices.", place=place)
        count = int(vertex.max()) + 1
        if count > len(position):
            raise FileError(
                f"{place}.extras name vertex {count - 1}, beyond its {len(position)} vertices.", place=place
            )
        points = np.zeros((count, 3))
        points[vertex] = position
        return PolyMesh.checked(
            points,
            get("face_sizes"),
            vertex[hardware],
            material=get("material"),
            facet=get("facet"),
            sharp=get("sharp"),
            uv=None if uv is None else uv[hardware],
            colour=None if colour is None else colour[hardware],
            smooth_angle=_number(own.get("smooth_angle"), f"{place}.extras.smooth_angle", 0, 4),
        )
