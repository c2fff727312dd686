"""What an arrived file holds, reported before it is accepted."""

from __future__ import annotations

from collections import Counter
from pathlib import PurePath

import numpy as np
from pydantic import BaseModel

from able_brick.core.files.scene import Scene
from able_brick.core.files.units import Unit, Up
from able_brick.core.mesh.hull import on_hull
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.mesh.validity import problems_of_all
from able_brick.core.text import counted, listed
from able_brick.level.carried import Claim, claim_of
from able_brick.level.rows import kinds_of_things

_KINDS = kinds_of_things()
_MOST_PARTS = 200
_MOST_LINES = 60
_MOST_SHADOW = 3000


class PartSheet(BaseModel):
    """One part of a file: its name and counts."""

    name: str
    vertices: int
    faces: int
    triangles: int
    quads: int
    ngons: int
    closed: bool
    places: int


class MaterialSheet(BaseModel):
    """A material: linear colour, and whether it has a texture."""

    name: str
    colour: tuple[float, float, float, float]
    texture: bool


class Sheet(BaseModel):
    """Counts, size in the file's own numbers, materials, what was mended and what is wrong.

    `rungs` are the parts that have some; `level` says in a sentence what of a level, which the file was written from,
    comes back as it was, "" where nothing does. `outline_y` and `outline_z` are the file's shadow from the front, as
    polygons, with Y or with Z up; `unit` and `up` are what the file most likely means.
    """

    file: str
    parts: list[PartSheet]
    more_parts: int
    vertices: int
    faces: int
    triangles: int
    quads: int
    ngons: int
    places: int
    rungs: int
    level: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    outline_y: list[list[tuple[float, float]]]
    outline_z: list[list[tuple[float, float]]]
    materials: list[MaterialSheet]
    notes: list[str]
    problems: list[str]
    unit: Unit
    up: Up
    fixed: bool


def sheet_of(file: str, scene: Scene) -> Sheet:
    """The sheet of a scene that was read from a file."""
    claim = claim_of(scene)
    coming = [k for k in range(len(scene.parts)) if k not in claim.shown]
    parts = [scene.parts[k] for k in coming]
    sizes = [p.mesh.face_sizes for p in parts]
    standing = Counter(i.part for i in scene.instances)
    places = [standing[k] for k in coming[:_MOST_PARTS]]
    low, high = scene.bounds()
    suffix = PurePath(file).suffix.lower()
    fixed = suffix in (".glb", ".gltf")
    materials = list(dict.fromkeys(m for p in parts for m in p.materials))
    first = parts[:_MOST_PARTS]
    found = problems_of_all([p.mesh for p in first])
    came_back, lost = _of_level(scene, claim)
    faults = [f"{p.name}: {q.text}" for p, some in zip(first, found, strict=True) for q in some]
    return Sheet(
        file=file[:200],
        parts=[
            PartSheet(
                name=p.name,
                vertices=p.mesh.vertex_count,
                faces=p.mesh.face_count,
                triangles=p.mesh.triangle_count,
                quads=int((s == 4).sum()),
                ngons=int((s > 4).sum()),
                closed=topology(p.mesh).is_closed,
                places=n,
            )
            for p, s, n in zip(parts, sizes, places, strict=False)
        ],
        more_parts=max(0, len(parts) - _MOST_PARTS),
        vertices=sum(p.mesh.vertex_count for p in parts),
        faces=sum(p.mesh.face_count for p in parts),
        triangles=sum(p.mesh.triangle_count for p in parts),
        quads=sum(int((s == 4).sum()) for s in sizes),
        ngons=sum(int((s > 4).sum()) for s in sizes),
        places=len(scene.instances),
        rungs=sum(bool(p.rungs) for p in parts),
        level=came_back,
        low=(float(low[0]), float(low[1]), float(low[2])),
        high=(float(high[0]), float(high[1]), float(high[2])),
        outline_y=_outlines(scene, (0, 1)),
        outline_z=_outlines(scene, (0, 2)),
        materials=[MaterialSheet(name=m.name, colour=m.colour, texture=m.texture is not None) for m in materials[:100]],
        notes=[n[:300] for n in (*scene.notes, *lost)[:_MOST_LINES]],
        problems=[f[:300] for f in faults[:_MOST_LINES]],
        unit=Unit.METRES if fixed else _likely(float((high - low).max())),
        up=Up.Z if suffix == ".stl" else Up.Y,
        fixed=fixed,
    )


def _of_level(scene: Scene, claim: Claim) -> tuple[str, list[str]]:
    """What comes back of the level that the file was written from, and what of it does not."""
    if scene.kept is None:
        return "", []
    carried = claim.carried
    if not carried.pieces and not carried.things:
        return "", ["What was kept of arrays, courses and paths was left out, as this version cannot read it."]
    kinds = Counter(str(t.kind) for t in carried.things)
    words = [counted(kinds[k], k, f"{k}s") for k in _KINDS if kinds[k]]
    lost = sorted(scene.kept.written - {t.id for t in carried.things} - {""})
    notes = []
    if lost:
        counts = counted(len(lost), "thing of the level was", "things of the level were")
        notes = [f"{counts} changed or taken out since; what stands in the file comes as it stands."]
    return listed(words, 6), notes


def _likely(extent: float) -> Unit:
    """Hardly any piece is larger than 300 m: larger numbers are centimetres, or millimetres."""
    return Unit.METRES if extent <= 300 else Unit.CENTIMETRES if extent <= 3000 else Unit.MILLIMETRES


def _outlines(scene: Scene, axes: tuple[int, int]) -> list[list[tuple[float, float]]]:
    """The shadow of the scene: every triangle where there are few, else the hull of each part."""
    out = []
    standing = scene.instances[:_MOST_PARTS]
    few = sum(scene.parts[i.part].mesh.triangle_count for i in standing) <= _MOST_SHADOW
    for i in standing:
        mesh = scene.parts[i.part].mesh
        p = mesh.positions if few else mesh.positions[:: max(1, mesh.vertex_count // 20_000)]
        flat = (p @ i.matrix[:3, :3].T + i.matrix[:3, 3])[:, axes]
        shapes = _wound(flat[mesh.corners[triangulate(mesh)[0]]]) if few else [_hull(flat)]
        out += [[(round(float(x), 6), round(float(y), 6)) for x, y in shape] for shape in shapes]
    return out


def _wound(triangles: Floats) -> Floats:
    """Triangles (T,3,2) that all run counter-clockwise, so that those behind do not take away from those in front."""
    e, g = triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    wrong = e[:, 0] * g[:, 1] - e[:, 1] * g[:, 0] < 0
    out = np.array(triangles)
    out[wrong] = out[wrong][:, ::-1]
    return out


def _hull(flat: Floats) -> Floats:
    found = on_hull(flat)
    if found is not None:
        return flat[found]
    low, high = flat.min(axis=0), flat.max(axis=0)  # all on one line
    return np.array([low, [high[0], low[1]], high, [low[0], high[1]]])
