"""One number of triangles shared by many parts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, Ints


@dataclass(frozen=True, eq=False)
class BudgetShare:
    """A part that gives triangles: how many it has, how often it stands, how much its errors count, and what it cost
    to come down: (n) triangles left after each collapse, and (n) the largest cost until then (area · distance², m⁴)."""

    triangles: int
    uses: int
    weight: float
    left: Ints
    cost: Floats


def shared(parts: Sequence[BudgetShare], triangles: int) -> list[int]:
    """Triangles for each part, so that all of them, as often as they stand, have at most `triangles`.

    One ordering of errors over all parts: collapses are made as if in one queue, cheapest first, until the sum is
    reached. Linked uses share one mesh, so that what a collapse costs and what it saves grow alike with them. Raises
    GeometryError where even all collapses leave more.
    """
    least = sum(p.uses * (int(p.left[-1]) if len(p.left) else p.triangles) for p in parts)
    total = sum(p.uses * p.triangles for p in parts)
    if triangles >= total:
        return [p.triangles for p in parts]
    if triangles < least:
        raise GeometryError(
            f"{triangles} triangles cannot be reached; borders, seams and form leave at least {least}.",
            received=triangles,
            allowed=least,
        )
    # every collapse of every part in the order of its weighted cost, and within a part as it came
    cost = np.concatenate([np.asarray(p.cost) * p.weight for p in parts])
    owner = np.concatenate([np.full(len(p.left), k, np.int64) for k, p in enumerate(parts)])
    left = np.concatenate([np.asarray(p.left, np.int64) for p in parts])
    before = np.concatenate(
        [np.concatenate([[p.triangles], np.asarray(p.left)[:-1]]) if len(p.left) else np.zeros(0) for p in parts]
    ).astype(np.int64)
    saves = (before - left) * np.array([p.uses for p in parts])[owner]
    order = np.argsort(cost, kind="stable")
    saved = np.cumsum(saves[order])
    needed = total - triangles
    taken = order[: int(np.searchsorted(saved, needed)) + 1]
    out = [p.triangles for p in parts]
    for k in range(len(parts)):
        mine = taken[owner[taken] == k]
        if len(mine):
            out[k] = int(left[mine].min())
    return out
