"""The project files that were opened last on this machine, so that they are found again."""

from __future__ import annotations

import json
import os
import time
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Final

import platformdirs

MOST: Final = 12
_MOST_BYTES: Final = 100_000


@dataclass(frozen=True)
class Recent:
    """A project file, and when it was opened last, seconds since 1970."""

    path: str
    opened: float


def home() -> Path:
    """Where Able Brick keeps what belongs to this machine and to no project."""
    own = os.environ.get("ABLE_BRICK_HOME")
    if own:
        return Path(own)
    return platformdirs.user_data_path("able-brick", appauthor=False)


def recent() -> list[Recent]:
    """The files that are still there, the latest first. What cannot be read counts as none."""
    try:
        list_file = home() / "recent.json"
        if list_file.stat().st_size > _MOST_BYTES:
            return []
        listed = json.loads(list_file.read_text(encoding="utf-8"))
        found = [Recent(str(r["path"]), float(r["opened"])) for r in listed]
    except (OSError, ValueError, TypeError, KeyError, RuntimeError):
        return []
    found.sort(key=lambda r: -r.opened)
    return [r for r in found if _is_file(r.path)][:MOST]


def remember(path: Path) -> None:
    """Put a file first in the list. It is only a help: where it cannot be written, nothing is said."""
    with suppress(OSError, RuntimeError, ValueError):
        mine = Recent(str(path.resolve()), time.time())
        rows = [mine, *(r for r in recent() if r.path != mine.path)][:MOST]
        folder = home()
        folder.mkdir(parents=True, exist_ok=True)
        half = folder / f"recent.json.{os.getpid()}"
        half.write_text(json.dumps([asdict(r) for r in rows], indent=1), encoding="utf-8")
        half.replace(folder / "recent.json")


def _is_file(path: str) -> bool:
    try:
        return Path(path).is_file()
    except (OSError, ValueError):
        return False
