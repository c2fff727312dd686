"""Meshes and pictures by hash: writing them, what belongs to which row, and what belongs to none any more.

What a row has is stated by its kind (`Row.refs`); nothing here knows pieces, rungs or materials. Every function works
inside the caller's transaction.
"""

from __future__ import annotations

from binascii import crc32
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Final

from sqlalchemy import BindParameter, Connection, Table, bindparam, delete, select

from able_brick.core.errors import InputError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows import Row
from able_brick.level.snapshot import ARow, Edit, Snapshot
from able_brick.store.bulk_insert import bulk_insert
from able_brick.store.mesh_codec import encode, format_of
from able_brick.store.tables import JOURNAL_MESH, MESH, TEXTURE

#: Bytes of a mesh that do not wait for others to be written with them.
_LONG: Final = 2**20
_INTO_MESH: Final = "mesh (hash, format, data, crc, rule)"
_SOME: Final[BindParameter[list[str]]] = bindparam("some", expanding=True)
#: Statements that every step runs. Building them takes longer than running them, so they are built once.
_PRESENT: Final = {table.name: select(table.c.hash).where(table.c.hash.in_(_SOME)) for table in (MESH, TEXTURE)}
_IN_JOURNAL: Final = select(JOURNAL_MESH.c.mesh).where(JOURNAL_MESH.c.mesh.in_(_SOME))


def has_refs(kind: type[Row]) -> bool:
    """Whether rows of a kind can have meshes or pictures at all."""
    return kind.refs is not Row.refs


def refs_of_edits(edits: Iterable[Edit]) -> set[str]:
    """Hashes of all that the rows of the edits have or had, before or after."""
    out: set[str] = set()
    bearing: dict[type, bool] = {}
    for edit in edits:
        for row in edit:
            kind = type(row)
            if row is not None and bearing.setdefault(kind, has_refs(kind)):  # type: ignore[arg-type]
                out |= row.refs.every
    return out


def refs_of_rows(rows: Iterable[ARow]) -> set[str]:
    """Hashes of the meshes and pictures that rows have."""
    out: set[str] = set()
    for row in bearing_rows(rows):
        out |= row.refs.meshes | row.refs.pictures
    return out


def bearing_rows(rows: Iterable[ARow]) -> list[ARow]:
    """Those of the rows that can have meshes or pictures."""
    bearing: dict[type, bool] = {}
    return [row for row in rows if bearing.setdefault(type(row), has_refs(type(row)))]


def rows_of(snapshot: Snapshot) -> list[ARow]:
    """Every row of a project."""
    return [
        *snapshot.levels.values(),
        *snapshot.pieces.values(),
        *(thing for things in snapshot.things.values() for thing in things.values()),
    ]


def write_meshes(
    connection: Connection, meshes: Mapping[str, PolyMesh], written: Mapping[str, Path | memoryview]
) -> None:
    """Store meshes that are not in the file yet; `written` are the bytes of those that are ready, or files of them."""
    there = present(connection, MESH, meshes)
    waiting: list[tuple[str, int, bytes | memoryview, int, int]] = []
    for key in sorted(meshes.keys() - there):  # in the order of the table
        ready = written.get(key)
        data = ready.read_bytes() if isinstance(ready, Path) else encode(meshes[key]) if ready is None else ready
        waiting.append((key, format_of(meshes[key]), data, crc32(data), meshes[key].hash_rule))
        if len(data) > _LONG or len(waiting) == 1000:
            bulk_insert(connection, _INTO_MESH, waiting)
            waiting = []
    bulk_insert(connection, _INTO_MESH, waiting)


def check_blobs(connection: Connection, edits: Iterable[Edit], fresh: Mapping[str, PolyMesh]) -> None:
    """InputError where a row would be kept whose mesh or picture is not in the file; those that are `fresh` are."""
    rows = bearing_rows(new for _, new in edits if new is not None)
    there = present(connection, MESH, {k for r in rows for k in r.refs.meshes} - fresh.keys()) | fresh.keys()
    pictures = present(connection, TEXTURE, {k for r in rows for k in r.refs.pictures})
    for row in rows:
        if not row.refs.meshes <= there:
            missing = min(row.refs.meshes - there)
            raise InputError(f"The mesh of {row.name} is not in the project; bring its file in again.", id=missing)
        if not row.refs.pictures <= pictures:
            raise InputError(f"A picture on {row.name} is not in the project; bring its file in again.", id=row.id)


def present(connection: Connection, table: Table, hashes: Iterable[str]) -> set[str]:
    """Which of the hashes the file has."""
    wanted = list(hashes)
    out: set[str] = set()
    for at in range(0, len(wanted), 500):
        some = connection.execute(_PRESENT[table.name], {"some": wanted[at : at + 500]})
        out |= {str(h) for (h,) in some}
    return out


def drop_unused(connection: Connection, rows: Iterable[ARow]) -> None:
    """Delete the meshes and pictures that neither the journal has nor one of the rows, which are all that there are."""
    kept = refs_of_rows(rows)
    for table in (MESH, TEXTURE):
        others = connection.execute(select(table.c.hash).where(table.c.hash.not_in(select(JOURNAL_MESH.c.mesh))))
        _drop(connection, table, {str(h) for (h,) in others} - kept)


def drop_if_unused(connection: Connection, hashes: set[str], rows: Callable[[], Iterable[ARow]]) -> None:
    """The same for a few, which something has had until now; the rows are only asked for where it comes to them."""
    if not hashes:
        return
    held = connection.execute(_IN_JOURNAL, {"some": sorted(hashes)})
    left = hashes - {str(h) for (h,) in held}
    if left:
        gone = left - refs_of_rows(rows())
        for table in (MESH, TEXTURE):
            _drop(connection, table, gone)


def _drop(connection: Connection, table: Table, hashes: set[str]) -> None:
    gone = sorted(hashes)
    for at in range(0, len(gone), 500):
        connection.execute(delete(table).where(table.c.hash.in_(gone[at : at + 500])))
