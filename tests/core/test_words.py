"""Numbers as they are told."""

from __future__ import annotations

import pytest

from able_brick.core.text import stretched


@pytest.mark.parametrize(
    ("factor", "told"),
    [
        (1.0, "0 %"),
        (1.0004, "0 %"),
        (0.9996, "0 %"),
        (1.032, "+3.2 %"),
        (0.75, "-25.0 %"),
        (0.0012, "to 0.12 % of the length"),
    ],
)
def test_stretches_are_told_with_their_sign_and_none_as_none(factor: float, told: str) -> None:
    assert stretched(factor) == told
