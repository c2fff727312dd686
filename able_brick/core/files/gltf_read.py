"""Reading glTF 2.0: GLB, and .gltf with its buffers and pictures."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError, GeometryError
from able_brick.core.files.from_faces import RawFaces, floats, mesh_from
from able_brick.core.files.gltf_document import Beside, glb_chunks, number, parsed_json
from able_brick.core.files.gltf_losses import losses
from able_brick.core.files.gltf_nodes import Nodes
from able_brick.core.files.own_faces import OtherTrianglesError, OwnFaces, checksum, unpacked
from able_brick.core.files.pictures import texture
from able_brick.core.files.scene import Alpha, Instance, Material, Scene, ScenePart, ScenePartRung, Texture, UvTransform
from able_brick.core.mesh.polymesh import Floats

_MOST_MESHES: Final = 20_000
_MOST_VERTICES: Final = 20_000_000
_SUPPORTED: Final = (
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_materials_unlit",
    "MSFT_lod",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
)


def nothing_beside(_name: str) -> bytes | None:
    return None


def read_glb(data: bytes, beside: Beside = nothing_beside, *, weld: bool = True) -> Scene:
    """Parts, and where they stand in the file's scene, from the bytes of a GLB file.

    Faces with their polygons where Able Brick wrote them, triangles otherwise; corners of exactly equal position are
    one vertex unless `weld` is off; hard edges are taken from differing normals. `beside` finds files that this one
    names. Raises FileError naming the place in the file.
    """
    document, binary = glb_chunks(data)
    return _Reader(document, binary, beside, weld=weld).scene()


def read_gltf(data: bytes, beside: Beside = nothing_beside, *, weld: bool = True) -> Scene:
    """The same from the bytes of a .gltf file, whose buffers are embedded or stand beside it."""
    return _Reader(parsed_json(data), None, beside, weld=weld).scene()


class _Reader(Nodes):
    def __init__(self, document: dict[str, Any], binary: bytes | None, beside: Beside, *, weld: bool) -> None:
        super().__init__(document, binary, beside)
        self.weld = weld
        self.vertices = 0
        self.pictures: dict[int, Texture | None] = {}

    def scene(self) -> Scene:
        required = [r for r in self.list_of("extensionsRequired") if r not in _SUPPORTED]
        if required:
            names = ", ".join(sorted(str(r)[:60] for r in required[:20]))
            raise FileError(
                f"The file needs {names}, which is not read; export without it.", place="extensionsRequired"
            )
        meshes = len(self.list_of("meshes"))
        if meshes > _MOST_MESHES:
            raise FileError(
                f"The file has {meshes} meshes; at most {_MOST_MESHES} are read. Join some, or split the file.",
                place="meshes",
                received=meshes,
                allowed=_MOST_MESHES,
            )
        materials = [self.material(i) for i in range(len(self.list_of("materials")))]
        parts: list[ScenePart] = []
        part_of: dict[int, int] = {}
        for i in range(len(self.list_of("meshes"))):
            part = self.part(i, materials)
            if part is not None:
                part_of[i] = len(parts)
                parts.append(part)
        standing = [s for s in self.standing() if s.mesh in part_of]
        self.notes[:0] = losses(self.document, self.reached, self.extras_kept)
        if not parts and self.kept is None:
            raise FileError("The file holds no triangles.", place="meshes")
        rungs = self.with_rungs(parts, part_of, {s.mesh for s in standing})
        place = np.cumsum([k not in rungs for k in range(len(parts))]) - 1
        instances = [
            Instance(int(place[part_of[s.mesh]]), s.name, s.matrix, s.group, s.thing, s.extras) for s in standing
        ]
        kept = tuple(p for k, p in enumerate(parts) if k not in rungs)
        return Scene(kept, tuple(instances), tuple(self.notes), tuple(self.groups), self.kept)

    def with_rungs(self, parts: list[ScenePart], part_of: dict[int, int], standing: set[int]) -> set[int]:
        """Give parts their rungs; the numbers of those parts that are nothing else."""
        rungs: set[int] = set()
        for mesh, levels in self.ladders.items():
            if mesh not in part_of:
                continue
            base = parts[part_of[mesh]]
            surfaces = list(base.materials)
            found = []
            for k, coverage in levels:
                if k not in part_of:
                    continue
                other = parts[part_of[k]]
                surfaces += [m for m in other.materials if m not in surfaces]
                slots = np.array([surfaces.index(m) for m in other.materials] or [0], np.int32)
                own = other.mesh.material
                slim = other.mesh.replaced(material=slots[np.minimum(own, len(slots) - 1)])
                found.append(ScenePartRung(slim, coverage))
                if k not in standing and k not in self.ladders:
                    rungs.add(part_of[k])
            name = base.name[: -len("_LOD0")] if base.name.upper().endswith("_LOD0") else base.name
            parts[part_of[mesh]] = replace(base, name=name or base.name, materials=tuple(surfaces), rungs=tuple(found))
        return rungs

    def material(self, index: int) -> Material:
        m = self.item("materials", index, "materials")
        place = f"materials[{index}]"
        pbr = self.inner(m, "pbrMetallicRoughness", place)
        r, g, b, a = np.clip(
            self.numbers(pbr.get("baseColorFactor", [1, 1, 1, 1]), f"{place}.baseColorFactor", 4), 0, 1
        )
        declared = m.get("alphaMode", "OPAQUE")
        modes: dict[object, Alpha | None] = {"MASK": "mask", "BLEND": "blend" if a >= 1 else None}
        if declared != "OPAQUE" and (not isinstance(declared, str) or declared not in modes):
            raise FileError(f"{place}.alphaMode should be OPAQUE, MASK or BLEND.", place=place)
        alpha = modes.get(declared, "opaque" if a < 1 else None)
        picture = pbr.get("baseColorTexture")
        return Material(
            self.name(m, f"Material {index + 1}"),
            (float(r), float(g), float(b), float(a)),
            number(pbr.get("roughnessFactor", 1), f"{place}.roughnessFactor", 0, 1),
            number(pbr.get("metallicFactor", 1), f"{place}.metallicFactor", 0, 1),
            None if picture is None else self.picture(picture, f"{place}.baseColorTexture"),
            alpha,
            number(m.get("alphaCutoff", 0.5), f"{place}.alphaCutoff", 0, 1e6) if alpha == "mask" else 0.5,
            m.get("doubleSided") is True,
            None if picture is None else self.moved(picture, f"{place}.baseColorTexture"),
        )

    def moved(self, holder: dict[str, Any], place: str) -> UvTransform | None:
        """How a picture is moved on its surface; None where it is not."""
        declared = self.inner(self.inner(holder, "extensions", place), "KHR_texture_transform", place)
        if not declared:
            return None
        u, v = self.numbers(declared.get("offset", [0, 0]), f"{place}.offset", 2).tolist()
        a, b = self.numbers(declared.get("scale", [1, 1]), f"{place}.scale", 2).tolist()
        turn = number(declared.get("rotation", 0), f"{place}.rotation", -1e6, 1e6)
        return None if (u, v, turn, a, b) == (0, 0, 0, 1, 1) else (u, v, turn, a, b)

    def picture(self, holder: object, place: str) -> Texture | None:
        """The picture of a texture; one that cannot be shown is left out, with a note."""
        if not isinstance(holder, dict):
            raise FileError(f"{place} should be an object.", place=place)
        moved = self.inner(self.inner(holder, "extensions", place), "KHR_texture_transform", place)
        if moved.get("texCoord", holder.get("texCoord", 0)) != 0:
            self.notes.append(f"{place} uses a second set of texture coordinates, which is not read.")
        texture = self.item("textures", holder.get("index"), f"{place}.index")
        webp = self.inner(self.inner(texture, "extensions", place), "EXT_texture_webp", place)
        source = webp.get("source", texture.get("source"))
        if source is None:
            return None
        at = self.whole(source, f"{place}.source", 0, len(self.list_of("images")) - 1)
        if at not in self.pictures:
            try:
                self.pictures[at] = self._image(at)
            except FileError as error:
                self.notes.append(f"A texture was left out: {error}")
                self.pictures[at] = None
        return self.pictures[at]

    def _image(self, index: int) -> Texture:
        image = self.item("images", index, "images")
        place = f"images[{index}]"
        if "uri" in image:
            data = self.fetch(image["uri"], f"{place}.uri")
            uri = image["uri"]
            fallback = "texture" if uri.startswith("data:") else uri.rsplit("/", 1)[-1]
        else:
            buffer, start, length, _ = self.view(image.get("bufferView"), f"{place}.bufferView")
            data, fallback = buffer[start : start + length], f"texture {index + 1}"
        return texture(self.name(image, fallback), data, place)

    # -- meshes -

    def part(self, index: int, materials: list[Material]) -> ScenePart | None:
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
        numbers: dict[Material, int] = {}
        slot_of = []
        for slot in slots:
            m = (
                Material("Plain")
                if slot is None
                else materials[self.whole(slot, f"{place}.material", 0, len(materials) - 1)]
            )
            slot_of.append(numbers.setdefault(m, len(numbers)))
        used = list(numbers)
        name = self.name(mesh, f"Mesh {index + 1}")

        def stack(get: Callable[[dict[str, Any]], Any]) -> npt.NDArray[Any] | None:
            values = [get(p) for p in pieces]
            if any(v is None for v in values):
                return None
            return np.asarray(values[0]) if len(values) == 1 else np.concatenate(values)

        for key, usual in (("uv", (0.0, 0.0)), ("colour", (1.0, 1.0, 1.0, 1.0))):
            if any(p[key] is not None for p in pieces):  # where some have it, the others are as without
                for p in pieces:
                    p[key] = np.tile(usual, (len(p["position"]), 1)) if p[key] is None else p[key]
        position = stack(lambda p: p["position"])
        normal, uv, colour = (stack(lambda p, k=k: p[k]) for k in ("normal", "uv", "colour"))  # type: ignore[misc]
        if normal is None and any(p["normal"] is not None for p in pieces):
            self.notes.append(f"{self.name(mesh, place)}: normals were left out, as not all primitives have them.")
        offset = np.concatenate([[0], np.cumsum([len(p["position"]) for p in pieces])])
        extras = mesh.get("extras")
        own = extras.get("able_brick") if isinstance(extras, dict) else None
        raw, weld = None, self.weld
        piece = ""
        if isinstance(own, dict) and own.get("format") in (1, 2):
            piece = declared if isinstance(declared := own.get("piece"), str) else ""
            self.held[index] = (checksum(pieces), piece)
            try:
                raw = self.polygons(own, place, pieces, self.held[index][0], np.asarray(position), normal, uv, colour)
                used = self.own_materials(own, place, materials, primitives, used)
                weld = False
            except (OtherTrianglesError, FileError):
                raw = None
                self.notes.append(
                    f"{name}: what was kept of its polygons, facets and sharp edges was left out, as it belongs to "
                    "other triangles or materials than are there."
                )
        try:
            if raw is None:
                runs = [
                    (p["triangles"] + o if o else p["triangles"]).ravel()
                    for p, o in zip(pieces, offset[:-1].tolist(), strict=True)
                ]
                corners = runs[0] if len(runs) == 1 else np.concatenate(runs)
                raw = RawFaces(
                    np.asarray(position),
                    np.full(len(corners) // 3, 3),
                    corners,
                    normal=normal,
                    normal_at=corners,
                    uv=None if uv is None else uv[corners],
                    colour=None if colour is None else colour[corners],
                    material=np.repeat(slot_of, [len(p["triangles"]) for p in pieces]),
                )
            built, notes = mesh_from(raw, weld=weld)
            self.notes += [f"{name}: {note}" for note in notes]
        except GeometryError as error:
            raise FileError(f"{place} ({name}): {error}", place=place) from error
        return ScenePart(name, built, tuple(used), piece=piece) if built.face_count else None

    def own_materials(
        self,
        own: dict[str, Any],
        place: str,
        materials: list[Material],
        primitives: list[dict[str, Any]],
        used: list[Material],
    ) -> list[Material]:
        """The materials of a part that Able Brick wrote, those that none of its faces has included.

        Files of earlier versions only tell the place of those in use.
        """
        slots = own.get("materials")
        if isinstance(slots, list) and slots:
            for p in primitives:
                extras = p.get("extras")
                slot = extras.get("slot") if isinstance(extras, dict) else None
                if isinstance(slot, int) and 0 <= slot < len(slots) and p.get("material") != slots[slot]:
                    raise OtherTrianglesError  # materials were numbered anew
            return [materials[self.whole(s, f"{place}.extras.materials", 0, len(materials) - 1)] for s in slots]
        by_slot: dict[int, Material] = {}
        for p in primitives:
            extras = p.get("extras")
            slot = extras.get("slot") if isinstance(extras, dict) else None
            if isinstance(slot, int) and 0 <= slot < 1000 and isinstance(p.get("material"), int):
                by_slot[slot] = materials[self.whole(p["material"], f"{place}.material", 0, len(materials) - 1)]
        if not by_slot:
            return used
        return [by_slot.get(k, Material("Plain")) for k in range(max(by_slot) + 1)]

    def primitive(self, p: dict[str, Any], place: str) -> dict[str, Any]:
        attributes = p.get("attributes")
        if not isinstance(attributes, dict) or "POSITION" not in attributes:
            raise FileError(f"{place} has no POSITION.", place=place)
        position = floats(self.accessor(attributes["POSITION"], f"{place}.POSITION", ("VEC3",)))
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
                value = self.accessor(attributes[name], f"{place}.{name}", kinds)
                if key != "normal" or value.dtype.kind != "f":
                    value = floats(value)
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
            if int(index.min()) < 0 or int(index.max()) >= n:
                raise FileError(f"{place}.indices name vertex {index.max()}; there are {n}.", place=place)
        else:
            index = np.arange(n)
        mode = p.get("mode", 4)
        if mode == 4:
            if len(index) % 3:
                raise FileError(f"{place} has {len(index)} indices, which is not a multiple of 3.", place=place)
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
        pieces: list[dict[str, Any]],
        held: str,
        position: Floats,
        normal: npt.NDArray[Any] | None,
        uv: Floats | None,
        colour: Floats | None,
    ) -> RawFaces:
        """Faces with their polygons, facets and sharp edges, as Able Brick wrote them. Raises FileError and
        OtherTrianglesError where they are not those of the primitives."""
        if own["format"] == 1:
            found = self.polygons_of_accessors(own, place, len(position))
            if int((found.sizes - 2).sum()) != sum(len(p["triangles"]) for p in pieces):
                raise OtherTrianglesError
        else:
            if own.get("sum") != held:
                raise OtherTrianglesError
            data, start, length, _ = self.view(own.get("faces"), f"{place}.extras.faces")
            found = unpacked(data[start : start + length], len(position))
        points = np.zeros((int(found.vertex.max()) + 1, 3))
        points[found.vertex] = position
        return RawFaces(
            points,
            found.sizes,
            found.vertex[found.corners],
            normal=normal if own.get("normals") == "own" else None,
            normal_at=found.corners,
            uv=None if uv is None else uv[found.corners],
            colour=None if colour is None else colour[found.corners],
            sharp=found.sharp,
            smooth_angle=number(own.get("smooth_angle"), f"{place}.extras.smooth_angle", 0, 4),
            material=found.material,
            facet=found.facet,
        )

    def polygons_of_accessors(self, own: dict[str, Any], place: str, count: int) -> OwnFaces:
        """The same of files of the first format."""

        def get(key: str, most: int = 2**31) -> npt.NDArray[np.int64]:
            values = self.accessor(own.get(key), f"{place}.extras.{key}", ("SCALAR",))
            if values.dtype.kind == "f" or int(values.min()) < 0 or int(values.max()) >= most:
                raise FileError(f"{place}.extras.{key} are not whole numbers that fit the mesh.", place=place)
            return values.astype(np.int64)

        hardware, vertex, sizes = get("corners", count), get("vertex", count), get("face_sizes", 2**20)
        per_face = {key: get(key) for key in ("material", "facet")}
        sharp = get("sharp")
        lengths = {len(sizes), *(len(v) for v in per_face.values())}
        if len(vertex) != count or int(sizes.sum()) != len(hardware) or len(sharp) != len(hardware):
            raise FileError(f"{place}.extras do not fit its {count} vertices.", place=place)
        if len(lengths) != 1:
            raise FileError(f"{place}.extras differ in their number of faces.", place=place)
        return OwnFaces(sizes, per_face["material"], per_face["facet"], hardware, sharp.astype(np.bool_), vertex)
