"""A copy of a project as a file of its own."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from sqlalchemy import insert, select
from sqlalchemy.exc import DatabaseError

from able_brick.core.errors import AbleBrickError, StorageError
from able_brick.level.snapshot import ARow, Edit, Snapshot
from able_brick.session.history import State
from able_brick.store import journal
from able_brick.store.database import ProjectFile, copy_database
from able_brick.store.meshes import MeshShelf
from able_brick.store.tables import RECIPE, TEXTURE


def save_copy(
    file: ProjectFile,
    snapshot: Snapshot,
    states: Mapping[str, State],
    meshes: MeshShelf,
    to: Path,
    *,
    rows_only: bool,
) -> None:
    """Write the project to a new file, with its journal; of a damaged one the rows and what else can be read.

    Raises StorageError where the file exists already or cannot be written.
    """
    if to.exists():
        raise StorageError(f"{to.name} exists already; give another name.")
    try:
        if not rows_only and file.engine.url.database:
            copy_database(Path(file.engine.url.database), to)
            return
        _rebuild(file, snapshot, states, meshes, to)
    except (OSError, DatabaseError) as error:
        raise StorageError(f"The copy could not be written ({error}); nothing else was changed.") from error


def _rebuild(file: ProjectFile, snapshot: Snapshot, states: Mapping[str, State], meshes: MeshShelf, to: Path) -> None:
    copy = ProjectFile(to)
    try:
        with copy.engine.begin() as connection:
            for level in snapshot.levels:
                journal.write_states(connection, [(level, states[level].revision, 0)])
            rows: list[ARow] = [*snapshot.levels.values(), *snapshot.pieces.values()]
            rows += [t for of in snapshot.things.values() for t in of.values()]
            journal.write_rows(connection, [Edit(None, r) for r in rows], snapshot.counters)
            for piece in snapshot.pieces.values():
                for key in {piece.mesh, *(() if piece.ladder is None else (r.mesh for r in piece.ladder.rungs))}:
                    try:
                        journal.write_meshes(connection, {key: meshes.get(key)}, {})
                    except AbleBrickError:
                        continue
            with suppress(DatabaseError), file.engine.connect() as source:
                for recipe in source.execute(select(RECIPE)):
                    connection.execute(insert(RECIPE).values(**recipe._mapping))
            for key in sorted({k for p in snapshot.pieces.values() for k in journal.textures_of(p)}):
                try:
                    with file.engine.connect() as source:
                        row = source.execute(select(TEXTURE).where(TEXTURE.c.hash == key)).first()
                except DatabaseError:
                    continue
                if row is not None:
                    connection.execute(insert(TEXTURE).values(**row._mapping))
    finally:
        copy.close()
