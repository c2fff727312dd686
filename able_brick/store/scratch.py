"""Temporary folders that do not outlive their server: what a killed one left is removed by the next."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Final

_PREFIX: Final = "able-brick-"
_LOCK: Final = "in-use"
#: A folder without its lock is somebody's who is just making it, for this long; seconds.
_YOUNG: Final = 60.0


class Scratch:
    """A temporary folder that is locked for as long as it is in use."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix=_PREFIX))
        self._lock = os.open(self.folder / _LOCK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def close(self) -> None:
        """Remove the folder."""
        if self._lock >= 0:
            shutil.rmtree(self.folder, ignore_errors=True)
            os.close(self._lock)
            self._lock = -1


def remove_abandoned() -> int:
    """Remove the folders that killed servers of this user left; how many there were."""
    removed = 0
    with suppress(OSError):
        for folder in Path(tempfile.gettempdir()).glob(f"{_PREFIX}*"):
            with suppress(OSError):
                if folder.is_dir() and not folder.is_symlink() and _abandoned(folder):
                    shutil.rmtree(folder, ignore_errors=True)
                    removed += 1
    return removed


def _abandoned(folder: Path) -> bool:
    info = folder.stat()
    if info.st_uid != os.getuid():
        return False
    lock = folder / _LOCK
    if not lock.exists():
        return time.time() - info.st_mtime > _YOUNG
    handle = os.open(lock, os.O_RDWR | os.O_CLOEXEC)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True
