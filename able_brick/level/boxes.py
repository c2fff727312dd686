"""Boxes round what stands in the level, along the world's axes."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.mesh.extremes import extreme_points
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pose import about_pivot
from able_brick.level.evaluate import shown_poses
from able_brick.level.rows import Course, LineArray, Placement
from able_brick.level.snapshot import AThing, Snapshot

_AT_ONCE = 500_000


def box_of(
    snapshot: Snapshot, things: Iterable[AThing], load: Callable[[str], PolyMesh]
) -> tuple[Floats, Floats] | None:
    """Lowest and highest corner (3,) round things, from their vertices; None when they show nothing."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    shown: dict[str, list[Floats]] = {}
    for thing in things:
        points = thing.drawn()
        if points is not None:
            low, high = np.minimum(low, points.min(axis=0)), np.maximum(high, points.max(axis=0))
            continue
        poses = shown_poses(snapshot, thing)
        if poses is not None and isinstance(thing, (Placement, LineArray, Course)):
            shown.setdefault(thing.piece, []).append(poses.rows())
    for key, rows in shown.items():
        piece = snapshot.pieces[key]
        local = about_pivot(extreme_points(load(piece.mesh)), piece.pivot, piece.axes)
        every = np.concatenate(rows)
        for part in np.array_split(every, max(1, len(every) * len(local) // _AT_ONCE)):
            turn = Rotation.from_quat(part[:, 3:7]).as_matrix()
            points = np.einsum("nij,nhj->nhi", turn, local * part[:, None, 7:]) + part[:, None, :3]
            low = np.minimum(low, points.min(axis=(0, 1), initial=np.inf))
            high = np.maximum(high, points.max(axis=(0, 1), initial=-np.inf))
    return (low, high) if np.isfinite(low).all() else None
