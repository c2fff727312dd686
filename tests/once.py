"""Files that several workers want, and that one of them makes."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import pytest


def made_once(
    request: pytest.FixtureRequest, folders: pytest.TempPathFactory, name: str, make: Callable[[Path], None]
) -> Path:
    """A file of that name: the first worker that wants it makes it, the others wait."""
    base = folders.getbasetemp()
    folder = base.parent if hasattr(request.config, "workerinput") else base
    file, lock, failed = folder / name, folder / f"{name}.lock", folder / f"{name}.failed"
    try:
        lock.mkdir()
    except FileExistsError:
        until = time.monotonic() + 400
        while not file.exists() and not failed.exists() and time.monotonic() < until:
            time.sleep(0.2)
        assert file.exists(), f"{name} was not made"
    else:
        try:
            make(folder / f"{name}.half")
        except BaseException:
            failed.touch()  # nobody waits for it any more
            raise
        (folder / f"{name}.half").rename(file)
    return file
