"""Units and up axes of files, and scenes brought from one to the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from enum import StrEnum
from typing import Final

import numpy as np

from able_brick.core.files.scene import Instance, Scene, ScenePart
from able_brick.core.mesh.combine import joined, mapped, turned_over
from able_brick.core.mesh.polymesh import Floats


class Unit(StrEnum):
    """What one number of a file is long."""

    METRES = "m"
    CENTIMETRES = "cm"
    MILLIMETRES = "mm"
    INCHES = "in"
    FEET = "ft"


class Up(StrEnum):
    """Which axis of a file points up."""

    Y = "y"
    Z = "z"


METRES: Final[dict[Unit, float]] = {
    Unit.METRES: 1.0,
    Unit.CENTIMETRES: 0.01,
    Unit.MILLIMETRES: 0.001,
    Unit.INCHES: 0.0254,
    Unit.FEET: 0.3048,
}
#: Z up to Y up: (x, y, z) becomes (x, z, −y).
_FROM_Z: Final = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]])


def brought_in(scene: Scene, unit: Unit, up: Up) -> Scene:
    """A scene as files hold it, in metres with Y up."""
    return _changed(scene, METRES[unit], _FROM_Z if up is Up.Z else None)


def taken_out(scene: Scene, unit: Unit, up: Up) -> Scene:
    """A scene in metres with Y up, as a file of another unit and up axis holds it."""
    return _changed(scene, 1.0 / METRES[unit], _FROM_Z.T if up is Up.Z else None)


def _changed(scene: Scene, factor: float, turn: Floats | None) -> Scene:
    if factor == 1.0 and turn is None:
        return scene

    def point(p: Floats) -> Floats:
        out = p if turn is None else p @ turn.T
        return out * factor

    def moved(part: ScenePart) -> ScenePart:
        mesh, *slim = (mapped(m, point(m.positions), turn) for m in (part.mesh, *(r.mesh for r in part.rungs)))
        rungs = tuple(replace(r, mesh=m) for r, m in zip(part.rungs, slim, strict=True))
        return ScenePart(part.name, mesh, part.materials, rungs=rungs)

    parts = tuple(moved(p) for p in scene.parts)
    whole = np.eye(4)
    if turn is not None:
        whole[:3, :3] = turn

    def stand(matrix: Floats) -> Floats:
        out: Floats = whole @ matrix @ whole.T
        out[:3, 3] *= factor
        return out

    instances = tuple(replace(i, matrix=stand(i.matrix)) for i in scene.instances)
    groups = tuple(replace(g, matrix=stand(g.matrix)) for g in scene.groups)
    return Scene(parts, instances, scene.notes, groups)


def standing_parts(scene: Scene) -> list[ScenePart]:
    """Every instance as a part of its own, in the coordinates of the scene; mirrored ones keep their outside."""
    out = []
    for i in scene.instances or tuple(Instance(k, p.name, np.eye(4)) for k, p in enumerate(scene.parts)):
        part = scene.parts[i.part]
        if (i.matrix == np.eye(4)).all():
            out.append(ScenePart(i.name, part.mesh, part.materials))
            continue
        linear = i.matrix[:3, :3]
        mesh = mapped(part.mesh, part.mesh.positions @ linear.T + i.matrix[:3, 3], linear)
        out.append(ScenePart(i.name, turned_over(mesh) if np.linalg.det(linear) < 0 else mesh, part.materials))
    return out


def as_one(parts: Sequence[ScenePart], name: str) -> ScenePart:
    """One part of all, with every material once."""
    materials = list(dict.fromkeys(m for p in parts for m in p.materials))
    meshes = []
    for p in parts:
        slots = np.array([materials.index(m) for m in p.materials] or [0], np.int32)
        meshes.append(p.mesh.replaced(material=slots[np.minimum(p.mesh.material, len(slots) - 1)]))
    return ScenePart(name, joined(meshes), tuple(materials))
