"""By how much lengths grow in what is bent."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.bend import Bent, Division, bent_points

#: Parts of each leg of an item that are looked at, at least.
_LEAST_PARTS = 4
#: Items that are looked at together.
_AT_ONCE = 2000


def largest_growth(found: Bent, items: list[int]) -> float:
    """By how many times two points of a piece come to lie farther apart, at most, where some of its items are bent.

    From how the box round the piece is bent, part by part: the largest row sum of JᵀJ bounds the square of how much J
    makes anything longer (Gershgorin), with columns along the path, to the side and up.
    """
    by_division: dict[Division, list[int]] = {}
    for k in items:
        by_division.setdefault(found.division(k), []).append(k)
    most = 0.0
    for division, alike in by_division.items():
        for first in range(0, len(alike), _AT_ONCE):
            most = max(most, _growth(found, division, alike[first : first + _AT_ONCE]))
    return most


def _growth(found: Bent, division: Division, items: list[int]) -> float:
    stops = np.unique(np.concatenate([np.linspace(a, b, max(parts, _LEAST_PARTS) + 1) for a, b, parts in division]))
    stops = stops[np.append(True, np.diff(stops) > 1e-9 * found.box.length)]
    lines = found.box.corners
    lattice = np.empty((len(stops), 4, 3))
    lattice[:, :, 0], lattice[:, :, 1:] = stops[:, None], lines
    world = bent_points(found, lattice.reshape(-1, 3), items).reshape(len(items), len(stops), 4, 3)
    along = np.diff(world, axis=1) / np.diff(stops)[:, None, None]
    width, height = lines[2] - lines[0]
    side = _each(world[:, :, [1, 2]] - world[:, :, [0, 3]], width)[:, :, [0, 0, 1, 1]]
    up = _each(world[:, :, [3, 2]] - world[:, :, [0, 1]], height)[:, :, [0, 1, 1, 0]]
    most = 0.0
    for at in (slice(None, -1), slice(1, None)):
        jacobian = np.stack([along, side[:, at], up[:, at]], axis=-2)
        products = np.abs(jacobian @ np.swapaxes(jacobian, -1, -2))
        most = max(most, float(products.sum(axis=-1).max(initial=0.0)))
    return float(np.sqrt(most))


def _each(across: Floats, long: float) -> Floats:
    """For each metre; a piece without a width has nothing that could grow there."""
    return across / long if long > 0 else np.zeros_like(across)
