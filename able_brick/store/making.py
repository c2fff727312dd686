"""New files: made beside their place and put there when they are whole; and whole copies of databases."""

from __future__ import annotations

import fcntl
import glob
import os
import secrets
import shutil
import sqlite3
import time
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path
from typing import BinaryIO, Final

from able_brick.store import wal_recovery

#: A file that is being made has been touched within so many seconds.
_YOUNG: Final = 600.0


def made_beside(path: Path, stem: str, make: Callable[[Path], None]) -> list[str]:
    """Make a new file under a name that begins with `stem`, and give it its own when it is whole; sentences to tell.

    Where another program was quicker, its file stays. A log that lies there is no one's, and is put aside: nobody can
    open the file while it is locked here.
    """
    for left in path.parent.glob(f"{glob.escape(stem)}-*"):
        _remove_abandoned(left)
    half = path.with_name(f"{stem}-{secrets.token_hex(4)}")
    mine = os.open(half, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o644)
    try:
        make(half)
        fcntl.flock(mine, fcntl.LOCK_EX | fcntl.LOCK_NB)
        notes = (
            [wal_recovery.quarantine_log(path)] if _put_there(half, path) and wal_recovery.holds_changes(path) else []
        )
    finally:
        fcntl.flock(mine, fcntl.LOCK_UN)  # explicitly: a child between fork and exec may share the descriptor
        os.close(mine)
        remove_all(half)
    sync_folder(path.parent)
    return notes


def put_copy(source: BinaryIO, path: Path) -> None:
    """Copy what is read into a new file, which has its name only once it is whole and on the disk.

    FileExistsError where something has that name; OSError where it cannot be written. Then nothing of it is left.
    """
    half = path.with_name(f".{path.name[:80]}-{secrets.token_hex(4)}")
    try:
        with half.open("xb") as out:
            shutil.copyfileobj(source, out, 1 << 20)
            out.flush()
            os.fsync(out.fileno())
        if not _put_there(half, path):
            raise FileExistsError(path)
    finally:
        half.unlink(missing_ok=True)
    sync_folder(path.parent)


def _put_there(half: Path, path: Path) -> bool:
    """Give a whole file its name. Where another program was quicker, its file is the project."""
    try:
        os.link(half, path)
    except FileExistsError:
        return False
    except OSError:  # a file system without links
        if path.exists():
            return False
        half.rename(path)
    return True


def remove_all(half: Path) -> None:
    """Remove a database with what lies beside it."""
    for left in (half, wal_recovery.log_of(half), half.with_name(f"{half.name}-shm")):
        left.unlink(missing_ok=True)


def _remove_abandoned(half: Path) -> None:
    """Remove a file whose making was cut off: it has not been touched for a while."""
    with suppress(OSError):
        if time.time() - half.stat().st_mtime > _YOUNG:
            remove_all(half)


def copy_database(path: Path, to: Path) -> None:
    """A whole copy of a database as it stands, its log included; it may be in use."""
    to.unlink(missing_ok=True)
    with closing(sqlite3.connect(path)) as source, closing(sqlite3.connect(to)) as target:
        target.execute("PRAGMA journal_mode = OFF")  # what is cut off is thrown away
        source.backup(target)
    with to.open("rb") as file:
        os.fsync(file.fileno())


def sync_folder(folder: Path) -> None:
    """Have the disk know the names in a folder."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
