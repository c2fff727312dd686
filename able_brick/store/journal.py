"""Reading and writing rows and journal entries. Every function works inside the caller's transaction."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from itertools import pairwise
from operator import itemgetter
from pathlib import Path
from typing import Any, Final

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Connection, Table, delete, func, insert, select, true
from sqlalchemy.dialects.sqlite import insert as upsert

from able_brick.core.errors import InputError, StorageError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.ordering import row_order
from able_brick.level.rows import AnyRow, LevelRow, Piece
from able_brick.level.snapshot import ARow, Edit, Snapshot, level_of
from able_brick.level.texts import Texts
from able_brick.level.things import Things
from able_brick.steps.tool import Tool
from able_brick.store.entry import Entry, UnreadableEntryError, packed
from able_brick.store.many import put_many
from able_brick.store.mesh_codec import FORMAT, encode
from able_brick.store.tables import JOURNAL, JOURNAL_MESH, LEVEL_STATE, MESH, META, ROW, TEXTURE

ROW_FORMAT: Final = 1
#: Bytes of a mesh that do not wait for others to be written with them.
_LONG: Final = 2**20
_ROW: TypeAdapter[ARow] = TypeAdapter(AnyRow)
#: Written out, as reckoning it anew for each of many rows takes longer than writing them.
_INTO_ROW: Final = '"row" (id, level, kind, mesh, format, payload)'
_INTO_MESH: Final = "mesh (hash, format, data)"
_OR_ROW: Final = (
    "ON CONFLICT (id) DO UPDATE SET level = excluded.level, kind = excluded.kind, mesh = excluded.mesh, "
    "format = excluded.format, payload = excluded.payload"
)


def meshes_of(edits: Iterable[Edit]) -> set[str]:
    """Hashes of meshes and textures that the rows of the edits need, before or after."""
    out: set[str] = set()
    for edit in edits:
        for row in edit:
            if type(row) is Piece:
                out.add(row.mesh)
                if row.slim is not None:
                    out.add(row.slim.mesh)
                if row.ladder is not None:
                    out |= row.ladder.meshes
                out |= textures_of(row)
    return out


def textures_of(piece: Piece) -> set[str]:
    """Hashes of the textures of a piece."""
    return {s.texture for s in piece.materials if s.texture is not None}


def load_snapshot(connection: Connection) -> Snapshot:
    """The whole project from its rows. Raises StorageError for rows of a newer format."""
    rows = connection.execute(select(ROW.c.payload, ROW.c.format)).fetchall()
    counters = connection.execute(select(META.c.value).where(META.c.key == "counters")).scalar()
    return snapshot_of(rows, counters)


def snapshot_of(rows: Iterable[Sequence[Any]], counters: str | None) -> Snapshot:
    """The project of rows with their formats, and of the numbers given last per kind.

    Things of a level that has no row get one, so that they are not lost. Raises StorageError.
    """
    found: list[ARow] = []
    read = _ROW.validator.validate_json
    for payload, form in rows:
        if form != ROW_FORMAT:
            raise StorageError(f"The file has rows of format {form}; this version reads {ROW_FORMAT}.")
        try:
            found.append(read(payload))
        except ValidationError as error:
            where = ", ".join(".".join(str(p) for p in e["loc"]) for e in error.errors()[:3])
            raise StorageError(
                f"The file holds a row that this version cannot read ({where}). Another version "
                "of Able Brick made it; nothing in it was changed."
            ) from error
    order = [row_order(row.id) for row in found]
    if any(b < a for a, b in pairwise(order)):
        found = [row for _, row in sorted(zip(order, found, strict=True), key=itemgetter(0))]
    pieces: dict[str, Piece] = {}
    levels: dict[str, LevelRow] = {}
    things: dict[str, Things] = {}
    for row in found:
        kind = type(row)
        if kind is Piece:
            pieces[row.id] = row  # type: ignore[assignment]
        elif kind is LevelRow:
            levels[row.id] = row  # type: ignore[assignment]
        elif (level := row.level) in things:  # type: ignore[union-attr]
            things[level][row.id] = row  # type: ignore[assignment]
        else:
            things[level] = Things({row.id: row})  # type: ignore[dict-item]
    for key in sorted(things.keys() - levels.keys(), key=row_order):
        levels[key] = LevelRow(id=key, name=f"Recovered ({key})")
    things = {key: things.get(key, Things()) for key in levels}
    return Snapshot(pieces, levels, things, _numbers(order, counters))


def _numbers(order: Iterable[tuple[str, int]], counters: str | None) -> dict[str, int]:
    """The last number of each kind: as it was kept, and never below one that is in use."""
    try:
        kept = json.loads(counters) if counters else {}
        out = {str(k): int(v) for k, v in kept.items()}
    except (ValueError, AttributeError, TypeError):
        out = {}
    for kind, number in order:
        if number > out.get(kind, 0):
            out[kind] = number
    return out


def write_rows(
    connection: Connection, edits: Iterable[Edit], counters: dict[str, int], texts: Texts | None = None
) -> None:
    """Make the rows what the edits say."""
    texts = texts or Texts()
    gone: list[str] = []
    kept: list[tuple[str | int | None, ...]] = []
    for edit in edits:
        row = edit.after
        if row is None:
            gone.append(edit.id)
        else:
            mesh = row.mesh if type(row) is Piece else None
            kept.append((row.id, level_of(row), row.kind, mesh, ROW_FORMAT, texts.of(row)))
    for at in range(0, len(gone), 500):
        connection.execute(delete(ROW).where(ROW.c.id.in_(gone[at : at + 500])))
    put_many(connection, _INTO_ROW, kept, _OR_ROW)
    statement = upsert(META)
    connection.execute(
        statement.on_conflict_do_update(index_elements=["key"], set_={"value": statement.excluded.value}),
        [{"key": "counters", "value": json.dumps(counters)}],
    )


def write_meshes(
    connection: Connection, meshes: Mapping[str, PolyMesh], written: Mapping[str, Path | memoryview]
) -> None:
    """Store meshes that are not in the file yet; `written` are the bytes of those that are ready, or files of them."""
    there = present(connection, MESH, meshes)
    waiting: list[tuple[str, int, bytes | memoryview]] = []
    for key in sorted(meshes.keys() - there):  # in the order of the table
        ready = written.get(key)
        data = ready.read_bytes() if isinstance(ready, Path) else encode(meshes[key]) if ready is None else ready
        waiting.append((key, FORMAT, data))
        if len(data) > _LONG or len(waiting) == 1000:
            put_many(connection, _INTO_MESH, waiting)
            waiting = []
    put_many(connection, _INTO_MESH, waiting)


def check_blobs(connection: Connection, edits: Iterable[Edit], fresh: Mapping[str, PolyMesh]) -> None:
    """InputError where a piece would be kept whose mesh or picture is not in the file; those that are `fresh` are."""
    pieces = [new for _, new in edits if type(new) is Piece]
    there = present(connection, MESH, {k for p in pieces for k in _own(p)} - fresh.keys()) | fresh.keys()
    pictures = present(connection, TEXTURE, {t for p in pieces for t in textures_of(p)})
    for piece in pieces:
        if piece.mesh not in there or (piece.ladder is not None and not _own(piece) <= there):
            raise InputError(f"The mesh of {piece.name} is not in the project; bring its file in again.", id=piece.mesh)
        if not textures_of(piece) <= pictures:
            raise InputError(f"A picture on {piece.name} is not in the project; bring its file in again.", id=piece.id)


def _own(piece: Piece) -> set[str]:
    """Hashes of the meshes that a piece shows, or can show."""
    return {piece.mesh} if piece.ladder is None else {piece.mesh, *(r.mesh for r in piece.ladder.rungs)}


def present(connection: Connection, table: Table, hashes: Iterable[str]) -> set[str]:
    """Which of the hashes the file has."""
    wanted = list(hashes)
    out: set[str] = set()
    for at in range(0, len(wanted), 500):
        some = select(table.c.hash).where(table.c.hash.in_(wanted[at : at + 500]))
        out |= {str(h) for (h,) in connection.execute(some)}
    return out


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
    connection.execute(delete(JOURNAL).where(JOURNAL.c.level == level, JOURNAL.c.place >= place))
    done = connection.execute(
        insert(JOURNAL).values(
            level=level,
            place=place,
            tool=tool.tool,
            params=params,
            selection=json.dumps(selection),
            note=note,
            adjustable=tool.adjustable,
            format=ROW_FORMAT,
            edits=packed(edits, texts or Texts()),
            users=None if users is None else json.dumps(users),
        )
    )
    entry = int(done.lastrowid)
    hashes = meshes_of(edits)
    put_many(connection, "journal_mesh (entry, mesh)", [(entry, h) for h in sorted(hashes)])
    known = json.loads(params)
    return Entry(entry, level, place, tool.tool, known, selection, note, tool.adjustable, users, edits)


def read_entry(connection: Connection, level: str, place: int) -> Entry | None:
    """The journal entry at a place, or None. Raises StorageError for one that cannot be read."""
    r = connection.execute(select(JOURNAL).where(JOURNAL.c.level == level, JOURNAL.c.place == place)).first()
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
    if r.format != ROW_FORMAT:
        raise UnreadableEntryError(f"The journal has entries of format {r.format}; this version reads {ROW_FORMAT}.")
    try:
        entry = Entry(
            r.id,
            r.level,
            r.place,
            r.tool,
            dict(json.loads(r.params)),
            tuple(json.loads(r.selection)),
            r.note,
            r.adjustable,
            None if r.users is None else tuple(json.loads(r.users)),
            packed=bytes(r.edits),
        )
    except (ValueError, TypeError) as error:
        raise UnreadableEntryError(
            f"Step {r.place} of the history of {r.level} cannot be read.", level=r.level
        ) from error
    if entry.short:
        _ = entry.edits
    return entry


def write_states(connection: Connection, states: Iterable[tuple[str, int, int]]) -> None:
    """Where the journals of levels stand: level, revision and the last step that is done, each."""
    rows = [{"level": level, "revision": revision, "done": done} for level, revision, done in states]
    statement = upsert(LEVEL_STATE)
    connection.execute(
        statement.on_conflict_do_update(
            index_elements=["level"], set_={c: statement.excluded[c] for c in ("revision", "done")}
        ),
        rows,
    )


def drop_levels(connection: Connection, snapshot: Snapshot) -> None:
    """Delete the journals of levels that are not there any more."""
    known = {str(level) for (level,) in connection.execute(select(LEVEL_STATE.c.level))}
    for level in sorted(known - snapshot.levels.keys()):
        connection.execute(delete(JOURNAL).where(JOURNAL.c.level == level))
        connection.execute(delete(LEVEL_STATE).where(LEVEL_STATE.c.level == level))


def drop_unused(connection: Connection, snapshot: Snapshot) -> None:
    """Delete meshes and textures that neither a row nor the journal needs."""
    drop_unused_meshes(connection)
    shown: set[str] = set().union(*(textures_of(p) for p in snapshot.pieces.values()))
    kept = connection.execute(select(TEXTURE.c.hash).where(TEXTURE.c.hash.not_in(select(JOURNAL_MESH.c.mesh))))
    gone = [h for (h,) in kept if h not in shown]
    for at in range(0, len(gone), 500):
        connection.execute(delete(TEXTURE).where(TEXTURE.c.hash.in_(gone[at : at + 500])))


def drop_unused_meshes(connection: Connection) -> int:
    """Delete meshes that neither a row nor the journal needs; returns how many."""
    rungs = func.json_each(ROW.c.payload, "$.ladder.rungs").table_valued("value")
    used = (
        select(ROW.c.mesh)
        .where(ROW.c.mesh.is_not(None))
        .union(
            select(JOURNAL_MESH.c.mesh),
            select(func.json_extract(rungs.c.value, "$.mesh"))
            .select_from(ROW)
            .join(rungs, true())
            .where(ROW.c.kind == "piece"),
        )
    )
    return connection.execute(delete(MESH).where(MESH.c.hash.not_in(used))).rowcount
