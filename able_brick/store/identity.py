"""What a project file says of itself: that it is one of ours, which project it is, and by whom it was opened last."""

from __future__ import annotations

import json
import re
import secrets
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any, Final

from sqlalchemy import Connection, text

from able_brick.core.errors import StorageError
from able_brick.store.migrations import HEAD, VERSIONS

#: SQLite's application id of project files ("AbBr"); files of the first versions have none.
APPLICATION: Final = 0x41624272
#: The key of what the file is called in all of its openings: its project.
PROJECT: Final = "project"
#: The tables of the first version, in the order in which it made them, one by one and each at once.
_FIRST: Final = ("meta", "level_state", "row", "journal", "journal_mesh", "mesh")
#: What a table of the first version must have, to be taken for one of ours.
_COLUMNS: Final = {
    "meta": {"key", "value"},
    "level_state": {"level", "revision", "done"},
    "row": {"id", "level", "kind", "mesh", "format", "payload"},
    "journal": {"id", "level", "place", "tool", "params", "selection", "note", "adjustable", "format", "edits"},
    "journal_mesh": {"entry", "mesh"},
    "mesh": {"hash", "format", "data"},
}
_PUT_META: Final = "INSERT INTO meta (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value"
_ID: Final = re.compile(r"[0-9a-f]{12}")


def new_id() -> str:
    """An id for a project, or for one of its openings: twelve hexadecimal digits."""
    return secrets.token_hex(6)


def version_of(path: Path, shown: Path | None = None) -> str | None:
    """The version of the tables; None for an empty file, and for one whose making was cut off. Changes nothing.

    Raises StorageError for a database of another program, or of a newer Able Brick; `shown` is the file that is named
    then.
    """
    name = shown or path
    with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True, timeout=5)) as connection:
        application = int(connection.execute("PRAGMA application_id").fetchone()[0])
        tables = {str(r[0]) for r in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        tables -= {"sqlite_sequence"}
        version = None
        if "alembic_version" in tables:
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
            version = None if row is None else str(row[0])
        if application == APPLICATION:  # given together with the tables; other columns are for the versions to tell
            ours = tables >= {*_FIRST, "alembic_version"}
        else:
            ours = application == 0 and _looks_like_ours(connection, tables, version)
    if not ours:
        raise StorageError(f"{name} is not a project file of Able Brick: it is a database of another program.")
    if version is not None and version not in VERSIONS:
        raise StorageError(
            f"{name} was made by a newer Able Brick (its version is {version}, this one knows up to {HEAD}). "
            "Open it with that one; nothing in it was changed."
        )
    return version


def _looks_like_ours(connection: sqlite3.Connection, tables: set[str], version: str | None) -> bool:
    """Whether a file without an application id is one of the first versions: all of the first tables, or those that
    its making had come to when it was cut off, with our columns and no others beside them."""
    if not tables:
        return True
    if "alembic_version" not in tables:
        return False
    there = [name for name in _FIRST if name in tables]
    for name in there:
        columns = {str(r[1]) for r in connection.execute(f"PRAGMA table_info({name})")}
        if not columns >= _COLUMNS[name]:
            return False
    if version is not None:
        return len(there) == len(_FIRST)
    return tables - {"alembic_version"} == set(_FIRST[: len(there)])


def mark_as_ours(connection: Connection) -> None:
    """Give the file the application id, so that nobody takes it for another program's."""
    connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION}")


# -- facts in the table `meta`, of which every one may be anything in a damaged file -


def read_meta(connection: Connection, key: str) -> Any:
    """A fact of the file, as JSON; None where there is none, or none that can be read."""
    found = connection.execute(text("SELECT value FROM meta WHERE key = :k"), {"k": key}).scalar()
    return meta_value(found)


def meta_value(stored: object) -> Any:
    """What a stored fact says; None for what is no JSON."""
    if not isinstance(stored, str):
        return None
    try:
        return json.loads(stored)
    except (ValueError, RecursionError):
        return None


def write_meta(connection: Connection, key: str, value: Any) -> str:
    """Keep a fact of the file; as it is stored."""
    stored = json.dumps(value)
    connection.exec_driver_sql(_PUT_META, (key, stored))
    return stored


def project_id(connection: Connection) -> str | None:
    """Which project the file is; None where it does not say so."""
    found = read_meta(connection, PROJECT)
    name = found.get("id") if isinstance(found, dict) else None
    return name if isinstance(name, str) and _ID.fullmatch(name) else None


def name_anew(path: Path) -> None:
    """Make a copy of a project file a project of its own."""
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("INSERT OR REPLACE INTO meta (key, value) VALUES (?, ?)", (PROJECT, _named(new_id())))
        connection.commit()


def _named(key: str) -> str:
    return json.dumps({"id": key})


def name_project(connection: Connection) -> str:
    """The id of the project, which is given one where it has none."""
    found = project_id(connection)
    if found is None:
        found = new_id()
        write_meta(connection, PROJECT, {"id": found})
    return found
