"""The distance that no point of one surface is farther from another one than."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np

from able_brick.core.mesh.polymesh import Floats, Ints
from able_brick.core.slim import bound_kernels as kernels
from able_brick.core.slim.tree import Tree, build_tree
from able_brick.core.threads import side_by_side

#: A bound is at most so many times the largest distance that was met, where few cuts show it.
RATIO: Final = 1.1
#: Share of the larger diagonal below which distances are not distinguished.
_FLOOR: Final = 1e-6
#: Cuts of a triangle, and for each triangle of the other surface by its share of the area, until less is asked for.
_LEAST_CUTS: Final = 400
_CUTS: Final = 40.0
_PORTION: Final = 2048


@dataclass(frozen=True, eq=False)
class Surface:
    """Triangles `tris` (T,3) of `points` (V,3)."""

    points: Floats
    tris: Ints

    @cached_property
    def soup(self) -> Floats:
        """(T,3,3) their corners, in the order of the tree."""
        out: Floats = self.points[self.tris[self.tree[0]]]
        return out

    @cached_property
    def tree(self) -> Tree:
        found: Tree = build_tree(self.points[self.tris])
        return found

    @cached_property
    def beside(self) -> Ints:
        """(T,3) the triangle beyond each edge, in the order of the tree, where it is the only one and lies the same way
        up; else −1."""
        tris = self.tris[self.tree[0]]
        ends = np.stack([tris, np.roll(tris, -1, axis=1)], axis=2).reshape(-1, 2)
        low, high = ends.min(axis=1).astype(np.int64), ends.max(axis=1)
        key = low * len(self.points) + high
        order = np.argsort(key, kind="stable")
        key = key[order]
        starts = np.flatnonzero(np.diff(key, prepend=-1))
        pairs = starts[np.diff(starts, append=len(key)) == 2]
        one, other = order[pairs], order[pairs + 1]
        out = np.full(len(ends), -1, np.int32)
        alike = ends[one, 0] == ends[other, 1]
        out[one[alike]], out[other[alike]] = other[alike] // 3, one[alike] // 3
        return out.reshape(-1, 3)

    @cached_property
    def diagonal(self) -> float:
        used = self.points[self.tris].reshape(-1, 3)
        return float(np.linalg.norm(used.max(axis=0) - used.min(axis=0))) if len(used) else 0.0


@dataclass(frozen=True, eq=False)
class VertexDistances:
    """How far one surface's vertices are from another: distances (V), the nearest triangles (V) of the other in the
    order of its tree, and the largest distance of a vertex that is in use."""

    away: Floats
    nearest: Ints
    largest: float


CancelCheck = Callable[[], None] | None


def vertex_distances(one: Surface, other: Surface, check_cancelled: CancelCheck = None) -> VertexDistances:
    """How far the vertices of one surface are from another."""
    _, low, high, child = other.tree
    points = one.points
    away, nearest = np.empty(len(points)), np.zeros(len(points), np.int32)

    def part(first: int) -> None:
        last = min(first + _PORTION, len(points))
        kernels.nearest_of_all(points, other.soup, low, high, child, first, last, away, nearest)

    for _ in side_by_side(part, range(0, len(points), _PORTION)):
        if check_cancelled is not None:
            check_cancelled()
    return VertexDistances(away, nearest, float(away[one.tris].max(initial=0.0)))


def bound_of(
    one: Surface, other: Surface, seen: VertexDistances, met: float, *, check_cancelled: CancelCheck = None
) -> float:
    """A distance that no point of a surface is farther from another one than, metres.

    It is proven, not sampled: a triangle is cut until each piece of it is covered by the other surface within that
    distance, or lies as near to one triangle of it (branch and bound after Tang, Lee & Kim, *Interactive Hausdorff
    distance computation for general polygonal models*, 2009; what is covered follows from the winding of a border).
    `met` is a distance that some point of either surface is known to have. Within 10 % of the larger of that and the
    true one, where a bounded number of cuts shows it. `check_cancelled` is called now and then and may raise to cancel.
    """
    return max((p[1] for p in _portions(one, other, seen, max(met, seen.largest), 0.0, check_cancelled)), default=0.0)


def proven_within(
    one: Surface, other: Surface, seen: VertexDistances, limit: float, check_cancelled: CancelCheck = None
) -> bool:
    """Whether it is proven that no point of a surface is farther than a limit from another one. It ends with the first
    that is met there."""
    if not limit > 0 or seen.largest > limit:
        return False
    return all(
        p[1] <= limit and p[0] <= limit for p in _portions(one, other, seen, seen.largest, limit, check_cancelled)
    )


def met_beyond(
    one: Surface, other: Surface, seen: VertexDistances, limit: float, check_cancelled: CancelCheck = None
) -> tuple[Ints, bool]:
    """Triangles (k) of a surface of which a point was met beyond a limit from another one, the worst of each portion;
    and whether all else is proven to be within."""
    found = list(_portions(one, other, seen, min(seen.largest, limit), limit, check_cancelled))
    worst = [p[2] for p in found if p[0] > limit]
    return np.array(worst, np.int32), all(p[1] <= limit for p in found if p[0] <= limit)


def _portions(
    one: Surface, other: Surface, seen: VertexDistances, met: float, limit: float, check_cancelled: CancelCheck
) -> Iterator[tuple[float, float, int]]:
    """For some triangles at a time what the kernel says of them; what is within a limit is not distinguished."""
    floor = max(_FLOOR * max(one.diagonal, other.diagonal), limit)
    _, low, high, child = other.tree
    soup, beside = other.soup, other.beside
    side = one.points[one.tris]
    area = np.linalg.norm(np.cross(side[:, 1] - side[:, 0], side[:, 2] - side[:, 0]), axis=1)
    whole = float(area.sum())
    most = (_LEAST_CUTS + _CUTS * len(soup) * (area / whole if whole > 0 else area)).astype(np.int64)

    def part(first: int) -> tuple[float, float, int]:
        last = min(first + _PORTION, len(one.tris))
        found: tuple[float, float, int] = kernels.bound_of(
            one.points,
            one.tris,
            seen.away,
            seen.nearest,
            soup,
            low,
            high,
            child,
            beside,
            met,
            1.0 if limit > 0 else RATIO,  # a limit is held to the letter
            floor,
            most,
            first,
            last,
        )
        return found

    for found in side_by_side(part, range(0, len(one.tris), _PORTION)):
        if check_cancelled is not None:
            check_cancelled()
        yield found
