"""Writing any file that Able Brick knows, by its name's ending."""

from __future__ import annotations

from pathlib import PurePath
from typing import Final

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.obj_write import write_obj
from able_brick.core.files.ply_write import write_ply
from able_brick.core.files.scene import Instance, Node, Scene
from able_brick.core.files.stl_write import write_stl
from able_brick.core.files.units import Unit, Up, standing_parts, taken_out
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pose import decompose

WRITTEN: Final = (".glb", ".obj", ".ply", ".stl")


def write_file(
    name: str,
    scene: Scene,
    *,
    unit: Unit = Unit.METRES,
    up: Up = Up.Y,
    lean: bool = False,
    rungs: Rungs | None = None,
) -> dict[str, bytes]:
    """The bytes of the files that hold a scene, by name: one, but for OBJ, which has its materials beside it.

    A `lean` GLB has no extras: triangles alone, without the polygons that they come from. The ending of the name says
    the format. `rungs` says how a GLB has those of parts; other files have none. glTF is in metres with Y up by
    definition: other wishes are refused.
    """
    path = PurePath(name)
    suffix = path.suffix.lower()
    if suffix not in WRITTEN:
        raise FileError(
            f"{name[:80]} cannot be written: this file type is not supported; give one of {', '.join(WRITTEN)}.",
            place="name",
            allowed=list(WRITTEN),
        )
    if rungs is not None and suffix != ".glb":
        raise FileError(
            f"{path.name[:80]} cannot hold rungs; write a GLB, or a file for each.", place="name", allowed=".glb"
        )
    if suffix == ".glb":
        if unit is not Unit.METRES or up is not Up.Y:
            raise FileError("GLB is in metres with Y up by its standard; choose those.", place="unit", allowed="m, y")
        nodes = _nodes(scene) or None
        return {path.name: write_glb(scene.parts, nodes, lean=lean, rungs=rungs)}
    parts = standing_parts(taken_out(scene, unit, up))
    if suffix == ".obj":
        return write_obj(parts, path.stem)
    return {path.name: write_ply(parts) if suffix == ".ply" else write_stl(parts)}


def _nodes(scene: Scene) -> list[Node]:
    """What stands in a scene, in its groups."""

    def inside(group: int | None, frame: Floats) -> tuple[Node, ...]:
        back = np.linalg.inv(frame)
        groups = [
            Node(
                g.name,
                None,
                *decompose(back @ g.matrix),
                children=inside(k, g.matrix),
                extras={"kind": "group"},
                others=g.extras,
            )
            for k, g in enumerate(scene.groups)
            if g.parent == group
        ]
        return (
            *groups,
            *(Node(i.name, i.part, *decompose(back @ i.matrix), others=i.extras) for i in standing.get(group, ())),
        )

    standing: dict[int | None, list[Instance]] = {}
    for i in scene.instances:
        standing.setdefault(i.group, []).append(i)
    return list(inside(None, np.eye(4)))
