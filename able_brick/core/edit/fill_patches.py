"""Patches that close a loop of points: triangles to a middle, those of the least area, or a grid of quads."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.polymesh import Floats, Ints

#: Corners of a loop of which the triangles of least area are sought, at most: it takes time by the third power.
MOST_FOR_LEAST_AREA: Final = 400
#: Corners of a loop that is filled with a grid, at most.
MOST_FOR_GRID: Final = 2000


@dataclass(frozen=True, eq=False)
class Patch:
    """Faces (m,k) over a loop of n points, numbered as these are and then the `points` (p,3) inside, which have shares
    (p,w) of what the points of the loop `of` (p,w) have."""

    faces: Ints
    points: Floats
    of: Ints
    shares: Floats


def fan(loop: Floats) -> Patch:
    """Triangles from each side of a loop (n,3) to its middle."""
    n = len(loop)
    k = np.arange(n)
    faces = np.stack([k, (k + 1) % n, np.full(n, n)], axis=1).astype(np.int32)
    return Patch(faces, loop.mean(axis=0)[None], k[None].astype(np.int32), np.full((1, n), 1.0 / n))


def least_area(loop: Floats) -> Patch:
    """The triangles between the points of a loop (n,3) that have the least area together.

    G. Barequet, M. Sharir, Filling gaps in the boundary of a polyhedron, 1995. Raises GeometryError for more points
    than that is quick for.
    """
    n = len(loop)
    if n > MOST_FOR_LEAST_AREA:
        raise GeometryError(
            f"A border of {n} edges is too long for triangles of least area; {MOST_FOR_LEAST_AREA} are allowed. Take "
            "one face or a fan.",
            received=n,
            allowed=MOST_FOR_LEAST_AREA,
        )
    best = np.zeros((n, n))
    tip = np.zeros((n, n), np.int32)
    for width in range(2, n):
        first = np.arange(n - width)
        last = first + width
        # of each span the point between its ends that gives the least
        middle = first[:, None] + np.arange(1, width)[None]
        a, b, c = loop[first][:, None], loop[middle], loop[last][:, None]
        total = best[first[:, None], middle] + best[middle, last[:, None]] + _cost(a, b, c)
        chosen = np.argmin(total, axis=1)
        best[first, last] = total[np.arange(len(first)), chosen]
        tip[first, last] = middle[np.arange(len(first)), chosen]
    faces: list[tuple[int, int, int]] = []
    waiting = [(0, n - 1)]
    while waiting:
        i, k = waiting.pop()
        if k - i < 2:
            continue
        j = int(tip[i, k])
        faces.append((i, j, k))
        waiting += [(j, k), (i, j)]
    return Patch(np.array(faces, np.int32), np.zeros((0, 3)), np.zeros((0, 1), np.int32), np.zeros((0, 1)))


def _cost(a: Floats, b: Floats, c: Floats) -> Floats:
    """The areas of triangles of points (…,3); of equal ones those with shorter sides, and none without area."""
    sides = [((q - p) ** 2).sum(axis=-1) for p, q in ((a, b), (b, c), (c, a))]
    longest = np.maximum(np.maximum(*sides[:2]), sides[2])
    area = np.sqrt((np.cross(b - a, c - a) ** 2).sum(axis=-1)) / 2
    out: Floats = area + 1e-6 * sum(sides) + np.where(area <= 1e-6 * longest, 1e3 * longest, 0.0)
    return out


def grid(loop: Floats) -> Patch:
    """Quads in rows and columns between four sides of a loop (n,3), of which the opposite ones have as many edges; the
    four corners are where the loop turns most, and of a round one evenly apart.

    S. A. Coons, Surfaces for computer-aided design of space forms, 1967. Raises GeometryError where the number of edges
    is odd or too large.
    """
    n = len(loop)
    if n % 2 or n > MOST_FOR_GRID:
        why = "even" if n % 2 else f"{MOST_FOR_GRID} at most"
        raise GeometryError(
            f"A border of {n} edges cannot be filled with a grid: their number must be {why}. Take a fan, or triangles "
            "of least area.",
            received=n,
        )
    start, a, b = _corners(loop)
    at = (start + np.arange(n)) % n
    u, v = np.meshgrid(np.arange(a + 1), np.arange(b + 1), indexing="ij")
    inner = (u > 0) & (u < a) & (v > 0) & (v < b)
    number = np.full((a + 1, b + 1), -1, np.int64)
    k = np.arange(n)
    side = np.searchsorted([a, a + b, 2 * a + b], k, side="right")
    row = np.choose(side, [k, a, 2 * a + b - k, 0])
    column = np.choose(side, [0, k - a, b, n - k])
    number[row, column] = at
    number[inner] = n + np.arange(int(inner.sum()))
    i, j = u[inner], v[inner]
    s, t = i / a, j / b
    of = np.stack([number[i, 0], number[i, b], number[0, j], number[a, j]], axis=1)
    weight = np.stack([1 - t, t, 1 - s, s], axis=1)
    corner = number[[0, a, 0, a], [0, 0, b, b]]
    both = np.stack([(1 - s) * (1 - t), s * (1 - t), (1 - s) * t, s * t], axis=1)
    points = (weight[:, :, None] * loop[of]).sum(axis=1) - both @ loop[corner]
    low, high = slice(None, -1), slice(1, None)
    faces = np.stack([number[low, low], number[high, low], number[high, high], number[low, high]], axis=2)
    return Patch(faces.reshape(-1, 4).astype(np.int32), points, of.astype(np.int32), weight / 2)


def _corners(loop: Floats) -> tuple[int, int, int]:
    """Where the first side of a loop begins, and how many edges it and the next one have."""
    n = len(loop)
    ahead = unit(np.roll(loop, -1, axis=0) - loop)
    # 1 where it turns back, 0 where it goes straight on
    turn = (1.0 - (ahead * np.roll(ahead, 1, axis=0)).sum(axis=1)) / 2
    half = n // 2
    opposite = turn[:half] + turn[half:]
    start, a = np.meshgrid(np.arange(half), np.arange(1, half), indexing="ij")
    score = opposite[start] + opposite[(start + a) % half] - 1e-3 * np.abs(a - half / 2) / half
    k = int(np.argmax(np.round(score, 9)))
    first = int(a.ravel()[k])
    return int(start.ravel()[k]), first, half - first
