"""Reading any file that Able Brick knows, by its name's ending."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import PurePath
from typing import Final

from able_brick.core.errors import FileError
from able_brick.core.files.beside import Beside, nothing_beside
from able_brick.core.files.gltf.read import read_glb, read_gltf
from able_brick.core.files.obj_read import read_obj
from able_brick.core.files.ply_read import read_ply
from able_brick.core.files.scene import Instance, Scene, ScenePart
from able_brick.core.files.stl_read import read_stl

MODELS: Final = (".glb", ".gltf", ".obj", ".ply", ".stl")
BESIDE: Final = (".bin", ".mtl", ".png", ".jpg", ".jpeg", ".webp")


def read_file(name: str, data: bytes, beside: Beside = nothing_beside, *, weld: bool = True) -> Scene:
    """What a file holds; the ending of its name says how to read it, and `beside` finds files that it names.

    Single parts without a name of their own are named after the file. Raises FileError naming the place in the file.
    """
    suffix = PurePath(name).suffix.lower()
    readers: dict[str, Callable[[], Scene]] = {
        ".glb": lambda: read_glb(data, beside, weld=weld),
        ".gltf": lambda: read_gltf(data, beside, weld=weld),
        ".obj": lambda: read_obj(data, beside, weld=weld),
        ".ply": lambda: read_ply(data, beside, weld=weld),
        ".stl": lambda: read_stl(data, weld=weld),
    }
    if suffix not in readers:
        raise FileError(
            f"{name[:80]} cannot be read: this file type is not supported; give one of {', '.join(MODELS)}.",
            place="name",
            allowed=list(MODELS),
        )
    if not data:
        raise FileError(f"{name[:80]} is empty.", place="byte 0")
    other = _really(data)
    if other is not None and other != suffix:
        raise FileError(
            f"{name[:80]} is called {suffix} but holds {other[1:].upper()}; give it the right ending.",
            place="name",
            received=suffix,
            allowed=other,
        )
    scene = readers[suffix]()
    stem = "".join(c for c in PurePath(name).stem if c.isprintable())[:120].strip()
    if len(scene.parts) == 1 and scene.parts[0].name in ("Piece", "Part 1") and stem:
        (only,) = scene.parts
        named = ScenePart(stem, only.mesh, only.materials)
        return Scene((named,), tuple(Instance(i.part, stem, i.matrix) for i in scene.instances), scene.notes)
    return scene


def _really(data: bytes) -> str | None:
    """The ending that the first bytes call for, when they are plain about it."""
    if data[:4] == b"glTF":
        return ".glb"
    if data[:4] in (b"ply\n", b"ply\r"):
        return ".ply"
    return None
