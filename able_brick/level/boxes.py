"""Boxes round what stands in the level, along the world's axes."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from able_brick.core.mesh.extremes import extreme_points
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.items import reach_of
from able_brick.core.place.pose import about_pivot
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import AThing, Drawable
from able_brick.level.snapshot import Snapshot


def box_of(
    snapshot: Snapshot, things: Iterable[AThing], load: Callable[[str], PolyMesh]
) -> tuple[Floats, Floats] | None:
    """Lowest and highest corner (3,) round things, from their vertices; None when they show nothing."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    rows: dict[tuple[str, str], list[Floats]] = {}
    looks: dict[tuple[str, str], Drawable] = {}
    for thing in things:
        points = thing.drawn()
        if points is not None:
            low, high = np.minimum(low, points.min(axis=0)), np.maximum(high, points.max(axis=0))
            continue
        shown = shown_items(snapshot, thing)
        for batch in () if shown is None else shown.batches:
            key = (batch.drawable.piece.id, "" if batch.drawable.deformer is None else batch.drawable.deformer.key)
            looks[key] = batch.drawable
            rows.setdefault(key, []).append(batch.poses.rows())
    for key, drawable in looks.items():
        local = about_pivot(extreme_points(drawable.mesh(load)), drawable.pivot, drawable.axes)
        lows, highs = reach_of(local, np.concatenate(rows[key]))
        low, high = np.minimum(low, lows), np.maximum(high, highs)
    return (low, high) if np.isfinite(low).all() else None
