"""Writing any file that Able Brick knows, by its name's ending."""

from __future__ import annotations

from pathlib import PurePath
from typing import Final

from able_brick.core.errors import FileError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.obj_write import write_obj
from able_brick.core.files.part import Node, Scene
from able_brick.core.files.ply_write import write_ply
from able_brick.core.files.stl_write import write_stl
from able_brick.core.files.units import Unit, Up, standing_parts, taken_out
from able_brick.core.place.pose import stand_of

WRITTEN: Final = (".glb", ".obj", ".ply", ".stl")


def write_file(name: str, scene: Scene, *, unit: Unit = Unit.METRES, up: Up = Up.Y) -> dict[str, bytes]:
    """The bytes of the files that hold a scene, by name: one, but for OBJ, which has its materials beside it.

    The ending of the name says the format. glTF is in metres with Y up by definition: other wishes are refused.
    """
    path = PurePath(name)
    suffix = path.suffix.lower()
    if suffix not in WRITTEN:
        raise FileError(
            f"{name[:80]} is of no kind that is written; give one of {', '.join(WRITTEN)}.",
            place="name",
            allowed=list(WRITTEN),
        )
    if suffix == ".glb":
        if unit is not Unit.METRES or up is not Up.Y:
            raise FileError("GLB is in metres with Y up by its standard; choose those.", place="unit", allowed="m, y")
        nodes = [Node(i.name, i.part, *stand_of(i.matrix)) for i in scene.instances] or None
        return {path.name: write_glb(scene.parts, nodes)}
    parts = standing_parts(taken_out(scene, unit, up))
    if suffix == ".obj":
        return write_obj(parts, path.stem)
    return {path.name: write_ply(parts) if suffix == ".ply" else write_stl(parts)}
