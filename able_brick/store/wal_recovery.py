"""What a program that was killed left beside a project file: whose changes are in the file's log?

SQLite keeps the last changes in a log beside the file (`-wal`), and applies to whatever stands under the name. A log
that belongs to another file, because the file was replaced or removed meanwhile, is recognised here and put aside.
"""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import tempfile
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from types import NoneType
from typing import Final

#: A log of this length or less holds no change.
_HEADER: Final = 32
STAMP: Final = "stamp"


@dataclass(frozen=True)
class _Reading:
    """What is seen of a project in one way of reading it: whether it is whole, and its stamp."""

    whole: bool
    stamp: dict[str, str | None] | None


def stamp_of(fact: object) -> dict[str, str | None]:
    """A stamp as it was read: the mark of the last opening, and that of the one before, each as far as it can be."""
    fields = fact if isinstance(fact, dict) else {}
    return {k: v for k in ("now", "before") if k in fields and isinstance(v := fields[k], (str, NoneType))}


def log_of(path: Path) -> Path:
    return path.with_name(f"{path.name}-wal")


def holds_changes(path: Path) -> bool:
    """Whether a log with changes lies beside a file, or where one was."""
    with suppress(OSError):
        return log_of(path).stat().st_size > _HEADER
    return False


def quarantine_log(path: Path) -> str:
    """Give the log beside a file another name, under which nothing applies it; a sentence that tells it."""
    log = log_of(path)
    number = 1
    while (parked := log.with_name(f"{log.name}.aside-{number}")).exists():
        number += 1
    log.rename(parked)
    path.with_name(f"{path.name}-shm").unlink(missing_ok=True)
    return f"Beside {path.name} lay changes that belong to another file; they were put aside as {parked.name}."


def belongs(path: Path) -> bool:
    """Whether the log beside a file was written for this file. Where nothing speaks against it, it was."""
    alone = _read(f"{path.absolute().as_uri()}?immutable=1")
    with tempfile.TemporaryDirectory(prefix="able-brick-look-") as folder:
        copy = Path(folder) / "project.db"
        shutil.copyfile(path, copy)
        shutil.copyfile(log_of(path), log_of(copy))
        both = _read(copy.absolute().as_uri())
    if both.stamp is not None and alone.stamp is not None:
        return alone.stamp.get("now") in (both.stamp.get("now"), both.stamp.get("before"))
    if both.stamp is not None and alone.whole:  # a file without a stamp: only the very first can follow
        return "before" in both.stamp and both.stamp["before"] is None and both.whole
    return both.whole or not alone.whole


def _read(uri: str) -> _Reading:
    """Read a project without changing it; the stamp from its table, since pages of two files may stand side by side."""
    try:
        with closing(sqlite3.connect(uri, uri=True)) as connection:
            whole = connection.execute("PRAGMA integrity_check(1)").fetchone()[0] == "ok"
            row = None
            if connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'meta'").fetchone():
                row = connection.execute("SELECT value FROM meta NOT INDEXED WHERE key = ?", (STAMP,)).fetchone()
            stamp = None if row is None else stamp_of(json.loads(row[0]))
            return _Reading(whole, stamp if stamp and stamp.get("now") else None)
    except (sqlite3.Error, ValueError, TypeError, RecursionError):
        return _Reading(False, None)


def last_name(path: Path) -> Path | None:
    """Another name in the same folder of the same file beside which a log with changes lies; None where there is none.

    Changes are looked for beside the name under which a file is opened: under another one they would be missed.
    """
    info = path.stat()
    if info.st_nlink < 2 or holds_changes(path):
        return None
    with os.scandir(path.parent) as entries:
        for entry in entries:
            other = path.parent / entry.name
            if other != path and entry.inode() == info.st_ino and holds_changes(other):
                return other
    return None
