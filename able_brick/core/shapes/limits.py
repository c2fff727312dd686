"""Ranges in which a shape makes sense."""

from __future__ import annotations

import math
from typing import Final

from able_brick.core.errors import GeometryError

SHORTEST: Final = 1e-4
LONGEST: Final = 1e5


def check_length(name: str, value: float, *, least: float = SHORTEST, most: float = LONGEST) -> float:
    """The length in metres, or GeometryError naming the allowed range."""
    if not math.isfinite(value) or not least <= value <= most:
        raise GeometryError(
            f"{name.capitalize()} is {value:g} m; give {least:g} m to {most:g} m.",
            field=name,
            received=repr(value),
            allowed=[least, most],
        )
    return value


def check_optional(name: str, value: float, *, most: float = LONGEST) -> float:
    """A length that may be 0; what is shorter than any edge may be counts as 0."""
    check_length(name, value, least=0.0, most=most)
    return value if value >= SHORTEST else 0.0


def check_count(name: str, value: int, least: int, most: int) -> int:
    """The whole number, or GeometryError naming the allowed range."""
    if not least <= value <= most:
        raise GeometryError(
            f"{name.capitalize()} is {value}; give {least} to {most}.",
            field=name,
            received=value,
            allowed=[least, most],
        )
    return value
