"""Reading ordinary files only: what is a pipe, a device or a folder is refused before anything waits for it."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from able_brick.core.errors import FileError

_AT_ONCE = 2**20


def read_regular(path: Path, most: int) -> bytes:
    """The bytes of an ordinary file, through links. Raises OSError, and FileError for what is none and for more bytes
    than `most`."""
    # without waiting for somebody to write at the other end of a pipe
    handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
    with os.fdopen(handle, "rb") as file:
        info = os.fstat(handle)
        if not stat.S_ISREG(info.st_mode):
            raise FileError(f"{path.name} is no ordinary file: a folder, a pipe or a device cannot be read as a model.")
        if info.st_size > most:
            raise FileError(f"{path.name} has {info.st_size // 2**20} MB; at most {most // 2**20} are read.")
        data = file.read(info.st_size)
        # some files of the system say that they are empty, and never end
        while more := file.read(_AT_ONCE):
            data += more
            if len(data) > most:
                raise FileError(f"{path.name} has more than {most // 2**20} MB; no more are read.")
    return data


def read_beside(folder: Path, name: str, most: int) -> bytes | None:
    """A file that a model names, which lies in the model's folder, resolved, or below it; None where there is none, and
    for what is no ordinary file."""
    found = (folder / name.replace("\\", "/")).resolve()
    if not found.is_relative_to(folder) or not found.is_file():
        return None
    return read_regular(found, most)
