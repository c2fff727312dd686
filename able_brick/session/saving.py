"""A copy of a project as a file of its own."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from sqlalchemy import insert, select
from sqlalchemy.exc import DatabaseError

from able_brick.core.errors import AbleBrickError, StorageError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows import Ladder, Piece
from able_brick.level.snapshot import ARow, Edit, Snapshot
from able_brick.session.history import State
from able_brick.steps.draft import facts
from able_brick.store import journal
from able_brick.store.blobs import bearing_rows, rows_of, write_meshes
from able_brick.store.database import ProjectFile
from able_brick.store.identity import name_anew
from able_brick.store.meshes import MeshShelf
from able_brick.store.pictures import PictureShelf, write_textures
from able_brick.store.rows import write_rows
from able_brick.store.tables import RECIPE


def save_copy(
    file: ProjectFile,
    snapshot: Snapshot,
    states: Mapping[str, State],
    meshes: MeshShelf,
    pictures: PictureShelf,
    to: Path,
    *,
    rows_only: bool,
) -> None:
    """Write the project to a new file, with its journal; of a damaged one the rows and what else can be read, where a
    piece whose mesh cannot be is its box. The copy is another project.

    Raises StorageError where the file exists already or cannot be written.
    """
    if to.exists():
        raise StorageError(f"{to.name} exists already; give another name.")
    try:
        if not rows_only:
            file.copy_to(to)
            name_anew(to)
            return
        _rebuild(file, snapshot, states, meshes, pictures, to)
    except (OSError, DatabaseError) as error:
        raise StorageError(f"The copy could not be written ({error}); nothing else was changed.") from error


def _rebuild(
    file: ProjectFile,
    snapshot: Snapshot,
    states: Mapping[str, State],
    meshes: MeshShelf,
    pictures: PictureShelf,
    to: Path,
) -> None:
    copy = ProjectFile(to)
    try:
        with copy.writing() as connection:
            for level in snapshot.levels:
                journal.write_states(connection, [(level, states[level].revision, 0)])
            rows = [_whole(row, meshes, pictures) if type(row) is Piece else row for row in rows_of(snapshot)]
            write_rows(connection, [Edit(None, r) for r in rows], snapshot.counters)
            for row in bearing_rows(rows):
                write_meshes(connection, {k: m for k in row.refs.meshes if (m := _had(meshes, k)) is not None}, {})
                for key in row.refs.pictures:
                    with suppress(AbleBrickError):
                        write_textures(connection, {key: pictures.get(key)})
            with suppress(DatabaseError), file.reading() as source:
                for recipe in source.execute(select(RECIPE)):
                    connection.execute(insert(RECIPE).values(**recipe._mapping))
    finally:
        copy.close()


def _had(meshes: MeshShelf, key: str) -> PolyMesh | None:
    """A mesh, where it can be had: also one that stands in for what cannot be read."""
    with suppress(AbleBrickError):
        return meshes.get(key)
    return None


def _whole(piece: Piece, meshes: MeshShelf, pictures: PictureShelf) -> ARow:
    """A piece with what can be had of it: its box where its mesh cannot be, and no rungs and pictures that cannot."""
    out = piece
    if _had(meshes, piece.mesh) is None:
        box = meshes.drawn(piece.mesh)
        meshes.remember({box.content_hash: box})
        out = out.changed(
            name=f"{piece.name[:100]} (its box)", mesh=box.content_hash, facts=facts(box, piece.axes), slim=None
        )
    if out.ladder is not None:
        rungs = tuple(r for r in out.ladder.rungs if _had(meshes, r.mesh) is not None)
        out = out.changed(ladder=Ladder(**{**dict(out.ladder), "rungs": rungs}) if rungs else None)
    lost = {k for k in out.refs.pictures if not pictures.has(k)}
    if lost:
        plain = tuple(s.model_copy(update={"texture": None}) if s.texture in lost else s for s in out.materials)
        out = out.changed(materials=plain)
    return out
