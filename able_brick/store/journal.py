"""Journal entries, and where journals stand. Every function works inside the caller's transaction."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from contextlib import suppress
from typing import Any, Final

from sqlalchemy import Connection, bindparam, delete, insert, select
from sqlalchemy.dialects.sqlite import insert as upsert

from able_brick.level.snapshot import Edit, Snapshot
from able_brick.level.texts import Texts
from able_brick.steps.formats import params_chain
from able_brick.steps.tool import Tool
from able_brick.store.blobs import refs_of_edits
from able_brick.store.bulk_insert import bulk_insert
from able_brick.store.entry import FORMAT, READ, Entry, UnreadableEntryError, packed
from able_brick.store.tables import JOURNAL, LEVEL_STATE

#: Written out, as computing it anew for each step takes longer than asking it.
_LATER: Final = "SELECT mesh FROM journal_mesh WHERE entry IN (SELECT id FROM journal WHERE level = ? AND place >= ?)"
#: Statements that every step runs. Building them takes longer than running them, so they are built once.
_DELETE_FROM: Final = delete(JOURNAL).where(JOURNAL.c.level == bindparam("of"), JOURNAL.c.place >= bindparam("least"))
_INSERT: Final = insert(JOURNAL)
_SELECT_AT: Final = select(JOURNAL).where(JOURNAL.c.level == bindparam("of"), JOURNAL.c.place == bindparam("at"))
_STATE_INSERT: Final = upsert(LEVEL_STATE)
_STATE_UPSERT: Final = _STATE_INSERT.on_conflict_do_update(
    index_elements=["level"], set_={c: _STATE_INSERT.excluded[c] for c in ("revision", "done")}
)


def write_entry(
    connection: Connection,
    level: str,
    place: int,
    tool: Tool,
    selection: tuple[str, ...],
    note: str,
    edits: tuple[Edit, ...],
    users: tuple[str, ...] | None = None,
    texts: Texts | None = None,
) -> Entry:
    """Put a step at its place in the level's journal, where what stood there or later is gone; the entry."""
    params = tool.model_dump_json(exclude={"tool", *tool.unkept})
    connection.execute(_DELETE_FROM, {"of": level, "least": place})
    row = {
        "level": level,
        "place": place,
        "tool": tool.tool,
        "params": params,
        "selection": json.dumps(selection),
        "note": note,
        "adjustable": tool.adjustable,
        "format": FORMAT,
        "params_format": params_chain(tool.tool).version,
        "edits": packed(edits, texts or Texts()),
        "users": None if users is None else json.dumps(users),
    }
    done = connection.execute(_INSERT, row)
    entry = int(done.lastrowid)
    hashes = refs_of_edits(edits)
    bulk_insert(connection, "journal_mesh (entry, mesh)", [(entry, h) for h in sorted(hashes)])
    values = json.loads(params)
    return Entry(entry, level, place, tool.tool, values, selection, note, tool.adjustable, users, edits)


def refs_from(connection: Connection, level: str, place: int) -> set[str]:
    """Hashes of what the entries of a level have that stand at a place or later."""
    return {str(h) for (h,) in connection.exec_driver_sql(_LATER, (level, place))}


def read_entry(connection: Connection, level: str, place: int) -> Entry | None:
    """The journal entry at a place, or None. Raises StorageError for one that cannot be read."""
    r = connection.execute(_SELECT_AT, {"of": level, "at": place}).first()
    return None if r is None else _entry(r)


def find_entry(connection: Connection, level: str, place: int) -> Entry | None:
    """The same; None also for one that cannot be read: the history ends there."""
    with suppress(UnreadableEntryError):
        return read_entry(connection, level, place)
    return None


def entries_with(
    connection: Connection, row: str, levels: Iterable[str], most: int | None = None
) -> Iterator[tuple[str, Entry]]:
    """The entries of levels that have edited a row, the newest of each level first; those that can be read. Only so
    many of the newest are looked at, where `most` says it."""
    for level in levels:
        rows = connection.execute(
            select(JOURNAL).where(JOURNAL.c.level == level).order_by(JOURNAL.c.place.desc()).limit(most)
        )
        for r in rows:
            with suppress(UnreadableEntryError):
                entry = _entry(r)
                if any(e.id == row for e in entry.edits):
                    yield level, entry


def _entry(r: Any) -> Entry:
    if r.format not in READ:
        raise UnreadableEntryError(f"The journal has entries of format {r.format}; this version reads up to {FORMAT}.")
    try:
        entry = Entry(
            r.id,
            r.level,
            r.place,
            r.tool,
            params_chain(r.tool).upgraded(dict(json.loads(r.params)), r.params_format),
            tuple(json.loads(r.selection)),
            r.note,
            r.adjustable,
            None if r.users is None else tuple(json.loads(r.users)),
            packed=bytes(r.edits),
            format=r.format,
        )
    except (ValueError, TypeError, KeyError, RecursionError) as error:
        raise UnreadableEntryError(
            f"Step {r.place} of the history of {r.level} cannot be read.", level=r.level
        ) from error
    if entry.short:
        _ = entry.edits
    return entry


def write_states(connection: Connection, states: Iterable[tuple[str, int, int]]) -> None:
    """Where the journals of levels stand: level, revision and the last step that is done, each."""
    rows = [{"level": level, "revision": revision, "done": done} for level, revision, done in states]
    connection.execute(_STATE_UPSERT, rows)


def drop_levels(connection: Connection, snapshot: Snapshot) -> None:
    """Delete the journals of levels that are not there any more."""
    levels = {str(level) for (level,) in connection.execute(select(LEVEL_STATE.c.level))}
    for level in sorted(levels - snapshot.levels.keys()):
        connection.execute(delete(JOURNAL).where(JOURNAL.c.level == level))
        connection.execute(delete(LEVEL_STATE).where(LEVEL_STATE.c.level == level))
