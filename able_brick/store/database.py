"""Opening a project file: one owner at a time, durable settings, migrations."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, event
from sqlalchemy.exc import DatabaseError

from able_brick.core.errors import StorageError


class ProjectFile:
    """An open project file: the engine and the lock that keeps a second server away."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._lock = os.open(f"{path}.lock", os.O_RDWR | os.O_CREAT, 0o600)
        except OSError as error:
            raise StorageError(f"{path} cannot be opened: {error.strerror}.") from error
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            os.close(self._lock)
            raise StorageError(f"{path} is already open in another Able Brick; close that one first.") from error
        self.engine = create_engine(f"sqlite:///{path}")
        event.listen(self.engine, "connect", _settings)
        try:
            self._migrate()
        except DatabaseError as error:
            self.close()
            raise StorageError(f"{path} is not a project file of Able Brick, or is damaged: {error.orig}") from error

    def close(self) -> None:
        self.engine.dispose()
        os.close(self._lock)

    def _migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")


def _settings(connection: Any, _record: object) -> None:
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL", "busy_timeout=5000"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()
