"""Paths on the server's machine that a request names."""

from __future__ import annotations

import os
from pathlib import Path

from able_brick.core.errors import InputError

SUFFIX = ".db"


def path_of(text: str, field: str) -> Path:
    """The path that is named, of a folder or of a file. InputError for what can be no name of one."""
    try:
        if "\0" in text:
            raise ValueError(text)
        path = Path(text).expanduser()
        os.fsencode(path)
    except (RuntimeError, ValueError) as error:  # nobody's home, or what no file system takes
        raise InputError(f"{text[:80]!r} cannot be a path here; give a whole path.", field=field) from error
    return path


def project_path(text: str, *, new: bool) -> Path:
    """The path of a project file that is there, or of a `new` one, in a folder that is there. InputError for another
    one; nothing is opened."""
    path = path_of(text.strip(), "path")
    if not path.is_absolute():
        raise InputError("Give the whole path of the file, from the root on.", field="path")
    try:
        if not new:
            if not path.is_file():
                raise InputError(f"There is no file {path.name} in {path.parent}.", field="path")
            return path
        if path.is_dir():
            raise InputError(f"{path} is a folder; put the name of the new file behind it.", field="path")
        path = path if path.suffix else path.with_name(f"{path.name}{SUFFIX}")
        if not path.parent.is_dir():
            raise InputError(f"There is no folder {path.parent}; make it first, or choose another one.", field="path")
        if path.exists() or path.is_symlink():
            raise InputError(f"{path.name} is there already; open it, or choose another name.", field="path")
    except (OSError, ValueError) as error:
        raise InputError(
            f"{path.name[:80]} cannot be looked at ({error}); choose another path.", field="path"
        ) from error
    return path
