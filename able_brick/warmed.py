"""Whether the kernels have been compiled on this machine, for this version."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path
from typing import Final

from able_brick.jobs.made_by import program

_PACKAGE: Final = Path(__file__).parent


def _marks() -> list[Path]:
    """Where it is remembered: beside the program, or where that cannot be written to among temporary files."""
    name = "kernels-" + hashlib.blake2b(f"{program()} {version('numba')}".encode(), digest_size=8).hexdigest()
    user = getattr(os, "getuid", lambda: 0)()
    return [_PACKAGE / "__pycache__" / name, Path(tempfile.gettempdir()) / f"able-brick-{user}-{name}"]


def is_warm() -> bool:
    """Whether nobody has to wait for a kernel to be compiled."""
    return any(mark.exists() for mark in _marks())


def remember_warm() -> None:
    """Remember that the kernels are compiled now."""
    for mark in _marks():
        with suppress(OSError):
            mark.parent.mkdir(exist_ok=True)
            for old in mark.parent.glob(f"{mark.name[:-16]}*"):
                old.unlink(missing_ok=True)
            mark.touch()
            return


def warm_once(tell: Callable[[str], None]) -> None:
    """Compile the kernels where that has not been done for this version, and tell how far it is."""
    if is_warm():
        return
    from able_brick.warm import warm_kernels  # it imports most of the core

    tell("Compiling what Able Brick reckons with, once for this version; it takes about a minute …")
    warm_kernels(lambda done, total: tell(f"  {done} of {total} parts are ready"))
    remember_warm()
