"""How much is tried: by day enough to see what breaks, and all of it in `make test-long`."""

from __future__ import annotations

import os
from typing import Final, TypeVar

T = TypeVar("T")
THOROUGH: Final = "ABLE_BRICK_THOROUGH" in os.environ


def by_day(some: T, every: T) -> T:
    """The first one, or the second one where all is tried."""
    return every if THOROUGH else some
