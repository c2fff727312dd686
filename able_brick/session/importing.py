"""Taking what was read from a file onto the shelf, as one step."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import PurePath

import numpy as np

from able_brick.core.collecting import uncollected
from able_brick.core.errors import InputError
from able_brick.core.files.part import GroupAt, Instance, Material, Scene, Texture
from able_brick.core.files.units import Unit, Up, as_one, brought_in, standing_parts
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import decompose, decompose_all
from able_brick.jobs.imports import Imports
from able_brick.level.rows import Surface
from able_brick.session.delta import Delta
from able_brick.session.project import Project
from able_brick.steps.checks import printable
from able_brick.steps.draft import Tell, quiet
from able_brick.steps.import_pieces import Imported, ImportedGroup, ImportPieces

#: Parts after which it is told how far it is.
_BREATH = 100


@dataclass(frozen=True)
class Taking:
    """What a file's numbers mean and which axis is up; whether all becomes one piece, and where the pivots are."""

    unit: Unit = Unit.METRES
    up: Up = Up.Y
    one_piece: bool = False
    base_pivot: bool = False


@uncollected()
def take_in(
    project: Project,
    imports: Imports,
    key: str,
    level: str,
    revision: int | None,
    how: Taking,
    *,
    place: bool,
    tell: Tell | None = None,
) -> Delta:
    """Put what was read onto the shelf, and where asked into the level, where it stood in the file. Without a revision
    it is done beside other work: `tell` hears how far it is and may raise to stop it.

    Raises UnknownIdError for a level or an import that is not there, and what a step raises; then nothing has changed.
    """
    project.snapshot.level(level)
    incoming = imports.get(key)
    hear = tell or quiet
    hear(0.0, "Taking over what was read")
    scene, ready = imports.taken(key)
    scene = brought_in(scene, how.unit, how.up)
    if how.one_piece:
        name = PurePath(incoming.file).stem[:120] or "Piece"
        scene = Scene((as_one(standing_parts(scene), name),), (Instance(0, name, np.eye(4)),), scene.notes)
    hear(0.2, "Making pieces")
    pieces, meshes, textures = pieces_of(scene, base_pivot=how.base_pivot, tell=hear)
    groups = tuple(_group(g) for g in scene.groups) if place else ()
    file = printable(incoming.file, "file", most=300)
    tool = ImportPieces(file=file, pieces=pieces, groups=groups, place=place)
    if revision is None:
        delta = project.work(level, tool, (), hear, meshes=meshes, textures=textures, written=ready)
    else:
        delta = project.step(level, tool, (), revision, meshes=meshes, textures=textures, written=ready)
    imports.discard(key)
    return delta


def _group(group: GroupAt) -> ImportedGroup:
    position, turn, _ = decompose(group.matrix)
    return ImportedGroup(name=printable(group.name, "Group"), parent=group.parent, position=position, turn=turn)


def _surface(material: Material) -> Surface:
    made = Surface.of(material)
    return Surface(**{**dict(made), "name": printable(made.name, "Plain")})


def pieces_of(
    scene: Scene, *, base_pivot: bool = False, tell: Tell | None = None
) -> tuple[tuple[Imported, ...], dict[str, PolyMesh], dict[str, Texture]]:
    """What a scene brings to the shelf, and its meshes and textures by hash."""
    meshes: dict[str, PolyMesh] = {}
    textures: dict[str, Texture] = {}
    rows: list[Imported] = []
    standing: dict[int, list[int]] = {}
    for k, i in enumerate(scene.instances):
        standing.setdefault(i.part, []).append(k)
    every = decompose_all(np.array([i.matrix for i in scene.instances]).reshape(-1, 4, 4))
    surface = cache(_surface)
    for index, part in enumerate(scene.parts):
        if tell is not None and index % _BREATH == 0:
            tell(0.2 + 0.3 * index / len(scene.parts), "Making pieces")
        low, high = part.mesh.bounds
        if float(abs(high - low).max()) < 1e-9:
            raise InputError(f"{part.name} would have no size in that unit; choose a larger one.", field="unit")
        numbers = standing.get(index, [])
        here, stands = [scene.instances[k] for k in numbers], [every[k] for k in numbers]
        meshes[part.mesh.content_hash] = part.mesh
        textures |= {m.texture.content_hash: m.texture for m in part.materials if m.texture is not None}
        rows.append(
            Imported(
                name=printable(part.name, "Piece"),
                mesh=part.mesh.content_hash,
                materials=tuple(surface(m) for m in part.materials),
                stands=tuple((printable(i.name, "Piece"), *stand) for i, stand in zip(here, stands, strict=True)),
                within=tuple(i.group for i in here),
                base_pivot=base_pivot,
            )
        )
    return tuple(rows), meshes, textures
