"""Walking over the elements of a PLY body that hold lists, compiled."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices

#: Bytes of the types 0 to 7: int8, uint8, int16, uint16, int32, uint32, float32, float64.
_BYTES = np.array([1, 1, 2, 2, 4, 4, 4, 8])


@kernel
def _whole(data: npt.NDArray[np.uint8], at: int, kind: int, big: bool) -> np.int64:
    size = _BYTES[kind]
    value = np.int64(0)
    for k in range(size):
        byte = np.int64(data[at + k])
        value += byte << (8 * (size - 1 - k) if big else 8 * k)
    if kind % 2 == 0 and value >= np.int64(1) << (8 * size - 1):
        value -= np.int64(1) << (8 * size)
    return value


@kernel
def walk_binary(
    data: npt.NDArray[np.uint8],
    at: int,
    count: int,
    counts: Indices,
    kinds: Indices,
    wanted: int,
    number: int,
    big: bool,
    sizes: Indices,
    values: Indices,
    numbers: Indices,
    fill: bool,
) -> tuple[int, int, int]:
    """Walk over `count` elements whose properties have types `kinds`, lists with count types `counts` (−1: no list).

    The lengths and, when `fill`, the whole numbers of the list `wanted` and the whole number `number` (−1: none) are
    taken. Where it ended, how many values there were, and the element that runs beyond the data, or −1.
    """
    total = 0
    end = len(data)
    for e in range(count):
        for p in range(len(kinds)):
            size = _BYTES[kinds[p]]
            n = 1
            if counts[p] >= 0:
                if at + _BYTES[counts[p]] > end:
                    return at, total, e
                n = int(_whole(data, at, counts[p], big))
                at += _BYTES[counts[p]]
                if n < 0:
                    return at, total, e
            if n > (end - at) // size:
                return at, total, e
            if p == wanted:
                sizes[e] = n
                if fill:
                    for k in range(n):
                        values[total + k] = _whole(data, at + k * size, kinds[p], big)
                total += n
            elif p == number and fill and n == 1:
                numbers[e] = _whole(data, at, kinds[p], big)
            at += n * size
    return at, total, -1


@kernel
def walk_words(
    words: Floats,
    at: int,
    count: int,
    counts: Indices,
    kinds: Indices,
    wanted: int,
    number: int,
    sizes: Indices,
    values: Indices,
    numbers: Indices,
    fill: bool,
) -> tuple[int, int, int]:
    """The same over the words of a text body, which have been read as numbers."""
    total = 0
    end = len(words)
    for e in range(count):
        for p in range(len(kinds)):
            n = 1
            if counts[p] >= 0:
                if at >= end or not 0 <= words[at] <= 1e9 or words[at] != np.floor(words[at]):
                    return at, total, e
                n = int(words[at])
                at += 1
            if n > end - at:
                return at, total, e
            if p == wanted:
                sizes[e] = n
                if fill:
                    for k in range(n):
                        w = words[at + k]
                        values[total + k] = np.int64(w) if -1e15 < w < 1e15 else np.int64(-1)
                total += n
            elif p == number and fill and n == 1:
                w = words[at]
                numbers[e] = np.int64(w) if -1e15 < w < 1e15 else np.int64(-1)
            at += n
    return at, total, -1
