"""Numbers as words on the screen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import ROUND_CEILING, Decimal


def grouped(number: int) -> str:
    """Digits in threes with thin spaces: 12 480."""
    return f"{number:,}".replace(",", "\u202f")


def digits(value: float, count: int = 2) -> str:
    """A number with so many digits that count, written out: 0.0083, 0.83, 220."""
    if not value:
        return "0"
    places = count - 1 - math.floor(math.log10(abs(value)))
    return f"{round(value, places):,.{max(places, 0)}f}".replace(",", "\u202f")


def millimetres(metres: float) -> str:
    """A short length in millimetres: two digits up to 10, then whole ones; metres from 1 m on."""
    if abs(metres) >= 1:
        return f"{metres:.2f} m"
    mm = 1000 * metres
    return f"{digits(mm) if abs(mm) < 10 else f'{mm:.0f}'} mm"


def at_most(metres: float) -> str:
    """A length that nothing is beyond: two digits, rounded up; metres from 1 m on."""
    if not metres:
        return "0 mm"
    by, unit = (1.0, "m") if metres >= 1 else (1000.0, "mm")
    shown = Decimal(metres * by)
    digit = Decimal(1).scaleb(shown.adjusted() - 1)
    return f"{shown.quantize(digit, ROUND_CEILING).normalize():f} {unit}"


def length_of(metres: float) -> str:
    """A length as it is shown: 12.34 m, and millimetres where that would say nothing: 3.4 mm."""
    return f"{metres:.2f} m" if abs(metres) >= 0.1 or not metres else millimetres(metres)


def stretched(factor: float) -> str:
    """By how much something is stretched: +3.2 %, 0 %; 0.12 % of its length where next to nothing is left."""
    if factor < 0.1:
        return f"to {digits(100 * factor)} % of the length"
    shown = f"{100 * (factor - 1):+.1f}"
    return f"{shown} %" if float(shown) else "0 %"


def listed(names: Sequence[str], most: int = 3) -> str:
    """Some names, and how many more there are."""
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def counted(number: int, one: str, plural: str) -> str:
    """A number with its noun: 1 copy, 12 copies."""
    return f"{grouped(number)} {one if number == 1 else plural}"


def clean_name(name: str) -> str:
    """A name of a file, as it is kept."""
    plain = name if name.isprintable() else "".join(c for c in name if c.isprintable())
    return plain[:120].strip()
