"""What a result depends on beside the file that it was asked for: other files, and the program itself."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Final

import able_brick
from able_brick.core.files.regular import read_beside

#: The parts of the program that have a hand in what is written for a file.
_PARTS: Final = ("core", "level/recipe.py", "jobs/slim_scene.py", "jobs/slim_file.py", "jobs/naming.py")


@cache
def program() -> str:
    """Names the program as far as it reads, slims and writes files: what another one has written is made again."""
    root = Path(able_brick.__file__).parent
    found = hashlib.blake2b(digest_size=16)
    for part in _PARTS:
        path = root / part
        for file in sorted(path.rglob("*.py")) if path.is_dir() else [path]:
            found.update(str(file.relative_to(root)).encode())
            found.update(file.read_bytes())
    return found.hexdigest()


class Beside:
    """The files beside a model that were asked for while it was read, with what was found there."""

    def __init__(self, folder: Path, most: int) -> None:
        self._folder, self._most = folder, most
        self.found: dict[str, str | None] = {}

    def read(self, name: str) -> bytes | None:
        data = read_beside(self._folder, name, self._most)
        self.found[name] = None if data is None else _digest(data)
        return data


def unchanged(folder: Path, found: Mapping[str, str | None] | None, most: int) -> bool:
    """Whether the files beside a model are those that were found once; not where that is not known."""
    if not isinstance(found, dict):
        return False
    for name, digest in found.items():
        data = read_beside(folder, name, most)
        if digest != (None if data is None else _digest(data)):
            return False
    return True


def _digest(data: bytes) -> str:
    return hashlib.blake2b(data, digest_size=16).hexdigest()
