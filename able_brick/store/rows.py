"""Reading and writing the rows of a project. Every function works inside the caller's transaction."""

from __future__ import annotations

import json
from binascii import crc32
from collections.abc import Iterable, Sequence
from itertools import pairwise
from operator import itemgetter
from typing import Any, Final

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Connection, delete, select

from able_brick.core.errors import StorageError
from able_brick.core.formats import FormatError
from able_brick.level.formats import row_format, upgraded_row
from able_brick.level.ordering import row_order
from able_brick.level.rows import AnyRow, LevelRow, Piece
from able_brick.level.snapshot import ARow, Edit, Snapshot, level_of
from able_brick.level.texts import Texts
from able_brick.level.things import Things
from able_brick.store.bulk_insert import bulk_insert
from able_brick.store.identity import meta_value, write_meta
from able_brick.store.tables import META, ROW

_ROW: TypeAdapter[ARow] = TypeAdapter(AnyRow)
#: Written out, as computing it anew for each of many rows takes longer than writing them.
_INTO_ROW: Final = '"row" (id, level, kind, mesh, format, payload, crc)'
_OR_ROW: Final = (
    "ON CONFLICT (id) DO UPDATE SET level = excluded.level, kind = excluded.kind, mesh = excluded.mesh, "
    "format = excluded.format, payload = excluded.payload, crc = excluded.crc"
)
#: No number that is given to a row is larger.
_MOST_NUMBER: Final = 10**15
#: A row as it is stored: its payload, the format of that, its kind, and its CRC-32, where it has one.
Stored = Sequence[Any]


class DamagedRowError(StorageError):
    """Rows that are not what was stored."""


def load_snapshot(connection: Connection) -> Snapshot:
    """The whole project from its rows. Raises StorageError for rows of a newer format, and DamagedRowError."""
    rows = connection.execute(select(ROW.c.payload, ROW.c.format, ROW.c.kind, ROW.c.crc)).fetchall()
    counters = connection.execute(select(META.c.value).where(META.c.key == "counters")).scalar()
    return snapshot_of(rows, counters)


def snapshot_of(rows: Iterable[Stored], counters: object, *, broken: list[str] | None = None) -> Snapshot:
    """The project of stored rows, and of the numbers given last per kind.

    Things of a level that has no row get one, so that they are not lost. Raises StorageError for a row that cannot be
    read; where `broken` is given, such a row is left out, and what is wrong with it is put there.
    """
    found: list[ARow] = []
    read = _ROW.validator.validate_json
    for payload, form, kind, crc in rows:
        try:
            if crc is not None and crc32(payload.encode()) != crc:
                raise DamagedRowError("It holds a row whose letters are not those that were stored.")
            if form == row_format(kind):
                found.append(read(payload))
            else:
                found.append(_older(payload, form, kind))
        except (StorageError, ValidationError, AttributeError, TypeError) as error:
            reported = _in_words(error, form)
            if broken is None:
                raise reported from error
            broken.append(str(reported))
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


def _older(payload: str, form: object, kind: object) -> ARow:
    """A row of an earlier version."""
    try:
        value = json.loads(payload)
        if not isinstance(form, int) or not isinstance(kind, str):
            raise FormatError(f"It has format {form}.")
        return _ROW.validate_python(upgraded_row(value, {kind: form}))
    except FormatError as error:
        raise StorageError(f"The file has rows of another format: {error} Use a newer Able Brick.") from error
    except (ValueError, RecursionError, KeyError) as error:
        if isinstance(error, ValidationError):
            raise
        raise DamagedRowError("It holds a row that is no JSON.") from error


def _in_words(error: Exception, form: object) -> StorageError:
    if isinstance(error, StorageError):
        return error
    if isinstance(error, ValidationError):
        where = ", ".join(".".join(str(p) for p in e["loc"]) for e in error.errors()[:3])
        return StorageError(
            f"The file holds a row that this version cannot read ({where}). Another version "
            "of Able Brick made it; nothing in it was changed."
        )
    return DamagedRowError("It holds a row that is no text.")


def _numbers(order: Iterable[tuple[str, int]], counters: object) -> dict[str, int]:
    """The last number of each kind: as it was kept, and never below one that is in use."""
    kept = meta_value(counters)
    out: dict[str, int] = {}
    for kind, number in kept.items() if isinstance(kept, dict) else ():
        if isinstance(number, int) and not isinstance(number, bool) and 0 <= number < _MOST_NUMBER:
            out[kind] = number
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
            text = texts.of(row)
            kept.append((row.id, level_of(row), row.kind, mesh, row_format(row.kind), text, crc32(text.encode())))
    for at in range(0, len(gone), 500):
        connection.execute(delete(ROW).where(ROW.c.id.in_(gone[at : at + 500])))
    bulk_insert(connection, _INTO_ROW, kept, _OR_ROW)
    write_meta(connection, "counters", counters)
