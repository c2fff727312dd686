"""How far two surfaces are apart, measured both ways."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim.tree import Tree, build_tree, nearest_distances
from able_brick.core.threads import side_by_side

#: Points that are measured at one go by one thread.
_PORTION = 8192


@dataclass(frozen=True)
class Deviation:
    """Distance between two surfaces in metres: the larger of both directions' maximum and the RMS of all samples."""

    largest: float
    rms: float


class Measure:
    """A surface that others are measured against: its samples and a tree of its triangles are made once.

    Over area-weighted samples (at least `samples` on each surface) and all vertices, both ways. Distances are exact
    from each sample to the other surface; the maximum is thus a lower bound of the Hausdorff distance. Meshes need
    faces.
    """

    def __init__(self, mesh: PolyMesh, *, samples: int = 20_000, seed: int = 1) -> None:
        self._soup = _soup(mesh)
        self._tree = build_tree(self._soup)
        self._points = _samples(mesh, self._soup, samples, seed)
        self._count, self._seed = samples, seed

    def of(self, other: PolyMesh, *, breathe: Callable[[], None] | None = None) -> Deviation:
        """How far another surface is from this one. `breathe` is called now and then and may raise to cancel."""
        soup = _soup(other)
        there, there_area = _distances(self._points, soup, build_tree(soup), breathe)
        back, back_area = _distances(
            _samples(other, soup, self._count, self._seed + 1), self._soup, self._tree, breathe
        )
        every = np.concatenate([there_area, back_area])
        largest = max(there.max(initial=0.0), back.max(initial=0.0))
        return Deviation(float(largest), float(np.sqrt((every**2).mean())))

    def from_points(self, points: Floats) -> Floats:
        """(n) distances of points (n,3) from this surface, metres."""
        return _from(points, self._soup, self._tree, None)


def deviation(one: PolyMesh, other: PolyMesh, *, samples: int = 20_000, seed: int = 1) -> Deviation:
    """How far two surfaces are apart, as `Measure` measures it."""
    return Measure(one, samples=samples, seed=seed).of(other)


def _soup(mesh: PolyMesh) -> Floats:
    tris, _ = triangulate(mesh)
    out: Floats = mesh.positions[mesh.corners[tris]]
    return out


def _samples(mesh: PolyMesh, soup: Floats, count: int, seed: int) -> tuple[Floats, Floats]:
    """All vertices and samples together, and the area samples alone (the RMS is over area)."""
    rng = np.random.Generator(np.random.PCG64(seed))
    area = np.linalg.norm(np.cross(soup[:, 1] - soup[:, 0], soup[:, 2] - soup[:, 0]), axis=1)
    total = float(area.sum())
    chosen = soup[rng.choice(len(soup), count, p=area / total if total > 0 else None)]
    r = np.sqrt(rng.random((count, 1)))
    s = rng.random((count, 1))
    points = (1 - r) * chosen[:, 0] + r * (1 - s) * chosen[:, 1] + r * s * chosen[:, 2]
    return np.concatenate([mesh.positions, points]), points


def _distances(
    points: tuple[Floats, Floats], soup: Floats, tree: Tree, breathe: Callable[[], None] | None
) -> tuple[Floats, Floats]:
    """From all points, and from those that are spread over the area."""
    every, area = points
    d = _from(every, soup, tree, breathe)
    return d, d[len(every) - len(area) :]


def _from(points: Floats, soup: Floats, tree: Tree, breathe: Callable[[], None] | None) -> Floats:
    order, low, high, child = tree
    sorted_soup = soup[order]
    out = np.empty(len(points))

    def part(first: int) -> None:
        some = points[first : first + _PORTION]
        out[first : first + len(some)] = np.sqrt(nearest_distances(some, sorted_soup, low, high, child))

    for _ in side_by_side(part, range(0, len(points), _PORTION)):
        if breathe is not None:
            breathe()
    return out
