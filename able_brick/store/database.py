"""Opening a project file: one owner at a time, durable settings, migrations; sentences where it cannot be opened."""

from __future__ import annotations

import errno
import fcntl
import os
import shutil
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any, Final

from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.exc import DatabaseError

from able_brick.core.errors import ClosedError, StorageError
from able_brick.store import handles, wal_recovery
from able_brick.store.identity import mark_as_ours, name_project, new_id, read_meta, version_of, write_meta
from able_brick.store.making import copy_database, made_beside, sync_folder
from able_brick.store.migrations import HEAD
from able_brick.store.scratch import Scratch

_NO_WRITING: Final = (errno.EACCES, errno.EPERM, errno.EROFS)
#: What tells whether another opening, or an entry that this one does not know, came in between.
_NEWEST: Final = "SELECT (SELECT value FROM meta WHERE key = 'stamp'), (SELECT MAX(id) FROM journal)"
#: Who is going to write waits for others at once, and not when it does.
_AT_ONCE: Final = {"able_brick_writes": True}


class ProjectFile:
    """An open project file: the engine, and the lock on the file that keeps a second server away.

    `project` is the id of the project, `opening` that of this opening of it. `read_only` says why nothing can be
    written, where that is so: then the engine is on a private copy, and the file stays as it is. `notes` are sentences
    that whoever opened it should hear. Raises StorageError.

    The file is used within `reading` and `writing` only. When it is closed, those that have begun come to their end;
    then all connections are closed, and only then the lock is given back. Nothing opens it again by itself.
    """

    def __init__(self, path: Path, *, private: str | None = None) -> None:
        self.notes: list[str] = []
        self.read_only = private
        self.project = self.opening = new_id()
        self._lock = -1
        self._key: handles.FileKey | None = None
        self._scratch: Scratch | None = None
        self._use = threading.Condition()
        self._users = 0
        self._closed = False
        self._newest: tuple[object, ...] | None = None
        with _in_words(path):
            self.path = _plain_file(path)
            if not self.path.exists():
                self._make()
            self._key = handles.claim(self.path)
            try:
                self._take_lock()
                self._engine = self._open()
            except BaseException:
                self._release()
                raise

    # -- using it -

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """A connection to look with. Raises ClosedError where the file has been closed."""
        with self._used(), self._engine.connect() as connection:
            yield connection

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """A transaction: what is written within is in the file whole, or not at all.

        Raises ClosedError where the file has been closed; StorageError where something was written since by anybody
        else, as the change would then build on what is not there any more.
        """
        with self._used(), self._engine.connect().execution_options(**_AT_ONCE) as connection:
            with connection.begin():
                if self._newest is not None and _newest(connection) != self._newest:
                    raise StorageError(
                        f"{self.path.name} was changed by another program while it was open here. Nothing was done; "
                        "save a copy of what you see, and open the file again."
                    )
                yield connection
                newest = None if self._newest is None else _newest(connection)
            self._newest = newest

    @contextmanager
    def _used(self) -> Iterator[None]:
        with self._use:
            if self._closed:
                raise ClosedError(f"{self.path.name} was closed; nothing was done. Open it again to go on with it.")
            self._users += 1
        try:
            yield
        except UnicodeDecodeError as error:
            raise StorageError(f"{self.path.name} holds what is no text; it is damaged.") from error
        finally:
            with self._use:
                self._users -= 1
                self._use.notify_all()

    def copy_to(self, path: Path) -> None:
        """Write a whole copy of the database as it stands."""
        with self._used():
            try:
                copy_database(self._database, path)
            except sqlite3.Error as error:
                path.unlink(missing_ok=True)
                raise StorageError(f"{path.name} could not be written ({error}). Make room and try again.") from error

    def close(self) -> None:
        """Close it when the last use has ended: first all connections, then the lock."""
        with self._use:
            self._closed = True
            while self._users:
                self._use.wait()
        self._engine.dispose()
        self._release()

    def _release(self) -> None:
        if self._lock >= 0:
            # only now: closing any handle of the file takes away the locks that the database holds in this process.
            # unlocked explicitly: a child between fork and exec still shares the descriptor, and with it the lock
            fcntl.flock(self._lock, fcntl.LOCK_UN)
            os.close(self._lock)
            self._lock = -1
        if self._key is not None:
            handles.release(self._key)
            self._key = None
        if self._scratch is not None:
            self._scratch.close()

    # -- opening it -

    def settled(self, keep_as_backup: Callable[[Path, str], bool]) -> None:
        """The project has opened well: from now on it is written to. A copy from before an upgrade, which lies beside
        it, goes to the backups of the project with that id; where that fails it stays where it is."""
        if self.read_only is None:
            with _in_words(self.path):
                with self._engine.begin() as connection:
                    self.project = name_project(connection)
                self.opening = _stamp(self._engine)
                with self._engine.connect() as connection:
                    self._newest = _newest(connection)
            kept = kept_copy(self.path)
            if kept.exists() and not keep_as_backup(kept, self.project):
                self.notes.append(f"{kept.name} is the project from before it was upgraded; it can be deleted.")

    @property
    def _database(self) -> Path:
        """Where the database lies: in the file, or in a private copy of it."""
        return self.path if self._scratch is None else self._scratch.folder / "project.db"

    def _make(self) -> None:
        """Make a new project beside its place, and put it there when it is whole."""
        self.path.parent.mkdir(parents=True, exist_ok=True)

        def make(half: Path) -> None:
            engine = self._connected(half)
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
            raise StorageError(f"{self.path} is already open in another Able Brick; close that one first.") from error

    def _open(self) -> Engine:
        # an empty file becomes a project
        if self.path.stat().st_size > 0 and not _is_database(self.path):
            raise StorageError(f"{self.path} is not a project file of Able Brick: it is not a database.")
        other = wal_recovery.last_name(self.path)
        if other is not None:
            raise StorageError(
                f"{self.path.name} has another name, {other.name}, under which it was open last and was not closed. "
                "Open it under that name once, then under any."
            )
        if wal_recovery.holds_changes(self.path) and not wal_recovery.belongs(self.path):
            if self.read_only is None:
                self.notes.append(wal_recovery.quarantine_log(self.path))
            else:
                raise StorageError(
                    f"Beside {self.path.name} lie changes of another file ({wal_recovery.log_of(self.path).name}), and "
                    "nothing can be written there. Copy the file alone to another folder and open it there."
                )
        if self.read_only is None:
            return self._opened(self.path)
        self._scratch = Scratch()
        copy = self._database
        shutil.copyfile(self.path, copy)
        if wal_recovery.holds_changes(self.path):
            shutil.copyfile(wal_recovery.log_of(self.path), wal_recovery.log_of(copy))
        version = version_of(copy, self.path)
        engine = self._connected(copy)
        try:
            if version != HEAD:
                _migrate(engine)
            with engine.begin() as connection:
                self.project = name_project(connection)
        except BaseException:
            engine.dispose()
            raise
        return engine

    def _opened(self, path: Path) -> Engine:
        version = version_of(path)
        engine = self._connected(path)
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

    def _connected(self, path: Path) -> Engine:
        """An engine whose connections lead to this very file: not to another one that has its name now, and to none
        when it has been closed."""
        key = handles.key_of(path) if path.exists() else None
        uri = f"{path.absolute().as_uri()}?mode={'rwc' if key is None else 'rw'}"

        def connect() -> sqlite3.Connection:
            if self._closed:
                raise ClosedError(f"{self.path.name} was closed; nothing was done. Open it again to go on with it.")
            if key is not None:
                with suppress(OSError):
                    if handles.key_of(path) == key:
                        return sqlite3.connect(uri, uri=True, check_same_thread=False)
                raise StorageError(
                    f"{self.path} was moved, or replaced by another file, while it was open here. Nothing was done; "
                    "put it back, or start Able Brick again."
                )
            return sqlite3.connect(uri, uri=True, check_same_thread=False)

        engine = create_engine(f"sqlite:///{path}", creator=connect)
        event.listen(engine, "connect", _settings)
        # the driver's own way of beginning commits before every change of a table
        event.listen(engine, "begin", _begun)
        return engine


