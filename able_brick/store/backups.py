"""Copies of projects that are kept from day to day, and from before each upgrade."""

from __future__ import annotations

import os
import re
import shutil
import sqlite3
import threading
import time
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from able_brick.core.errors import ClosedError, StorageError, UnknownIdError
from able_brick.store.database import ProjectFile
from able_brick.store.identity import name_anew
from able_brick.store.making import sync_folder
from able_brick.store.recent import home

#: So many copies of a project are kept, and so many bytes of them; the newest always is.
MOST: Final = 10
MOST_BYTES: Final = 2 * 2**30
#: Seconds from one copy to the next.
DAY: Final = 86_400.0
#: Seconds after which it is looked again whether one is due, and those before the first look.
_EVERY: Final = 900.0
_FIRST: Final = 60.0
_NAME: Final = re.compile(r"\d{4}-\d\d-\d\d \d\d-\d\d-\d\d( \d+)?( before an upgrade)?\.db")
#: What changes with every change of a project.
_CONTENT: Final = (
    "SELECT (SELECT MAX(id) FROM journal), (SELECT SUM(revision) FROM level_state), "
    "(SELECT value FROM meta WHERE key = 'counters'), (SELECT group_concat(settings) FROM recipe)"
)
_AT: Final = "%Y-%m-%d %H-%M-%S"


@dataclass(frozen=True)
class Backup:
    """A copy: its file's name, when it was made, seconds since 1970, and its bytes."""

    name: str
    made: float
    bytes: int


def folder_of(project: str) -> Path:
    """Where the copies of a project lie."""
    return home() / "backups" / project


def backups_of(project: str) -> list[Backup]:
    """The copies of a project that are there, the newest first."""
    out = []
    with suppress(OSError):
        for file in folder_of(project).iterdir():
            if _NAME.fullmatch(file.name) and file.is_file() and not file.is_symlink():
                info = file.stat()
                out.append(Backup(file.name, info.st_mtime, info.st_size))
    return sorted(out, key=lambda b: (-b.made, b.name))


def back_up(file: ProjectFile) -> Backup:
    """Copy a project as it stands. Raises StorageError where that cannot be written; then no half of it is left."""
    folder = folder_of(file.project)
    try:
        to = _free(folder, "")
        half = to.with_name(f".{to.name}.{os.getpid()}.making")
        try:
            file.copy_to(half)
            half.rename(to)
        except BaseException:
            for left in (half, half.with_name(f"{half.name}-journal")):
                left.unlink(missing_ok=True)
            raise
        sync_folder(folder)
    except (OSError, StorageError) as error:
        if isinstance(error, ClosedError):
            raise
        why = error.strerror if isinstance(error, OSError) else str(error)
        raise StorageError(f"No backup could be written to {folder}: {why} It is tried again later.") from error
    _make_room(file.project)
    info = to.stat()
    return Backup(to.name, info.st_mtime, info.st_size)


def take_in(kept: Path, project: str) -> bool:
    """Have a copy from before an upgrade among the others, in the place of where it lay; whether that went well."""
    try:
        to = _free(folder_of(project), " before an upgrade")
        half = to.with_name(f".{to.name}.{os.getpid()}.making")
        shutil.copyfile(kept, half)
        with half.open("rb") as file:
            os.fsync(file.fileno())
        half.rename(to)
        sync_folder(to.parent)
        kept.unlink()
    except OSError:
        return False
    _make_room(project)
    return True


def bring_back(project: str, name: str, beside: Path) -> Path:
    """Make a project of its own of a copy, in a new file beside another one. Raises UnknownIdError where there is no
    such copy, StorageError where it cannot be written."""
    if name not in {b.name for b in backups_of(project)}:
        raise UnknownIdError("That backup is not there (any more).", id=name[:80])
    stem = f"{beside.stem} of {name.removesuffix('.db')}"
    try:
        for number in range(1, 1000):
            to = beside.with_name(f"{stem}{'' if number == 1 else f' ({number})'}.db")
            half = to.with_name(f".{to.name}.{os.getpid()}.making")
            if to.exists():
                continue
            try:
                shutil.copyfile(folder_of(project) / name, half)
                name_anew(half)
                os.link(half, to)
            except FileExistsError:
                continue
            finally:
                half.unlink(missing_ok=True)
            sync_folder(to.parent)
            return to
    except OSError as error:
        raise StorageError(f"{name} could not be brought back: {error.strerror}. Nothing was changed.") from error
    raise StorageError(f"There are very many files named {stem} already; move some of them away.")


def _as_in(file: Path) -> tuple[object, ...] | None:
    """What tells whether a copy holds what another one does; None where it cannot be read."""
    with suppress(sqlite3.Error), closing(sqlite3.connect(f"{file.as_uri()}?mode=ro", uri=True)) as connection:
        return tuple(connection.execute(_CONTENT).fetchone())
    return None


def _free(folder: Path, why: str) -> Path:
    """A name for a new copy, under which there is none. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    at = time.strftime(_AT)
    return next(
        path for k in range(1, 10_000) if not (path := folder / f"{at}{'' if k == 1 else f' {k}'}{why}.db").exists()
    )


def _make_room(project: str) -> None:
    """Let the oldest copies go, until few enough are left."""
    held = backups_of(project)
    bytes_held = sum(b.bytes for b in held)
    while len(held) > 1 and (len(held) > MOST or bytes_held > MOST_BYTES):
        oldest = held.pop()
        bytes_held -= oldest.bytes
        with suppress(OSError):
            (folder_of(project) / oldest.name).unlink()
    with suppress(OSError):  # what was cut off
        for half in folder_of(project).glob(".*.making"):
            if time.time() - half.stat().st_mtime > DAY:
                half.unlink()


class DailyBackup:
    """Copies a project once a day, when it has changed, for as long as it is open."""

    def __init__(self, file: ProjectFile) -> None:
        self._file = file
        self._end = threading.Event()
        self.trouble: str | None = None
        self._thread: threading.Thread | None = None

    def begin(self) -> None:
        """Look from time to time whether one is due."""
        if self._file.read_only is None:
            self._thread = threading.Thread(target=self._keep_looking, name="backups", daemon=True)
            self._thread.start()

    def close(self) -> None:
        """Look no more; what has begun is done first."""
        self._end.set()
        if self._thread is not None:
            self._thread.join()

    def look(self) -> Backup | None:
        """Make a copy where one is due: there is none of the last day, and the project has changed since the last."""
        newest = next(iter(backups_of(self._file.project)), None)
        now = time.time()
        if newest is not None and 0 <= now - newest.made < DAY:
            return None
        if newest is not None and _as_in(folder_of(self._file.project) / newest.name) == self._as_now():
            return None
        try:
            made = back_up(self._file)
        except StorageError as error:
            self.trouble = str(error)
            return None
        self.trouble = None
        return made

    def _as_now(self) -> tuple[object, ...] | None:
        with self._file.reading() as connection:
            return tuple(connection.exec_driver_sql(_CONTENT).one())

    def _keep_looking(self) -> None:
        wait = _FIRST
        while not self._end.wait(wait):
            with suppress(StorageError):
                self.look()
            wait = _EVERY
