"""Telling the corners of each vertex apart by how they look, compiled."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Indices, Ints

#: With more looks at one vertex than this, lists take too long.
_LONG_FAN = 64


@kernel
def leaders(vertices: int, group: Indices, corners: Indices, normal: npt.NDArray[np.uint32]) -> Ints:
    """For groups of corners that each belong to one vertex: the first group (G) of the vertex that has their normal.

    group (C) int32 counted in order of first corner, corners (C) of `vertices` vertices, normal (G,3) as bits. Returns
    (G) int32, empty when a vertex has too many to compare.
    """
    count = len(normal)
    vertex = np.empty(count, np.int32)
    for c in range(len(corners)):
        vertex[group[c]] = corners[c]
    head = np.full(vertices, -1, np.int32)
    after = np.full(count, -1, np.int32)
    lead = np.empty(count, np.int32)
    for g in range(count):
        k, last, length = head[vertex[g]], -1, 0
        while k >= 0 and (normal[k, 0] != normal[g, 0] or normal[k, 1] != normal[g, 1] or normal[k, 2] != normal[g, 2]):
            last = k
            k = after[k]
            length += 1
        if length > _LONG_FAN:
            return lead[:0]
        if k < 0:
            if last < 0:
                head[vertex[g]] = g
            else:
                after[last] = g
            k = g
        lead[g] = k
    return lead


@kernel
def split_by_shading(
    corners: Indices, vertices: int, group: Indices, material: Indices, rows: npt.NDArray[np.uint32]
) -> tuple[Ints, Ints]:
    """Distinct looks of the corners of each vertex: numbered by vertex, then by first corner.

    corners (C) of `vertices` vertices; group (C), material (C) and rows (C,k) of bits are the look. Returns the number
    of each corner (C) and the first corner of each number (H), int32, both empty when a vertex has too many looks to
    compare.
    """
    n, width = len(corners), rows.shape[1]
    head = np.full(vertices, -1, np.int32)
    after = np.empty(n, np.int32)
    first = np.empty(n, np.int32)
    number = np.empty(n, np.int32)
    looks = np.zeros(vertices + 1, np.int32)
    count = 0
    for c in range(n):
        v = corners[c]
        k, last, length = head[v], -1, 0
        while k >= 0:
            d = first[k]
            same = group[c] == group[d] and material[c] == material[d]
            for i in range(width):
                same = same and rows[c, i] == rows[d, i]
            if same:
                break
            last = k
            k = after[k]
            length += 1
        if length > _LONG_FAN:
            return number[:0], first[:0]
        if k < 0:
            k = count
            first[k] = c
            after[k] = -1
            looks[v + 1] += 1
            if last < 0:
                head[v] = k
            else:
                after[last] = k
            count += 1
        number[c] = k
    for v in range(vertices):
        looks[v + 1] += looks[v]
    rank = np.empty(count, np.int32)
    ordered = np.empty(count, np.int32)
    for k in range(count):
        v = corners[first[k]]
        rank[k] = looks[v]
        ordered[looks[v]] = first[k]
        looks[v] += 1
    for c in range(n):
        number[c] = rank[number[c]]
    return number, ordered
