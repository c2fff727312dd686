"""Opening a project file: one owner at a time, durable settings, migrations; sentences where it cannot be opened."""

from __future__ import annotations

import errno
import fcntl
import glob
import json
import os
import secrets
import shutil
import sqlite3
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any, Final

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import DatabaseError

from able_brick.core.errors import StorageError
from able_brick.store import leftover
from able_brick.store.migrations import HEAD, VERSIONS
from able_brick.store.scratch import Scratch

_OURS: Final = {"meta", "level_state", "row", "journal", "journal_mesh", "mesh"}
#: A file that is being made has been touched within so many seconds.
_YOUNG: Final = 600.0
_NO_WRITING: Final = (errno.EACCES, errno.EPERM, errno.EROFS)


class ProjectFile:
    """An open project file: the engine, and the lock on the file that keeps a second server away.

    `read_only` says why nothing can be written, where that is so: then the engine is on a private copy, and the file
    stays as it is. `notes` are sentences that whoever opened it should hear. Raises StorageError.
    """

    def __init__(self, path: Path, *, private: str | None = None) -> None:
        self.notes: list[str] = []
        self.read_only = private
        self._lock = -1
        self._scratch: Scratch | None = None
        with _in_words(path):
            self.path = _plain_file(path)
            if not self.path.exists():
                self._make()
            self._take_lock()
            try:
                self.engine = self._open()
            except BaseException:
                self._release()
                raise

    def close(self) -> None:
        self.engine.dispose()
        self._release()

    def _release(self) -> None:
        if self._lock >= 0:
            # only now: closing any handle of the file takes away the locks that the database holds in this process
            os.close(self._lock)
            self._lock = -1
        if self._scratch is not None:
            self._scratch.close()

    def settled(self) -> None:
        """The project has opened well: from now on it is written to, and a copy from before an upgrade may go."""
        if self.read_only is None:
            with _in_words(self.path):
                _stamp(self.engine)
            with suppress(OSError):
                _kept_copy(self.path).unlink(missing_ok=True)

    def _make(self) -> None:
        """Make a new project beside its place, and put it there when it is whole."""
        self.path.parent.mkdir(parents=True, exist_ok=True)

        def make(half: Path) -> None:
            engine = _engine(half)
            try:
                _migrate(engine)
                _stamp(engine)
            finally:
                engine.dispose()

        self.notes += made_beside(self.path, f".{self.path.name}.making", make)

    def _take_lock(self) -> None:
        try:
            self._lock = os.open(self.path, os.O_RDWR | os.O_CLOEXEC)
            if not os.access(self.path.parent, os.W_OK):
                self.read_only = self.read_only or f"The folder of {self.path.name} cannot be written to."
        except OSError as error:
            if error.errno not in _NO_WRITING:
                raise
            self._lock = os.open(self.path, os.O_RDONLY | os.O_CLOEXEC)
            self.read_only = self.read_only or f"{self.path.name} cannot be written to ({error.strerror})."
        try:
            # on the file itself, not on a name: links lead to the same lock
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            os.close(self._lock)
            self._lock = -1
            raise StorageError(f"{self.path} is already open in another Able Brick; close that one first.") from error

    def _open(self) -> Engine:
        # an empty file becomes a project
        if self.path.stat().st_size > 0 and not _is_database(self.path):
            raise StorageError(f"{self.path} is not a project file of Able Brick: it is not a database.")
        other = leftover.last_name(self.path)
        if other is not None:
            raise StorageError(
                f"{self.path.name} has another name, {other.name}, under which it was open last and was not closed. "
                "Open it under that name once, then under any."
            )
        if leftover.holds_changes(self.path) and not leftover.belongs(self.path):
            if self.read_only is None:
                self.notes.append(leftover.put_aside(self.path))
            else:
                raise StorageError(
                    f"Beside {self.path.name} lie changes of another file ({leftover.log_of(self.path).name}), and "
                    "nothing can be written there. Copy the file alone to another folder and open it there."
                )
        if self.read_only is None:
            return _opened(self.path)
        self._scratch = Scratch()
        copy = self._scratch.folder / "project.db"
        shutil.copyfile(self.path, copy)
        if leftover.holds_changes(self.path):
            shutil.copyfile(leftover.log_of(self.path), leftover.log_of(copy))
        version = _version(copy, self.path)
        engine = _engine(copy)
        try:
            if version != HEAD:
                _migrate(engine)
        except BaseException:
            engine.dispose()
            raise
        return engine


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
        notes = [leftover.put_aside(path)] if _put_there(half, path) and leftover.holds_changes(path) else []
    finally:
        os.close(mine)
        _remove_all(half)
    _sync_folder(path.parent)
    return notes


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


def _remove_all(half: Path) -> None:
    for left in (half, leftover.log_of(half), half.with_name(f"{half.name}-shm")):
        left.unlink(missing_ok=True)


def _remove_abandoned(half: Path) -> None:
    """Remove a file whose making was cut off: it has not been touched for a while."""
    with suppress(OSError):
        if time.time() - half.stat().st_mtime > _YOUNG:
            _remove_all(half)


