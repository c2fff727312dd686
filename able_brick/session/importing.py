"""Taking what was read from a file onto the shelf, as one step."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import PurePath

import numpy as np

from able_brick.core.errors import InputError
from able_brick.core.files.scene import GroupAt, Instance, Material, Scene, ScenePart, Texture
from able_brick.core.files.units import Unit, Up, as_one, brought_in, standing_parts
from able_brick.core.gc_pause import gc_paused
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import ONE, Quaternion, Vector, decompose_all
from able_brick.jobs.imports import Imports
from able_brick.level.carried import Claim, claim_of
from able_brick.level.ordering import row_order
from able_brick.level.rows import Surface
from able_brick.level.rows.base import MOST
from able_brick.session.claiming import restored
from able_brick.session.delta import Delta
from able_brick.session.project import Project
from able_brick.steps.checks import printable
from able_brick.steps.draft import ProgressCallback, no_progress
from able_brick.steps.import_pieces import Imported, ImportedGroup, ImportPieces

#: Parts between two reports of progress.
_BREATH = 100
#: What is smaller in every direction has no size, metres.
_LEAST = 1e-9


@dataclass(frozen=True)
class Taking:
    """What a file's numbers mean and which axis is up; whether all becomes one piece, and where the pivots are."""

    unit: Unit = Unit.METRES
    up: Up = Up.Y
    one_piece: bool = False
    base_pivot: bool = False


@gc_paused()
def take_in(
    project: Project,
    imports: Imports,
    key: str,
    level: str,
    revision: int | None,
    how: Taking,
    *,
    place: bool,
    tell: ProgressCallback | None = None,
) -> Delta:
    """Put what was read onto the shelf, and where asked into the level, where it stood in the file. Without a revision
    it is done beside other work: `tell` hears how far it is and may raise to stop it.

    Raises UnknownIdError for a level or an import that is not there, and what a step raises; then nothing has changed.
    """
    project.snapshot.level(level)
    incoming = imports.get(key)
    hear = tell or no_progress
    hear(0.0, "Taking over what was read")
    scene, ready = imports.taken(key)
    tool, meshes, textures = step_of(scene, incoming.file, how, place=place, tell=hear)
    if revision is None:
        delta = project.work(level, tool, (), hear, meshes=meshes, textures=textures, written=ready)
    else:
        delta = project.step(level, tool, (), revision, meshes=meshes, textures=textures, written=ready)
    imports.discard(key)
    return delta


def step_of(
    scene: Scene, file: str, how: Taking, *, place: bool, tell: ProgressCallback = no_progress
) -> tuple[ImportPieces, dict[str, PolyMesh], dict[str, Texture]]:
    """The step that takes a scene in which was read from a file, and the meshes and textures that it names by hash.

    Where the file was written from a level, and is taken as it is, that level's things come back. Raises InputError.
    """
    scene = brought_in(scene, how.unit, how.up)
    claim = Claim() if how.one_piece or how.base_pivot else claim_of(scene)
    if how.one_piece:
        name = PurePath(file).stem[:120] or "Piece"
        scene = Scene((as_one(standing_parts(scene), name),), (Instance(0, name, np.eye(4)),), scene.notes)
    tell(0.2, "Making pieces")
    pieces, meshes, textures = pieces_of(scene, base_pivot=how.base_pivot, tell=tell, claim=claim)
    tool = ImportPieces(
        file=printable(file, "file", most=300),
        pieces=pieces,
        groups=_groups(scene.groups, claim.things) if place else (),
        things=claim.carried.things if place else (),
        place=place,
    )
    return tool, meshes, textures


def _groups(groups: Sequence[GroupAt], things: frozenset[str]) -> tuple[ImportedGroup, ...]:
    stands = [(position, turn, ONE) for position, turn, _ in decompose_all(np.array([g.matrix for g in groups]))]
    _check_reach(groups, stands)
    return tuple(
        ImportedGroup(
            name=printable(g.name, "Group"),
            parent=g.parent,
            position=position,
            turn=turn,
            thing=g.thing if g.thing in things else "",
            extras=g.extras or None,
        )
        for g, (position, turn, _) in zip(groups, stands, strict=True)
    )