def _newest(connection: Connection) -> tuple[object, ...]:
    """What the file's newest entry is, and which opening wrote last."""
    # as the driver has it: this is asked twice of every change
    raw: Any = connection.connection.driver_connection
    return tuple(raw.execute(_NEWEST).fetchone())


# -- words -


@contextmanager
def _in_words(path: Path) -> Iterator[None]:
    """Whatever goes wrong with a file while it is opened, as a sentence."""
    try:
        yield
    except OSError as error:
        raise StorageError(f"{path} cannot be opened: {error.strerror or error}.") from error
    except (DatabaseError, sqlite3.Error, UnicodeDecodeError) as error:  # its own names may be no text any more
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


def _settings(connection: Any, _record: object) -> None:
    connection.isolation_level = None
    cursor = connection.cursor()
    for pragma in ("busy_timeout=5000", "journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begun(connection: Connection) -> None:
    """Begin a transaction."""
    writes = bool(connection.get_execution_options().get("able_brick_writes"))
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")


def _migrate(engine: Engine) -> None:
    """Bring the tables to this version, in one transaction."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
        mark_as_ours(connection)
        name_project(connection)


def _absorb(engine: Engine, path: Path) -> None:
    """Take the log into the file, so that it begins anew. A lock that another program holds shows here."""
    with closing(engine.raw_connection()) as connection:
        busy = connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()[0]
        if busy:
            raise StorageError(
                f"{path} is in use by another program, which holds a lock on it. Close it there and try again."
            )


def _stamp(engine: Engine) -> str:
    """Mark the file as opened this time, in the file itself, and let its log begin with the same mark; the mark.

    A crash on the way leaves a log that holds nothing but a mark, and names the mark before.
    """
    with engine.begin() as connection:
        before = wal_recovery.stamp_of(read_meta(connection, wal_recovery.STAMP)).get("now")
        now = new_id()
        write_meta(connection, wal_recovery.STAMP, {"now": now, "before": before})
    with closing(engine.raw_connection()) as raw:
        raw.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()
    with engine.begin() as connection:
        write_meta(connection, wal_recovery.STAMP, {"now": now})
    return now


# -- copies from before an upgrade -


def kept_copy(path: Path) -> Path:
    return path.with_name(f"{path.name}.before-upgrade")


def _keep_copy(path: Path) -> None:
    """Keep the file as it is beside itself, before it is upgraded. An older copy that is still there is the better."""
    kept = kept_copy(path)
    if not kept.exists():
        half = kept.with_name(f".{kept.name}.making")
        copy_database(path, half)
        half.rename(kept)
        sync_folder(path.parent)
