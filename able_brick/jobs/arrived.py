"""Files that came from a page, put down as a folder that a batch reads."""

from __future__ import annotations

import shutil
import unicodedata
from collections.abc import Iterable
from errno import ENOSPC
from pathlib import Path, PurePosixPath
from typing import BinaryIO, Final

from able_brick.core.errors import InputError, StorageError

#: As many files are taken out of one request.
MOST_FILES: Final = 1000
_MOST_NAME: Final = 120
_MOST_DEEP: Final = 12


def put_down(files: Iterable[tuple[str, BinaryIO]], folder: Path) -> int:
    """Put files down by their names, which may have folders before them; how many there are.

    Raises InputError for names that are none, or come twice, and StorageError where there is no room.
    """
    seen: set[str] = set()
    for name, stream in files:
        path = _inside(name)
        key = str(path).casefold()
        if key in seen:
            raise InputError(f"Two files are called {path}; give one of them another name.", field="files")
        seen.add(key)
        try:
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            with (folder / path).open("xb") as out:
                shutil.copyfileobj(stream, out, 2**20)
        except OSError as error:
            what = "the disk with the temporary folder is full" if error.errno == ENOSPC else error.strerror
            raise StorageError(f"{path} could not be taken in: {what}. Nothing was done.") from error
    if not seen:
        raise InputError("Give one file or more.", field="files")
    return len(seen)


def _inside(name: str) -> PurePosixPath:
    """The name as a path that stays inside of a folder. Raises InputError."""
    parts = name.replace("\\", "/").split("/")
    sound = len(parts) <= _MOST_DEEP and all(
        0 < len(p.encode("utf-8", "replace")) <= 2 * _MOST_NAME
        and len(p) <= _MOST_NAME
        and p not in (".", "..")
        and not p.startswith(".able-brick")
        and not any(unicodedata.category(c) in ("Cc", "Cs") for c in p)
        for p in parts
    )
    if not sound:
        raise InputError(f"{name[:80]!r} cannot be the name of a file here; give it another.", field="files")
    return PurePosixPath(*parts)
