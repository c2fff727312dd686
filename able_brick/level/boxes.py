"""Boxes round what stands in the level, along the world's axes."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from able_brick.core.late import Rotation
from able_brick.core.mesh.extremes import extreme_points
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pose import about_pivot
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import Look
from able_brick.level.snapshot import Snapshot
from able_brick.level.things import AThing

_AT_ONCE = 500_000


def box_of(
    snapshot: Snapshot, things: Iterable[AThing], load: Callable[[str], PolyMesh]
) -> tuple[Floats, Floats] | None:
    """Lowest and highest corner (3,) round things, from their vertices; None when they show nothing."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    rows: dict[tuple[str, str], list[Floats]] = {}
    looks: dict[tuple[str, str], Look] = {}
    for thing in things:
        points = thing.drawn()
        if points is not None:
            low, high = np.minimum(low, points.min(axis=0)), np.maximum(high, points.max(axis=0))
            continue
        shown = shown_items(snapshot, thing)
        for batch in () if shown is None else shown.batches:
            key = (batch.look.piece.id, "" if batch.look.form is None else batch.look.form.key)
            looks[key] = batch.look
            rows.setdefault(key, []).append(batch.poses.rows())
    for key, look in looks.items():
        local = about_pivot(extreme_points(look.mesh(load)), look.pivot, look.axes)
        every = np.concatenate(rows[key])
        for part in np.array_split(every, max(1, len(every) * len(local) // _AT_ONCE)):
            turn = Rotation.from_quat(part[:, 3:7]).as_matrix()
            points = np.einsum("nij,nhj->nhi", turn, local * part[:, None, 7:]) + part[:, None, :3]
            low = np.minimum(low, points.min(axis=(0, 1), initial=np.inf))
            high = np.maximum(high, points.max(axis=(0, 1), initial=-np.inf))
    return (low, high) if np.isfinite(low).all() else None
