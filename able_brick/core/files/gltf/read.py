"""Reading glTF 2.0: GLB, and .gltf with its buffers and pictures."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Final

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.beside import Beside, nothing_beside
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.container import glb_chunks, parsed_json
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.losses import losses
from able_brick.core.files.gltf.materials import MaterialReader
from able_brick.core.files.gltf.meshes import MeshReader
from able_brick.core.files.gltf.nodes import NodeReader
from able_brick.core.files.scene import Instance, Scene, ScenePart, ScenePartRung
from able_brick.core.gc_pause import gc_paused

_MOST_MESHES: Final = 20_000
_SUPPORTED: Final = (
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_materials_unlit",
    "MSFT_lod",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
)


def read_glb(data: bytes, beside: Beside = nothing_beside, *, weld: bool = True) -> Scene:
    """Parts, and where they stand in the file's scene, from the bytes of a GLB file.

    Faces with their polygons where Able Brick wrote them, triangles otherwise; corners of exactly equal position are
    one vertex unless `weld` is off; hard edges are taken from differing normals. `beside` finds files that this one
    names. Raises FileError naming the place in the file.
    """
    return _scene(*glb_chunks(data), beside, weld=weld)


def read_gltf(data: bytes, beside: Beside = nothing_beside, *, weld: bool = True) -> Scene:
    """The same from the bytes of a .gltf file, whose buffers are embedded or stand beside it."""
    return _scene(parsed_json(data), None, beside, weld=weld)


@gc_paused()
def _scene(raw: dict[str, Any], binary: bytes | None, beside: Beside, *, weld: bool) -> Scene:
    document = Document(raw, binary, beside)
    _check_can_be_read(document)
    meshes = MeshReader(document, MaterialReader(document).every(), weld=weld)
    parts: list[ScenePart] = []
    part_of: dict[int, int] = {}
    for k in range(document.count(models.Mesh)):
        part = meshes.part(k)
        if part is not None:
            part_of[k] = len(parts)
            parts.append(part)
    nodes = NodeReader(document, meshes.held)
    standing = [s for s in nodes.standing() if s.mesh in part_of]
    notes = [*losses(raw, nodes.reached, nodes.extras_kept), *document.notes]
    if not parts and nodes.kept is None:
        raise FileError("The file holds no triangles.", place="meshes")
    rungs = _give_rungs(parts, part_of, nodes.ladders, {s.mesh for s in standing})
    place = np.cumsum([k not in rungs for k in range(len(parts))]) - 1
    instances = [Instance(int(place[part_of[s.mesh]]), s.name, s.matrix, s.group, s.thing, s.extras) for s in standing]
    kept = tuple(p for k, p in enumerate(parts) if k not in rungs)
    return Scene(kept, tuple(instances), tuple(notes), tuple(nodes.groups), nodes.kept)


def _check_can_be_read(document: Document) -> None:
    required = [r for r in document.root.extensions_required if r not in _SUPPORTED]
    if required:
        names = ", ".join(sorted(str(r)[:60] for r in required[:20]))
        raise FileError(f"The file needs {names}, which is not read; export without it.", place="extensionsRequired")
    meshes = document.count(models.Mesh)
    if meshes > _MOST_MESHES:
        raise FileError(
            f"The file has {meshes} meshes; at most {_MOST_MESHES} are read. Join some, or split the file.",
            place="meshes",
            received=meshes,
            allowed=_MOST_MESHES,
        )


def _give_rungs(
    parts: list[ScenePart],
    part_of: dict[int, int],
    ladders: dict[int, list[tuple[int, float | None]]],
    standing: set[int],
) -> set[int]:
    """Give parts their rungs; the numbers of those parts that are nothing else."""
    rungs: set[int] = set()
    for mesh, levels in ladders.items():
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
            if k not in standing and k not in ladders:
                rungs.add(part_of[k])
        name = base.name[: -len("_LOD0")] if base.name.upper().endswith("_LOD0") else base.name
        parts[part_of[mesh]] = replace(base, name=name or base.name, materials=tuple(surfaces), rungs=tuple(found))
    return rungs
