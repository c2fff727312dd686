"""Faces with their polygons, facets and sharp edges, as Able Brick stored them with a mesh of a glTF file."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError
from able_brick.core.files.from_faces import RawFaces
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.models import NONE, checked
from able_brick.core.files.own_faces import OtherTrianglesError, OwnFaces, Triangles, unpacked
from able_brick.core.files.scene import Material
from able_brick.core.mesh.polymesh import Floats

Own = models.OwnMesh | models.OwnMeshOfAccessors


def own_mesh(extras: dict[str, object], place: str) -> Own:
    """What Able Brick stored with a mesh. Raises FileError where it is broken."""
    place = f"{place}.extras"
    if extras.get("format") == 2:
        return checked(models.OwnMesh, extras, place)
    return checked(models.OwnMeshOfAccessors, extras, place)


def own_polygons(
    document: Document,
    own: Own,
    place: str,
    parts: Sequence[Triangles],
    held: str,
    whole: Triangles,
) -> RawFaces:
    """The faces, where the primitives of the mesh are `parts`, with that checksum, and together the `whole`. Raises
    FileError and OtherTrianglesError where they are not those of the primitives."""
    if isinstance(own, models.OwnMeshOfAccessors):
        found = _of_accessors(document, own, place, len(whole.position))
        if int((found.sizes - 2).sum()) != sum(len(p.triangles) for p in parts):
            raise OtherTrianglesError
    elif own.sum != held:
        raise OtherTrianglesError
    else:
        found = unpacked(document.view(own.faces, f"{place}.extras.faces"), len(whole.position))
    points = np.zeros((int(found.vertex.max()) + 1, 3))
    points[found.vertex] = whole.position

    def at_corners(values: Floats | None) -> Floats | None:
        return None if values is None else values[found.corners]

    return RawFaces(
        points,
        found.sizes,
        found.vertex[found.corners],
        normal=whole.normal if own.normals == "own" else None,
        normal_at=found.corners,
        uv=at_corners(whole.uv),
        colour=at_corners(whole.colour),
        sharp=found.sharp,
        smooth_angle=own.smooth_angle,
        material=found.material,
        facet=found.facet,
    )


def own_materials(
    document: Document,
    own: Own,
    place: str,
    materials: Sequence[Material],
    primitives: Sequence[models.Primitive],
    used: list[Material],
) -> list[Material]:
    """The materials of a part that Able Brick wrote, those that none of its faces has included. Raises
    OtherTrianglesError where they were numbered anew.

    Files of earlier versions only tell the place of those in use.
    """
    slots = own.materials
    place = f"{place}.extras.materials"
    by_slot: dict[int, Material] = {}
    for p in primitives:
        slot = p.extras.get("slot") if isinstance(p.extras, dict) else None
        if not isinstance(slot, int) or not 0 <= slot < 1000:
            continue
        if slot < len(slots) and p.material != slots[slot]:
            raise OtherTrianglesError
        if p.material != NONE:
            document.check_index(models.Material, p.material, place)
            by_slot[slot] = materials[p.material]
    if slots:
        for s in slots:
            document.check_index(models.Material, s, place)
        return [materials[s] for s in slots]
    return [by_slot.get(k, Material("Plain")) for k in range(max(by_slot) + 1)] if by_slot else used


def _of_accessors(document: Document, own: models.OwnMeshOfAccessors, place: str, count: int) -> OwnFaces:

    def get(key: str, index: int, most: int = 2**31) -> npt.NDArray[np.int64]:
        values: npt.NDArray[Any] = document.accessor(index, f"{place}.extras.{key}", ("SCALAR",))
        if values.dtype.kind == "f" or int(values.min()) < 0 or int(values.max()) >= most:
            raise FileError(f"{place}.extras.{key} are not whole numbers that fit the mesh.", place=place)
        return values.astype(np.int64)

    hardware, vertex = get("corners", own.corners, count), get("vertex", own.vertex, count)
    sizes = get("face_sizes", own.face_sizes, 2**20)
    material, facet, sharp = get("material", own.material), get("facet", own.facet), get("sharp", own.sharp)
    if len(vertex) != count or int(sizes.sum()) != len(hardware) or len(sharp) != len(hardware):
        raise FileError(f"{place}.extras do not fit its {count} vertices.", place=place)
    if not len(sizes) == len(material) == len(facet):
        raise FileError(f"{place}.extras differ in their number of faces.", place=place)
    return OwnFaces(sizes, material, facet, hardware, sharp.astype(np.bool_), vertex)
