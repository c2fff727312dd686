"""Reading numbers out of text, compiled. Places are byte offsets; a negative error offset means that all went well."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import inline_kernel, kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats

_TENS = np.array([10.0**k for k in range(309)])


@inline_kernel
def blank(byte):  # type: ignore[no-untyped-def]
    """Space, tab, carriage return, or another control byte that parts words within a line."""
    return byte == 32 or byte == 9 or byte == 13 or byte == 11 or byte == 12 or byte == 0


@kernel
def number_at(text: npt.NDArray[np.uint8], i: int, end: int) -> tuple[float, int]:
    """The decimal number at i, and the offset behind it; the offset is −1 where there is none.

    Correctly rounded to within one unit in the last place of a float64.
    """
    sign = 1.0
    if i < end and (text[i] == 45 or text[i] == 43):
        if text[i] == 45:
            sign = -1.0
        i += 1
    mantissa = np.uint64(0)
    digits = 0
    shift = 0
    seen = False
    while i < end and 48 <= text[i] <= 57:
        seen = True
        if digits < 18:
            mantissa = mantissa * np.uint64(10) + np.uint64(text[i] - 48)
            if mantissa > 0:
                digits += 1
        else:
            shift += 1
        i += 1
    if i < end and text[i] == 46:
        i += 1
        while i < end and 48 <= text[i] <= 57:
            seen = True
            if digits < 18:
                mantissa = mantissa * np.uint64(10) + np.uint64(text[i] - 48)
                if mantissa > 0:
                    digits += 1
                shift -= 1
            i += 1
    if not seen:
        return 0.0, -1
    if i < end and (text[i] == 101 or text[i] == 69):
        j = i + 1
        down = False
        if j < end and (text[j] == 45 or text[j] == 43):
            down = text[j] == 45
            j += 1
        if j >= end or text[j] < 48 or text[j] > 57:
            return 0.0, -1
        power = 0
        while j < end and 48 <= text[j] <= 57:
            if power < 100000:
                power = power * 10 + (text[j] - 48)
            j += 1
        shift += -power if down else power
        i = j
    value = float(mantissa)
    if mantissa != 0 and shift != 0:
        while shift > 308:
            value *= 1e308
            shift -= 308
            if np.isinf(value):
                break
        while shift < -308:
            value /= 1e308
            shift += 308
            if value == 0.0:
                break
        if shift > 308 or shift < -308:
            shift = 0
        value = value * _TENS[shift] if shift >= 0 else value / _TENS[-shift]
    return sign * value, i


@kernel
def all_numbers(text: npt.NDArray[np.uint8], start: int, out: Floats) -> tuple[int, int, int]:
    """Fill `out` with the numbers of a text from `start`, any white space between; how many were found, where it ended,
    and the offset of the first word that is no number."""
    n = 0
    i = start
    end = len(text)
    while n < len(out):
        while i < end and (blank(text[i]) or text[i] == 10):
            i += 1
        if i >= end:
            return n, i, -1
        value, j = number_at(text, i, end)
        if j < 0 or (j < end and not blank(text[j]) and text[j] != 10):
            return n, i, i
        out[n] = value
        n += 1
        i = j
    return n, i, -1
