"""Numbers as words on the screen."""

from __future__ import annotations


def grouped(number: int) -> str:
    """Digits in threes with thin spaces: 12 480."""
    return f"{number:,}".replace(",", "\u202f")


def millimetres(metres: float) -> str:
    """A short length in millimetres, two digits: 0.83 mm."""
    return f"{1000 * metres:.2g} mm" if metres < 1 else f"{1000 * metres:.0f} mm"


def counted(number: int, one: str, many: str) -> str:
    """A number with its noun: 1 copy, 12 copies."""
    return f"{grouped(number)} {one if number == 1 else many}"
