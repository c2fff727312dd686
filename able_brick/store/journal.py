"""Reading and writing rows and journal entries. Every function works inside the caller's transaction."""

from __future__ import annotations

import json
import zlib
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Final

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Connection, delete, func, insert, select
from sqlalchemy.dialects.sqlite import insert as upsert

from able_brick.core.errors import StorageError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows import AnyRow, LevelRow, Piece
from able_brick.level.snapshot import ARow, Edit, Snapshot, Things, level_of
from able_brick.steps.tool import Tool
from able_brick.store.mesh_codec import FORMAT, encode
from able_brick.store.tables import JournalEntry, JournalMesh, LevelState, MeshBlob, Meta, RowRecord, TextureBlob

ROW_FORMAT: Final = 1
_ROW: TypeAdapter[ARow] = TypeAdapter(AnyRow)


@dataclass(frozen=True)
class Entry:
    """A journal entry: its database id, place in the level's journal, the step, and the rows it changed."""

    id: int
    place: int
    tool: str
    params: dict[str, Any]
    selection: tuple[str, ...]
    note: str
    adjustable: bool
    edits: tuple[Edit, ...]


def meshes_of(edits: Iterable[Edit]) -> set[str]:
    """Hashes of meshes and textures that the rows of the edits need, before or after."""
    out: set[str] = set()
    for edit in edits:
        for row in (edit.before, edit.after):
            if isinstance(row, Piece):
                out.add(row.mesh)
                if row.slim is not None:
                    out.add(row.slim.mesh)
                out |= textures_of(row)
    return out


def textures_of(piece: Piece) -> set[str]:
    """Hashes of the textures of a piece."""
    return {s.texture for s in piece.materials if s.texture is not None}


def rewound(counters: dict[str, int], edits: Iterable[Edit]) -> dict[str, int]:
    """The counters without the numbers that the edits took last: a step made again gives the same ids."""
    out = dict(counters)
    taken: dict[str, list[int]] = {}
    for edit in edits:
        if edit.before is None and edit.after is not None:
            kind, _, number = edit.after.id.rpartition("-")
            taken.setdefault(kind, []).append(int(number))
    for kind, numbers in taken.items():
        if out.get(kind) == max(numbers):
            out[kind] = min(numbers) - 1
    return out


def load_snapshot(connection: Connection) -> Snapshot:
    """The whole project from its rows. Raises StorageError for rows of a newer format."""
    pieces, levels = {}, {}
    things: dict[str, dict[str, Any]] = {}
    rows = connection.execute(select(RowRecord.payload, RowRecord.format).order_by(RowRecord.id))
    for payload, form in rows:
        if form != ROW_FORMAT:
            raise StorageError(f"The file has rows of format {form}; this version reads {ROW_FORMAT}.")
        try:
            row = _ROW.validate_json(payload)
        except ValidationError as error:
            where = ", ".join(".".join(str(p) for p in e["loc"]) for e in error.errors()[:3])
            raise StorageError(
                f"The file holds a row that this version cannot read ({where}). Another version "
                "of Able Brick made it; nothing in it was changed."
            ) from error
        if isinstance(row, Piece):
            pieces[row.id] = row
        elif isinstance(row, LevelRow):
            levels[row.id] = row
            things.setdefault(row.id, {})
        else:
            things.setdefault(row.level, {})[row.id] = row
    counters = connection.execute(select(Meta.value).where(Meta.key == "counters")).scalar()

    def number(key: str) -> tuple[str, int]:
        kind, _, n = key.rpartition("-")
        return kind, int(n)

    return Snapshot(
        dict(sorted(pieces.items(), key=lambda kv: number(kv[0]))),
        levels,
        {level: Things(sorted(t.items(), key=lambda kv: number(kv[0]))) for level, t in things.items()},
        json.loads(counters) if counters else {},
    )