def _opened(path: Path) -> Engine:
    version = _version(path)
    engine = _engine(path)
    try:
        _absorb(engine, path)
        if version != HEAD:
            if version is not None:
                _keep_copy(path)
            _migrate(engine)
    except BaseException:
        engine.dispose()
        raise
    return engine


# -- words -


@contextmanager
def _in_words(path: Path) -> Iterator[None]:
    """Whatever goes wrong with a file while it is opened, as a sentence."""
    try:
        yield
    except OSError as error:
        raise StorageError(f"{path} cannot be opened: {error.strerror or error}.") from error
    except (DatabaseError, sqlite3.Error) as error:
        cause = getattr(error, "orig", None) or error
        raise StorageError(_sentence(path, str(cause))) from error


def _sentence(path: Path, cause: str) -> str:
    if "locked" in cause:
        return f"{path} is in use by another program, which holds a lock on it. Close it there and try again."
    if "full" in cause:
        return f"{path} cannot be opened: the disk is full. Make room and try again."
    if "not a database" in cause or "malformed" in cause:
        return f"{path} is not a project file of Able Brick, or is damaged: {cause}."
    return f"{path} cannot be opened: {cause}."


def _plain_file(path: Path) -> Path:
    """The file that a path leads to, through links. StorageError for what is no file."""
    if not path.name:
        raise StorageError("No file name is given. Give the name of a project file, such as project.db.")
    if path.is_dir():
        raise StorageError(f"{path} is a folder; give the name of a project file in it, such as {path / 'project.db'}.")
    if path.exists() and not path.is_file():
        raise StorageError(f"{path} is not an ordinary file but a device or a pipe; give the name of a project file.")
    try:
        return path.resolve()
    except RuntimeError as error:  # links that lead in a circle
        raise StorageError(f"{path} is a link that leads to itself.") from error


def _is_database(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(16) == b"SQLite format 3\0"


# -- the database -


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}")
    event.listen(engine, "connect", _settings)
    # the driver's own way of beginning commits before every change of a table
    event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN"))
    return engine


def _settings(connection: Any, _record: object) -> None:
    connection.isolation_level = None
    cursor = connection.cursor()
    for pragma in ("busy_timeout=5000", "journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _version(path: Path, told: Path | None = None) -> str | None:
    """The version of the tables; None for an empty file, and for one whose making was cut off. Changes nothing.

    Raises StorageError for tables of another program, or of a newer Able Brick; `told` is the file that is named then.
    """
    with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True, timeout=5)) as connection:
        names = {str(r[0]) for r in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        row = None
        if "alembic_version" in names:
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    version = None if row is None else str(row[0])
    if names and not names & _OURS:
        raise StorageError(f"{told or path} is not a project file of Able Brick: it is a database of another program.")
    if version is not None and version not in VERSIONS:
        raise StorageError(
            f"{told or path} was made by a newer Able Brick (its version is {version}, this one knows up to {HEAD}). "
            "Open it with that one; nothing in it was changed."
        )
    return version


def _migrate(engine: Engine) -> None:
    """Bring the tables to this version, in one transaction."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _absorb(engine: Engine, path: Path) -> None:
    """Take the log into the file, so that it begins anew. A lock that another program holds is told here."""
    with closing(engine.raw_connection()) as connection:
        busy = connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()[0]
        if busy:
            raise StorageError(
                f"{path} is in use by another program, which holds a lock on it. Close it there and try again."
            )


def _stamp(engine: Engine) -> None:
    """Mark the file as opened this time, in the file itself, and let its log begin with the same mark.

    A crash on the way leaves a log that holds nothing but a mark, and names the mark before.
    """
    with engine.begin() as connection:
        old = connection.execute(text("SELECT value FROM meta WHERE key = :k"), {"k": leftover.STAMP}).scalar()
        before = json.loads(old).get("now") if old else None
        now = secrets.token_hex(12)
        _write_stamp(connection, {"now": now, "before": before})
    with closing(engine.raw_connection()) as raw:
        raw.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()
    with engine.begin() as connection:
        _write_stamp(connection, {"now": now})


def _write_stamp(connection: Connection, stamp: dict[str, str | None]) -> None:
    connection.execute(
        text("INSERT INTO meta (key, value) VALUES (:k, :v) ON CONFLICT (key) DO UPDATE SET value = :v"),
        {"k": leftover.STAMP, "v": json.dumps(stamp)},
    )


# -- copies -


def _kept_copy(path: Path) -> Path:
    return path.with_name(f"{path.name}.before-upgrade")


def _keep_copy(path: Path) -> None:
    """Keep the file as it is beside itself, before it is upgraded. An older copy that is still there is the better."""
    kept = _kept_copy(path)
    if not kept.exists():
        half = kept.with_name(f".{kept.name}.making")
        copy_database(path, half)
        half.rename(kept)
        _sync_folder(path.parent)


def copy_database(path: Path, to: Path) -> None:
    """A whole copy of a database as it stands, its log included; it may be in use."""
    to.unlink(missing_ok=True)
    with closing(sqlite3.connect(path)) as source, closing(sqlite3.connect(to)) as target:
        source.backup(target)
    with to.open("rb") as file:
        os.fsync(file.fileno())


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
