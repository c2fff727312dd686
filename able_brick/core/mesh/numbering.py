"""Numbering equal rows and joining what is connected, in linear time."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Indices, Ints

Numbers = npt.NDArray[np.int64]


def number_rows(rows: npt.NDArray[np.uint32]) -> tuple[Numbers, Numbers]:
    """For rows (N,k) of bits: the number of each one's value (N), counted in order of first appearance, and the first
    row of each value (U)."""
    number, first = _numbered(np.ascontiguousarray(rows))
    return number, first


def bits_of(values: npt.NDArray[np.floating]) -> npt.NDArray[np.uint32]:
    """(N,k) bits of numbers as float32, so that equal ones have equal bits; −0 equals 0."""
    return np.ascontiguousarray(values.astype(np.float32) + np.float32(0.0)).view(np.uint32)


@kernel
def _numbered(rows: npt.NDArray[np.uint32]) -> tuple[Numbers, Numbers]:
    n, width = rows.shape
    size = 16
    while size < 2 * n:
        size *= 2
    mask = np.uint64(size - 1)
    table = np.full(size, -1, np.int64)
    number = np.empty(n, np.int64)
    first = np.empty(n, np.int64)
    count = 0
    for i in range(n):
        h = np.uint64(0x9E3779B97F4A7C15)
        for k in range(width):
            h = (h ^ np.uint64(rows[i, k])) * np.uint64(0xBF58476D1CE4E5B9)
            h = h ^ (h >> np.uint64(29))
        slot = (h ^ (h >> np.uint64(32))) & mask
        while True:
            at = table[slot]
            if at < 0:
                table[slot] = count
                first[count] = i
                number[i] = count
                count += 1
                break
            j = first[at]
            same = True
            for k in range(width):
                if rows[j, k] != rows[i, k]:
                    same = False
                    break
            if same:
                number[i] = at
                break
            slot = (slot + np.uint64(1)) & mask
    return number, first[:count].copy()


@kernel
def joined_numbers(n: int, a: Indices, b: Indices) -> tuple[Ints, int]:
    """The part of each of n things when a[i] and b[i] hang together, parts counted in order of their first thing; and
    the number of parts."""
    root = np.arange(n)
    for i in range(len(a)):
        x, y = a[i], b[i]
        while root[x] != x:
            root[x] = root[root[x]]
            x = root[x]
        while root[y] != y:
            root[y] = root[root[y]]
            y = root[y]
        if x < y:
            root[y] = x
        else:
            root[x] = y
    number = np.empty(n, np.int32)
    count = 0
    for i in range(n):
        x = i
        while root[x] != x:
            root[x] = root[root[x]]
            x = root[x]
        if x == i:
            number[i] = count
            count += 1
        else:
            number[i] = number[x]
    return number, count


@kernel
def edge_tables(corners: Indices, following: Indices, vertices: int) -> tuple[Ints, Ints, Ints, Ints]:
    """Unique edges (E,2), lower vertex first and in rising order; the edge of each corner (C); faces on each edge (E);
    the corner on the other side (C) of edges that two faces run along in opposite ways, or −1."""
    n = len(corners)
    start = np.zeros(vertices + 1, np.int64)
    for c in range(n):
        start[min(corners[c], corners[following[c]]) + 1] += 1
    for v in range(vertices):
        start[v + 1] += start[v]
    at = start[:-1].copy()
    order = np.empty(n, np.int32)
    high = np.empty(n, np.int32)
    for c in range(n):
        a, b = corners[c], corners[following[c]]
        low = min(a, b)
        order[at[low]] = c
        high[at[low]] = max(a, b)
        at[low] += 1
    corner_edge = np.empty(n, np.int32)
    uses = np.empty(n, np.int32)
    edges = np.empty((n, 2), np.int32)
    twin = np.full(n, -1, np.int32)
    count = 0
    for v in range(vertices):
        a, b = start[v], start[v + 1]
        if b - a > 24:
            ranks = np.argsort(high[a:b], kind="mergesort")
            order[a:b] = order[a:b][ranks]
            high[a:b] = high[a:b][ranks]
        else:
            for i in range(a + 1, b):  # insertion sort, stable
                h, o = high[i], order[i]
                j = i
                while j > a and high[j - 1] > h:
                    high[j], order[j] = high[j - 1], order[j - 1]
                    j -= 1
                high[j], order[j] = h, o
        i = a
        while i < b:
            j = i
            while j < b and high[j] == high[i]:
                corner_edge[order[j]] = count
                j += 1
            edges[count, 0] = v
            edges[count, 1] = high[i]
            uses[count] = j - i
            if j - i == 2 and corners[order[i]] != corners[order[i + 1]]:
                twin[order[i]] = order[i + 1]
                twin[order[i + 1]] = order[i]
            count += 1
            i = j
    return edges[:count].copy(), corner_edge, uses[:count].copy(), twin


@kernel
def face_parts(starts: Indices, twin: Indices) -> tuple[Ints, int]:
    """The part (F) of each face, where faces hang together through the corners on the other side of theirs (C), counted
    in order of their first face; and the number of parts."""
    n = len(starts) - 1
    face = np.empty(len(twin), np.int32)
    for f in range(n):
        for c in range(starts[f], starts[f + 1]):
            face[c] = f
    part = np.full(n, -1, np.int32)
    waiting = np.empty(n, np.int32)
    count = 0
    for first in range(n):
        if part[first] >= 0:
            continue
        part[first] = count
        waiting[0] = first
        left = 1
        while left:
            left -= 1
            f = waiting[left]
            for c in range(starts[f], starts[f + 1]):
                if twin[c] < 0:
                    continue
                other = face[twin[c]]
                if part[other] < 0:
                    part[other] = count
                    waiting[left] = other
                    left += 1
        count += 1
    return part, count
