"""Which files this process has open as projects.

Closing any descriptor of a file takes away all locks that the process holds on it (POSIX), those of the database among
them, under whatever name it was opened. So a file that is open is recognised before it is opened once more.
"""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Final

from able_brick.core.errors import StorageError

#: Device and inode.
FileKey = tuple[int, int]
_GUARD: Final = threading.Lock()
_OPEN: Final[dict[FileKey, Path]] = {}


def key_of(path: Path) -> FileKey:
    """What a file is, by whatever name; it is not opened. Raises OSError."""
    info = path.stat()
    return info.st_dev, info.st_ino


def claim(path: Path) -> FileKey:
    """Have this process remember that it opens a file, which must exist. Raises StorageError where it has it open
    already, also under another name, and where one that was under this name before is still open."""
    with _GUARD:
        key = key_of(path)
        other = _OPEN.get(key)
        if other is not None:
            also = "" if other == path else f" as {other}"
            raise StorageError(f"{path} is already open here{also}; close that one first.")
        if path in _OPEN.values():
            raise StorageError(
                f"{path} was replaced by another file while it was open here. Give the new file another name, or "
                "start Able Brick again."
            )
        _OPEN[key] = path
        return key


def release(key: FileKey) -> None:
    """Forget a file that has been closed."""
    with _GUARD:
        _OPEN.pop(key, None)
