"""How far two surfaces are apart, measured both ways."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim.bound import (
    CancelCheck,
    Surface,
    VertexDistances,
    bound_of,
    met_beyond,
    proven_within,
    vertex_distances,
)
from able_brick.core.slim.tree import nearest_distances
from able_brick.core.threads import side_by_side

#: Points that are measured at one go by one thread.
_PORTION = 8192
#: By how much two surfaces come to lie apart where their coordinates are written as float32, for each metre of the
#: largest one: half a unit in the last place, along three axes, twice.
_ROUNDED: Final = 2 * 3**0.5 * 2.0**-24


@dataclass(frozen=True)
class Deviation:
    """Distance between two surfaces in metres, both ways: the `largest`, which nothing is beyond; the RMS of samples
    over the area; and the largest that was `met`, which some point has."""

    largest: float
    rms: float
    met: float = 0.0


class Measure:
    """A surface that others are measured against: its samples and a tree of its triangles are made once.

    Distances are those after the `metric` (3,3) has been put to all points: metres of a world that a mesh is sized for.
    The RMS is over area-weighted samples (`samples` on each surface). The largest is proven, see `bound_of`, and what
    float32 rounds off in a file is within it. Meshes need faces.
    """

    def __init__(self, mesh: PolyMesh, *, samples: int = 20_000, seed: int = 1, metric: Floats | None = None) -> None:
        self._metric = metric
        self._mesh = mesh
        self._surface = self._seen(mesh)
        self._points = _samples(self._surface, samples, seed)
        self._count, self._seed = samples, seed

    def _seen(self, mesh: PolyMesh) -> Surface:
        points = mesh.positions if self._metric is None else mesh.positions @ self._metric.T
        return Surface(points, mesh.corners[triangulate(mesh)[0]])

    def of(self, other: PolyMesh, *, within: float = np.inf, check_cancelled: CancelCheck = None) -> Deviation:
        """How far another surface is from this one. `within` is a distance that is known to hold already.
        `check_cancelled` is called now and then and may raise to cancel."""
        if other is self._mesh:
            return Deviation(0.0, 0.0)
        surface = self._seen(other)
        ways, met = self._met(surface, check_cancelled)
        there = _from(self._points, surface, check_cancelled)
        back = _from(_samples(surface, self._count, self._seed + 1), self._surface, check_cancelled)
        every = np.concatenate([there, back])
        met = max(met, float(every.max(initial=0.0)))
        bound = max(bound_of(a, b, seen, met, check_cancelled=check_cancelled) for a, b, seen in ways)
        largest = max(met, min(bound + self._rounded(other), within))
        return Deviation(largest, float(np.sqrt((every**2).mean())), met)

    def keeps(self, other: PolyMesh, limit: float, *, check_cancelled: CancelCheck = None) -> bool:
        """Whether another surface is proven to be within a limit of this one, both ways."""
        if other is self._mesh:
            return True
        surface = self._seen(other)
        limit -= self._rounded(other)
        # most of what is too far shows in a few samples
        few = self._points[:: max(1, len(self._points) // 2000)]
        if not limit > 0 or _from(few, surface, check_cancelled).max(initial=0.0) > limit:
            return False
        ways, met = self._met(surface, check_cancelled)
        return met <= limit and all(proven_within(a, b, seen, limit, check_cancelled) for a, b, seen in ways)

    def beyond(self, other: PolyMesh, limit: float, *, check_cancelled: CancelCheck = None) -> Ints | None:
        """The vertices (k) of this mesh near which another surface was met beyond a limit; none where it is only not
        proven to be within, and None where it is, both ways."""
        if other is self._mesh:
            return None
        own, surface = self._surface, self._seen(other)
        limit -= self._rounded(other)
        ((_, _, there), (_, _, back)), _ = self._met(surface, check_cancelled)
        seen = np.zeros(len(own.points), np.bool_)
        seen[own.tris] = there.away[own.tris] > limit
        mine, sure = met_beyond(own, surface, there, limit, check_cancelled)
        seen[own.tris[mine]] = True
        theirs, sure_back = met_beyond(surface, own, back, limit, check_cancelled)
        used = np.unique(surface.tris)
        far = np.concatenate([used[back.away[used] > limit], surface.tris[theirs].ravel()])
        seen[own.tris[own.tree[0][back.nearest[far]]]] = True
        found = np.flatnonzero(seen).astype(np.int32)
        return None if sure and sure_back and not len(found) else found

    def _met(
        self, other: Surface, check_cancelled: CancelCheck
    ) -> tuple[list[tuple[Surface, Surface, VertexDistances]], float]:
        """Both ways, and the largest distance of a vertex."""
        pairs = ((self._surface, other), (other, self._surface))
        ways = [(a, b, vertex_distances(a, b, check_cancelled)) for a, b in pairs]
        return ways, max(seen.largest for _, _, seen in ways)

    def _rounded(self, other: PolyMesh) -> float:
        """By how much the two come to lie farther apart in a file, at most."""
        reach = max(_rounded_off(self._mesh.positions), _rounded_off(other.positions))
        return _ROUNDED * reach * (1.0 if self._metric is None else float(np.linalg.norm(self._metric, 2)))

    def from_points(self, points: Floats) -> Floats:
        """(n) distances of points (n,3) from this surface, metres."""
        return _from(points, self._surface, None)


def deviation(
    one: PolyMesh, other: PolyMesh, *, samples: int = 20_000, seed: int = 1, metric: Floats | None = None
) -> Deviation:
    """How far two surfaces are apart, as `Measure` measures it."""
    return Measure(one, samples=samples, seed=seed, metric=metric).of(other)


def _rounded_off(points: Floats) -> float:
    """The largest coordinate of points that are not the same in float32; 0 where all are."""
    with np.errstate(over="ignore"):
        same = np.array_equal(points.astype(np.float32), points)
    return 0.0 if same else float(np.abs(points).max(initial=0.0))


def _samples(surface: Surface, count: int, seed: int) -> Floats:
    """Points (count,3) all over the area."""
    soup = surface.points[surface.tris]
    rng = np.random.Generator(np.random.PCG64(seed))
    area = np.linalg.norm(np.cross(soup[:, 1] - soup[:, 0], soup[:, 2] - soup[:, 0]), axis=1)
    total = float(area.sum())
    chosen = soup[rng.choice(len(soup), count, p=area / total if total > 0 else None)]
    r = np.sqrt(rng.random((count, 1)))
    s = rng.random((count, 1))
    out: Floats = (1 - r) * chosen[:, 0] + r * (1 - s) * chosen[:, 1] + r * s * chosen[:, 2]
    return out


def _from(points: Floats, surface: Surface, check_cancelled: CancelCheck) -> Floats:
    _, low, high, child = surface.tree
    out = np.empty(len(points))

    def part(first: int) -> None:
        some = points[first : first + _PORTION]
        out[first : first + len(some)] = np.sqrt(nearest_distances(some, surface.soup, low, high, child))

    for _ in side_by_side(part, range(0, len(points), _PORTION)):
        if check_cancelled is not None:
            check_cancelled()
    return out
