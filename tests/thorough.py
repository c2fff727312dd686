"""How much is tried: by day enough to see what breaks, and all of it in `make test-long`."""

from __future__ import annotations

import os
from typing import Final, TypeVar

import pytest

T = TypeVar("T")
THOROUGH: Final = "ABLE_BRICK_THOROUGH" in os.environ
#: Examples of a property by day; in `make test-long` as many as hypothesis has by default.
EXAMPLES: Final = 100 if THOROUGH else 25
#: Marks a test that is too long for every day.
long = pytest.mark.skipif(not THOROUGH, reason="tried by make test-long")


def by_day(some: T, every: T) -> T:
    """The first one, or the second one where all is tried."""
    return every if THOROUGH else some
