"""Files that another one names."""

from __future__ import annotations

from collections.abc import Callable

#: Finds a file that another one names; None when it is not there.
Beside = Callable[[str], bytes | None]


def nothing_beside(_name: str) -> bytes | None:
    """No file is there."""
    return None
