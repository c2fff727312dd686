"""The meshes of a glTF file: their primitives, and polygons where Able Brick stored them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError, GeometryError
from able_brick.core.files.from_faces import RawFaces, floats, mesh_from
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.models import NONE
from able_brick.core.files.gltf.own_polygons import own_materials, own_mesh, own_polygons
from able_brick.core.files.own_faces import OtherTrianglesError, Triangles, checksum
from able_brick.core.files.scene import Material, ScenePart

_MOST_VERTICES: Final = 20_000_000
#: Primitives of triangles, of a strip of them, of a fan.
_TRIANGLES, _STRIP, _FAN = 4, 5, 6
_OF_TRIANGLES: Final = (_TRIANGLES, _STRIP, _FAN)


class MeshReader:
    """Reads meshes. `held` has of each mesh that Able Brick wrote the checksum of its primitives, and the piece that
    it is."""

    def __init__(self, document: Document, materials: Sequence[Material], *, weld: bool) -> None:
        self._document, self._materials, self._weld = document, materials, weld
        self._vertices = 0
        self.held: dict[int, tuple[str, str]] = {}

    def part(self, index: int) -> ScenePart | None:
        """The mesh of that index as a part; None where it has no faces."""
        document, place = self._document, f"meshes[{index}]"
        mesh = document.item(models.Mesh, index, "meshes")
        shown = [(k, p) for k, p in enumerate(mesh.primitives) if p.mode in _OF_TRIANGLES]
        skipped = len(mesh.primitives) - len(shown)
        if skipped:
            document.notes.append(f"{skipped} primitives of points or lines were left out of {mesh.name or place}.")
        if not shown:
            return None
        parts = _alike([self._primitive(p, f"{place}.primitives[{k}]") for k, p in shown])
        primitives = [p for _, p in shown]
        numbers: dict[Material, int] = {}
        slots = [numbers.setdefault(self._material(p, place), len(numbers)) for p in primitives]
        name = mesh.name or f"Mesh {index + 1}"
        whole = _joined(parts)
        if whole.normal is None and any(p.normal is not None for p in parts):
            document.notes.append(f"{mesh.name or place}: normals were left out, as not all primitives have them.")
        raw, used, piece = self._own(index, mesh, name, parts, whole, list(numbers))
        try:
            built, notes = mesh_from(raw or _bare(parts, whole, slots), weld=self._weld and raw is None)
        except GeometryError as error:
            raise FileError(f"{place} ({name}): {error}", place=place) from error
        document.notes += [f"{name}: {note}" for note in notes]
        return ScenePart(name, built, tuple(used), piece=piece) if built.face_count else None

    def _material(self, primitive: models.Primitive, place: str) -> Material:
        if primitive.material == NONE:
            return Material("Plain")
        self._document.check_index(models.Material, primitive.material, f"{place}.material")
        return self._materials[primitive.material]

    def _own(
        self,
        index: int,
        mesh: models.Mesh,
        name: str,
        parts: list[Triangles],
        whole: Triangles,
        used: list[Material],
    ) -> tuple[RawFaces | None, list[Material], str]:
        """The faces, the materials and the piece that Able Brick stored with a mesh; None, those in `used` and "" where
        it did not, or where they belong to other triangles."""
        document, place = self._document, f"meshes[{index}]"
        stored = mesh.extras.get("able_brick") if isinstance(mesh.extras, dict) else None
        if not isinstance(stored, dict) or stored.get("format") not in (1, 2):
            return None, used, ""
        piece = found if isinstance(found := stored.get("piece"), str) else ""
        held = checksum(parts)
        self.held[index] = (held, piece)
        try:
            own = own_mesh(stored, place)
            raw = own_polygons(document, own, place, parts, held, whole)
            return raw, own_materials(document, own, place, self._materials, mesh.primitives, used), piece
        except (OtherTrianglesError, FileError):
            document.notes.append(
                f"{name}: what was kept of its polygons, facets and sharp edges was left out, as it belongs to other "
                "triangles or materials than are there."
            )
            return None, used, piece

    def _primitive(self, p: models.Primitive, place: str) -> Triangles:
        document, attributes = self._document, p.attributes
        if attributes.position == NONE:
            raise FileError(f"{place} has no POSITION.", place=place)
        position = floats(document.accessor(attributes.position, f"{place}.POSITION", ("VEC3",)))
        n = len(position)
        self._vertices += n
        if self._vertices > _MOST_VERTICES:
            raise FileError(f"The file has more than {_MOST_VERTICES} vertices; split it.", place=place)
        if not np.isfinite(position).all():
            bad = int(np.flatnonzero(~np.isfinite(position).all(axis=1))[0])
            raise FileError(
                f"{place}: vertex {bad} has a coordinate that is not a finite number.",
                place=place,
                vertex=bad,
            )
        normal = self._attribute(attributes.normal, f"{place}.NORMAL", ("VEC3",), n)
        uv = self._attribute(attributes.uv, f"{place}.TEXCOORD_0", ("VEC2",), n)
        colour = self._attribute(attributes.colour, f"{place}.COLOR_0", ("VEC3", "VEC4"), n)
        if colour is not None and colour.shape[1] == 3:
            colour = np.concatenate([colour, np.ones((n, 1))], axis=1)
        return Triangles(
            position,
            self._triangles(p, place, n),
            normal if normal is None or normal.dtype.kind == "f" else floats(normal),
            None if uv is None else floats(uv),
            None if colour is None else floats(colour),
        )

    def _attribute(self, index: int, place: str, types: tuple[str, ...], count: int) -> npt.NDArray[Any] | None:
        if index == NONE:
            return None
        values = self._document.accessor(index, place, types)
        if len(values) != count:
            raise FileError(f"{place} has {len(values)} items for {count} vertices.", place=place)
        if not np.isfinite(values).all():
            raise FileError(f"{place} holds a value that is not a finite number.", place=place)
        return values

    def _triangles(self, p: models.Primitive, place: str, count: int) -> npt.NDArray[np.int64]:
        """The vertices (n,3) of the triangles of a primitive."""
        index = np.arange(count)
        if p.indices != NONE:
            raw = self._document.accessor(p.indices, f"{place}.indices", ("SCALAR",))
            if raw.dtype.kind == "f":
                raise FileError(f"{place}.indices are not whole numbers.", place=place)
            index = raw.astype(np.int64)
            if int(index.min()) < 0 or int(index.max()) >= count:
                raise FileError(f"{place}.indices name vertex {index.max()}; there are {count}.", place=place)
        if p.mode == _TRIANGLES:
            if len(index) % 3:
                raise FileError(f"{place} has {len(index)} indices, which is not a multiple of 3.", place=place)
            return index.reshape(-1, 3)
        k = np.arange(max(len(index) - 2, 0))
        if p.mode == _STRIP:
            odd = k % 2
            return np.stack([index[k], index[k + 1 + odd], index[k + 2 - odd]], axis=1)
        return np.stack([index[k * 0], index[k + 1], index[k + 2]], axis=1)


def _alike(parts: list[Triangles]) -> list[Triangles]:
    """Primitives of one mesh: where some have texture coordinates or colours, the others have the usual ones."""
    if any(p.uv is not None for p in parts):
        parts = [replace(p, uv=np.zeros((len(p.position), 2))) if p.uv is None else p for p in parts]
    if any(p.colour is not None for p in parts):
        parts = [replace(p, colour=np.ones((len(p.position), 4))) if p.colour is None else p for p in parts]
    return parts


def _joined(parts: list[Triangles]) -> Triangles:
    """Primitives as one; normals are left out unless all have them."""
    if len(parts) == 1:
        return parts[0]
    first = np.cumsum([0, *(len(p.position) for p in parts[:-1])])
    return Triangles(
        np.concatenate([p.position for p in parts]),
        np.concatenate([p.triangles + k for p, k in zip(parts, first.tolist(), strict=True)]),
        _stacked([p.normal for p in parts]),
        _stacked([p.uv for p in parts]),
        _stacked([p.colour for p in parts]),
    )


def _stacked(values: Sequence[npt.NDArray[np.floating] | None]) -> npt.NDArray[Any] | None:
    there = [v for v in values if v is not None]
    return np.concatenate(there) if len(there) == len(values) else None


def _bare(parts: list[Triangles], whole: Triangles, slots: list[int]) -> RawFaces:
    """The triangles as faces, those of each primitive with its material."""
    corners = whole.triangles.ravel()
    return RawFaces(
        whole.position,
        np.full(len(corners) // 3, 3),
        corners,
        normal=whole.normal,
        normal_at=corners,
        uv=None if whole.uv is None else whole.uv[corners],
        colour=None if whole.colour is None else whole.colour[corners],
        material=np.repeat(slots, [len(p.triangles) for p in parts]),
    )