def _surface(material: Material) -> Surface:
    made = Surface.of(material)
    return Surface(**{**dict(made), "name": printable(made.name, "Plain")})


def pieces_of(
    scene: Scene, *, base_pivot: bool = False, tell: ProgressCallback | None = None, claim: Claim | None = None
) -> tuple[tuple[Imported, ...], dict[str, PolyMesh], dict[str, Texture]]:
    """What a scene brings to the shelf, and its meshes and textures by hash; what belongs to a level that the file was
    written from as that says."""
    claim = claim or Claim()
    things, own_pieces = claim.things, claim.carried.pieces
    meshes: dict[str, PolyMesh] = {}
    textures: dict[str, Texture] = {}
    rows: list[Imported] = []
    standing: dict[int, list[int]] = {}
    for k, i in enumerate(scene.instances):
        standing.setdefault(i.part, []).append(k)
    _check_sizes(scene.parts)
    every = decompose_all(np.array([i.matrix for i in scene.instances]).reshape(-1, 4, 4))
    _check_reach(scene.instances, every)
    surfaces = cache(lambda materials: tuple(_surface(m) for m in materials))
    for index, part in enumerate(scene.parts):
        if tell is not None and index % _BREATH == 0:
            tell(0.2 + 0.3 * index / len(scene.parts), "Making pieces")
        if index in claim.shown:
            continue
        here = [(i, every[k]) for k in standing.get(index, ()) if (i := scene.instances[k]).thing not in things]
        row = own_pieces.get(part.piece)
        if row is None:
            mesh, own = part.mesh.content_hash, {m.content_hash: m for m in (part.mesh, *(r.mesh for r in part.rungs))}
        else:
            row, own = restored(row, part, claim.carried.sources)
            mesh = row.mesh
        meshes |= own
        for m in part.materials:
            if m.texture is not None:
                textures[m.texture.content_hash] = m.texture
        rows.append(
            Imported(
                printable(part.name, "Piece"),
                mesh,
                surfaces(part.materials),
                tuple([(printable(i.name, "Piece"), *stand) for i, stand in here]),
                tuple([i.group for i, _ in here]),
                tuple([i.extras or None for i, _ in here]) if any(i.extras for i, _ in here) else (),
                base_pivot,
                () if row is not None and row.ladder is not None else tuple([r.mesh.content_hash for r in part.rungs]),
                row,
            )
        )
    if own_pieces:  # in the order that they had on the shelf
        rows.sort(key=lambda r: (r.own is None, row_order(r.own.id) if r.own is not None else ("", 0)))
    return tuple(rows), meshes, textures


def _check_sizes(parts: Sequence[ScenePart]) -> None:
    """InputError where a part would have no size to speak of."""
    boxes = np.array([p.mesh.bounds for p in parts]).reshape(-1, 2, 3)
    small = np.abs(boxes[:, 1] - boxes[:, 0]).max(axis=1) < _LEAST
    if small.any():
        name = parts[int(small.argmax())].name
        raise InputError(f"{name} would have no size in that unit; choose a larger one.", field="unit")


def _check_reach(standing: Sequence[Instance | GroupAt], stands: Sequence[tuple[Vector, Quaternion, Vector]]) -> None:
    """InputError where something would stand beyond what a row may hold, or be sized so."""
    for k, words in (
        (0, "would stand beyond 10 000 km in that unit. Choose a smaller one, or move it towards the file's origin."),
        (2, "would be more than 10 000 000 times as large as its mesh. Apply its size to the mesh in the file first."),
    ):
        far = ~(np.abs(np.array([s[k] for s in stands]).reshape(-1, 3)) <= MOST).all(axis=1)
        if far.any():
            raise InputError(f"{printable(standing[int(far.argmax())].name, 'Something')} {words}", field="unit")
