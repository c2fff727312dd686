"""The two passes over an OBJ file, compiled."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from able_brick.core.files.text_kernels import blank, number_at
from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices

#: What can be wrong with a line.
FINE, NO_NUMBER, NO_INDEX, FEW_CORNERS, BEYOND, FEW_NUMBERS = range(6)

#: What a line begins with.
_END, _POINT, _UV, _NORMAL, _FACE, _COMMENT, _OTHER = range(7)


@kernel
def _line(text: npt.NDArray[np.uint8], i: int, end: int) -> tuple[int, int]:
    """Where the next line with something in it begins, and with what."""
    while i < end and (blank(text[i]) or text[i] == 10):
        i += 1
    if i >= end:
        return i, _END
    a = text[i]
    b = text[i + 1] if i + 1 < end else 10
    c = text[i + 2] if i + 2 < end else 10
    if a == 118 and blank(b):
        return i, _POINT
    if a == 118 and b == 116 and blank(c):
        return i, _UV
    if a == 118 and b == 110 and blank(c):
        return i, _NORMAL
    if a == 102 and blank(b):
        return i, _FACE
    return i, _COMMENT if a == 35 else _OTHER


@kernel
def obj_counts(text: npt.NDArray[np.uint8]) -> tuple[int, int, int, int, int, int]:
    """Numbers of v, vt, vn, f, corners, and other lines (directives)."""
    v = vt = vn = f = corners = other = 0
    i = 0
    end = len(text)
    while True:
        i, word = _line(text, i, end)
        if word == _END:
            break
        if word == _POINT:
            v += 1
        elif word == _UV:
            vt += 1
        elif word == _NORMAL:
            vn += 1
        elif word == _FACE:
            f += 1
            i += 1
            inside = False
            while i < end and text[i] != 10 and text[i] != 35:
                if blank(text[i]):
                    inside = False
                elif not inside:
                    inside = True
                    corners += 1
                i += 1
        elif word == _OTHER:
            other += 1
        while i < end and text[i] != 10:
            i += 1
    return v, vt, vn, f, corners, other


@kernel
def _row(text: npt.NDArray[np.uint8], i: int, end: int, out: Floats, least: int) -> tuple[int, int]:
    """Fill `out` with the numbers of a line; how many, and where it went wrong or −1."""
    n = 0
    while True:
        while i < end and blank(text[i]):
            i += 1
        if i >= end or text[i] == 10 or text[i] == 35:
            return n, -1 if n >= least else i
        if n == len(out):
            return n, -1
        value, j = number_at(text, i, end)
        if j < 0 or (j < end and not blank(text[j]) and text[j] != 10):
            return n, i
        out[n] = value
        n += 1
        i = j


@kernel
def _index(text: npt.NDArray[np.uint8], i: int, end: int, count: int) -> Any:
    """The index at i, from 0, and the offset behind it; −1 for no index, −2 out of range. Negative ones count back."""
    back = False
    if i < end and text[i] == 45:
        back = True
        i += 1
    if i >= end or text[i] < 48 or text[i] > 57:
        return np.int64(0), np.int64(-1)
    value = np.int64(0)
    while i < end and 48 <= text[i] <= 57:
        if value < 4000000000:
            value = value * 10 + np.int64(text[i] - 48)
        i += 1
    at = count - value if back else value - 1
    if value == 0 or at < 0:
        return np.int64(0), np.int64(-2)
    return at, np.int64(i)


@kernel
def obj_fill(
    text: npt.NDArray[np.uint8],
    points: Floats,
    colours: Floats,
    uvs: Floats,
    normals: Floats,
    sizes: Indices,
    corner_v: Indices,
    corner_t: Indices,
    corner_n: Indices,
    line_at: Indices,
    line_face: Indices,
) -> tuple[int, int, int]:
    """Fill the arrays; corners without uv or normal get −1. Error code, its offset, how many points have colours."""
    v = vt = vn = f = corner = other = coloured = 0
    i = 0
    end = len(text)
    row = np.empty(7, np.float64)
    while True:
        i, word = _line(text, i, end)
        if word == _END:
            break
        if word in (_POINT, _UV, _NORMAL):
            i += 1 if word == _POINT else 2
            least = 3 if word != _UV else 1
            n, wrong = _row(text, i, end, row, least)
            if wrong >= 0:
                return (NO_NUMBER if n < least and wrong < end and text[wrong] != 10 else FEW_NUMBERS), wrong, coloured
            if word == _UV:
                uvs[vt, 0] = row[0]
                uvs[vt, 1] = row[1] if n > 1 else 0.0
                vt += 1
            elif word == _NORMAL:
                for k in range(3):
                    normals[vn, k] = row[k]
                vn += 1
            else:
                for k in range(3):
                    points[v, k] = row[k]
                if n >= 6:
                    for k in range(3):
                        colours[v, k] = row[n - 3 + k]
                    coloured += 1
                v += 1
        elif word == _FACE:
            i += 1
            n = 0
            while True:
                while i < end and blank(text[i]):
                    i += 1
                if i >= end or text[i] == 10 or text[i] == 35:
                    break
                at, j = _index(text, i, end, v)
                if j < 0:
                    return (BEYOND if j == -2 else NO_INDEX), i, coloured
                corner_v[corner] = at
                corner_t[corner] = -1
                corner_n[corner] = -1
                i = j
                if i < end and text[i] == 47:
                    i += 1
                    if i < end and text[i] != 47 and not blank(text[i]) and text[i] != 10:
                        at, j = _index(text, i, end, vt)
                        if j < 0:
                            return (BEYOND if j == -2 else NO_INDEX), i, coloured
                        corner_t[corner] = at
                        i = j
                    if i < end and text[i] == 47:
                        i += 1
                        if i < end and not blank(text[i]) and text[i] != 10:
                            at, j = _index(text, i, end, vn)
                            if j < 0:
                                return (BEYOND if j == -2 else NO_INDEX), i, coloured
                            corner_n[corner] = at
                            i = j
                if i < end and not blank(text[i]) and text[i] != 10 and text[i] != 35:
                    return NO_INDEX, i, coloured
                n += 1
                corner += 1
            if n < 3:
                return FEW_CORNERS, i, coloured
            sizes[f] = n
            f += 1
        elif word == _OTHER:
            line_at[other] = i
            line_face[other] = f
            other += 1
        while i < end and text[i] != 10:
            i += 1
    return FINE, -1, coloured