def write_rows(connection: Connection, edits: Iterable[Edit], counters: dict[str, int]) -> None:
    """Make the rows what the edits say."""
    gone, kept = [], []
    for edit in edits:
        if edit.after is None:
            gone.append(edit.id)
        else:
            row = edit.after
            kept.append(
                {
                    "id": row.id,
                    "level": level_of(row),
                    "kind": row.kind,
                    "mesh": row.mesh if isinstance(row, Piece) else None,
                    "format": ROW_FORMAT,
                    "payload": row.model_dump_json(),
                }
            )
    for at in range(0, len(gone), 500):
        connection.execute(delete(RowRecord).where(RowRecord.id.in_(gone[at : at + 500])))
    if kept:
        statement = upsert(RowRecord)
        columns = ("level", "kind", "mesh", "format", "payload")
        connection.execute(
            statement.on_conflict_do_update(index_elements=["id"], set_={c: statement.excluded[c] for c in columns}),
            kept,
        )
    statement = upsert(Meta)
    connection.execute(
        statement.on_conflict_do_update(index_elements=["key"], set_={"value": statement.excluded.value}),
        [{"key": "counters", "value": json.dumps(counters)}],
    )


def write_meshes(connection: Connection, meshes: dict[str, PolyMesh]) -> None:
    """Store meshes that are not in the file yet."""
    for key, mesh in meshes.items():
        there = connection.execute(select(func.count()).where(MeshBlob.hash == key)).scalar()
        if not there:
            connection.execute(insert(MeshBlob), [{"hash": key, "format": FORMAT, "data": encode(mesh)}])


def write_entry(
    connection: Connection,
    level: str,
    place: int,
    tool: Tool,
    selection: tuple[str, ...],
    note: str,
    edits: tuple[Edit, ...],
) -> None:
    """Put a step at its place in the level's journal; what stood there or later is gone."""
    connection.execute(delete(JournalEntry).where(JournalEntry.level == level, JournalEntry.place >= place))
    rows = [
        [
            None if e.before is None else e.before.model_dump(mode="json"),
            None if e.after is None else e.after.model_dump(mode="json"),
        ]
        for e in edits
    ]
    done = connection.execute(
        insert(JournalEntry).values(
            level=level,
            place=place,
            tool=tool.tool,
            params=tool.model_dump_json(exclude={"tool"}),
            selection=json.dumps(selection),
            note=note,
            adjustable=tool.adjustable,
            format=ROW_FORMAT,
            edits=zlib.compress(json.dumps(rows).encode(), 1),
        )
    )
    entry = int(done.lastrowid)
    hashes = meshes_of(edits)
    if hashes:
        connection.execute(insert(JournalMesh), [{"entry": entry, "mesh": h} for h in hashes])


def read_entry(connection: Connection, level: str, place: int) -> Entry | None:
    """The journal entry at a place, or None."""
    r = connection.execute(
        select(JournalEntry.__table__).where(JournalEntry.level == level, JournalEntry.place == place)
    ).first()
    if r is None:
        return None
    if r.format != ROW_FORMAT:
        raise StorageError(f"The journal has entries of format {r.format}; this version reads {ROW_FORMAT}.")
    rows = json.loads(zlib.decompress(r.edits))
    edits = tuple(
        Edit(None if b is None else _ROW.validate_python(b), None if a is None else _ROW.validate_python(a))
        for b, a in rows
    )
    return Entry(
        r.id,
        r.place,
        r.tool,
        json.loads(r.params),
        tuple(json.loads(r.selection)),
        r.note,
        r.adjustable,
        edits,
    )


def write_state(connection: Connection, level: str, revision: int, done: int) -> None:
    """Where the level's journal stands."""
    statement = upsert(LevelState)
    connection.execute(
        statement.on_conflict_do_update(
            index_elements=["level"], set_={c: statement.excluded[c] for c in ("revision", "done")}
        ),
        [{"level": level, "revision": revision, "done": done}],
    )


def drop_unused(connection: Connection, snapshot: Snapshot) -> None:
    """Delete meshes and textures that neither a row nor the journal needs."""
    drop_unused_meshes(connection)
    shown: set[str] = set().union(*(textures_of(p) for p in snapshot.pieces.values()))
    kept = connection.execute(select(TextureBlob.hash).where(TextureBlob.hash.not_in(select(JournalMesh.mesh))))
    gone = [h for (h,) in kept if h not in shown]
    for at in range(0, len(gone), 500):
        connection.execute(delete(TextureBlob).where(TextureBlob.hash.in_(gone[at : at + 500])))


def drop_unused_meshes(connection: Connection) -> int:
    """Delete meshes that neither a row nor the journal needs; returns how many."""
    used = select(RowRecord.mesh).where(RowRecord.mesh.is_not(None)).union(select(JournalMesh.mesh))
    return connection.execute(delete(MeshBlob).where(MeshBlob.hash.not_in(used))).rowcount
