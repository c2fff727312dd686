"""From a file to an open project: rows, journals, and what can still be read of a damaged one."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from pathlib import Path

from sqlalchemy import Connection, delete, select
from sqlalchemy.exc import DatabaseError

from able_brick.core.errors import HistoryError, StorageError
from able_brick.core.gc_pause import gc_paused
from able_brick.core.text import counted
from able_brick.level.snapshot import Snapshot
from able_brick.session.history import State
from able_brick.session.soundness import resume
from able_brick.store import journal
from able_brick.store.backups import take_in
from able_brick.store.blobs import drop_unused, rows_of
from able_brick.store.database import ProjectFile
from able_brick.store.entry import UnreadableEntryError
from able_brick.store.rows import DamagedRowError, load_snapshot, snapshot_of
from able_brick.store.tables import LEVEL_STATE, WORK


@gc_paused()
def open_file(path: Path) -> tuple[ProjectFile, Snapshot, dict[str, State], bool]:
    """The file, what stands in it, where its journals stand, and whether that is only what could be saved of it.

    A file that cannot be read whole, or whose journal cannot be read, is opened as a private copy, read-only.
    Raises StorageError where the rows cannot be read, and leaves everything as it was.
    """
    file = ProjectFile(path)
    snapshot = None
    try:
        try:
            with file.writing() if file.read_only is None else file.reading() as connection:
                snapshot = load_snapshot(connection)
                if file.read_only is None:
                    journal.drop_levels(connection, snapshot)
                states = _states(connection, snapshot)
                if file.read_only is None:
                    drop_unused(connection, rows_of(snapshot))
                    file.notes += _cut_off(connection)
                found = resume(connection, snapshot, mending=file.read_only is None)
                if found.names:
                    raise _DamagedBlobsError(found.reason(path.name))
            file.notes += found.notes
            file.settled(take_in)
            return file, snapshot, states, False
        except (DatabaseError, StorageError) as error:
            if not _is_damage(error):
                raise
            reason = _reason(path, error, snapshot)
    except BaseException:
        file.close()
        raise
    file.close()
    file = ProjectFile(path, private=reason)
    try:
        snapshot = _salvaged(file)
        states = {level: State(0, 0, None, None) for level in snapshot.levels}
        return file, snapshot, states, True
    except BaseException:
        file.close()
        raise


def _is_damage(error: Exception) -> bool:
    """Whether the file is damaged, and not of another version or in use."""
    return isinstance(error, (DatabaseError, UnreadableEntryError, DamagedRowError, _DamagedBlobsError)) or isinstance(
        error.__cause__, UnicodeDecodeError
    )


class _DamagedBlobsError(StorageError):
    """Meshes or pictures that the rows have cannot be read."""


def missing_entry_error(connection: Connection, snapshot: Snapshot, level: str, error: HistoryError) -> HistoryError:
    """The same refusal, with the level in which a row that is missing was taken away."""
    missing = error.data.get("missing")
    if not isinstance(missing, str):
        return error
    others = [key for key in snapshot.levels if key != level]
    for other, entry in journal.entries_with(connection, missing, others):
        name = next((r.name for e in entry.edits if (r := e.before or e.after) and r.id == missing), missing)
        where = snapshot.levels[other].name
        return HistoryError(f"{error} {name} was taken away in {where}; bring it back there first.", **error.data)
    return HistoryError(f"{error} It was taken away since; bring it back first.", **error.data)


def _cut_off(connection: Connection) -> list[str]:
    """What was being worked on when the program ended; it is reported once."""
    titles = [str(t) for (t,) in connection.execute(select(WORK.c.title).order_by(WORK.c.id))]
    connection.execute(delete(WORK))
    return [f"{t} was cut off before it was done; nothing of it was kept. Start it again." for t in titles]


def _states(connection: Connection, snapshot: Snapshot) -> dict[str, State]:
    states = {level: State(0, 0, None, None) for level in snapshot.levels}
    for s in connection.execute(select(LEVEL_STATE)).all():
        if s.level not in snapshot.levels:
            continue
        last = journal.read_entry(connection, s.level, s.done)
        states[s.level] = State(s.revision, s.done, last, journal.read_entry(connection, s.level, s.done + 1))
    return states


def _reason(path: Path, error: Exception, snapshot: Snapshot | None) -> str:
    if isinstance(error, _DamagedBlobsError):
        return str(error)
    if isinstance(error, StorageError):
        level = None if snapshot is None else snapshot.levels.get(str(error.data.get("level")))
        text = str(error) if level is None else str(error).replace(level.id, level.name)
        return f"{path.name} is damaged: {text}"
    cause = getattr(error, "orig", error)
    return f"{path.name} is damaged ({cause})."


def _salvaged(file: ProjectFile) -> Snapshot:
    """What can be read of the rows of a damaged file, from both of its ends. StorageError where that is nothing."""
    rows: dict[str, tuple[object, ...]] = {}
    counters: object = None
    with file.reading() as connection:
        raw = connection.connection.driver_connection
        if not isinstance(raw, sqlite3.Connection):
            raise StorageError(f"{file.path} cannot be read.")
        for order in ("ASC", "DESC"):
            for key, *stored in _until_broken(
                raw,
                f"SELECT id, payload, format, kind, crc FROM row NOT INDEXED ORDER BY rowid {order}",  # noqa: S608
            ):
                rows[str(key)] = tuple(stored)
        for (value,) in _until_broken(raw, "SELECT value FROM meta WHERE key = 'counters'"):
            counters = value
    broken: list[str] = []
    snapshot = snapshot_of(rows.values(), counters, broken=broken)
    if broken:
        file.notes.append(f"{counted(len(broken), 'row', 'rows')} of the file cannot be read and were left out.")
    if not snapshot.levels:
        raise StorageError(f"{file.read_only} No level in it can be read; take a copy that you kept.")
    return snapshot


def _until_broken(connection: sqlite3.Connection, query: str) -> Iterator[tuple[object, ...]]:
    try:
        yield from connection.execute(query)
    except sqlite3.Error:
        return
