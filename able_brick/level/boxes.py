"""Boxes round what stands in the level, along the world's axes."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.mesh.polymesh import Floats
from able_brick.level.evaluate import box_about_pivot, item_poses, path_curve
from able_brick.level.rows import Group, Measure, Path
from able_brick.level.snapshot import AThing, Snapshot

_CORNERS = np.array([[k & 1, k >> 1 & 1, k >> 2 & 1] for k in range(8)], np.float64)


def box_of(snapshot: Snapshot, things: Iterable[AThing]) -> tuple[Floats, Floats] | None:
    """Lowest and highest corner (3,) round things, from the boxes of their pieces; None when they show nothing."""
    found: list[Floats] = []
    for thing in things:
        if isinstance(thing, (Group, Measure)):
            continue
        if isinstance(thing, Path):
            found.append(path_curve(thing).drawn())
            continue
        poses = item_poses(snapshot, thing)
        if poses is None or not len(poses):
            continue
        low, high = box_about_pivot(snapshot.pieces[thing.piece])
        corners = low + _CORNERS * (high - low)
        local = (corners[None] * poses.sizes[:, None]).reshape(-1, 3)
        turns = np.repeat(poses.turns, 8, axis=0)
        found.append(Rotation.from_quat(turns).apply(local) + np.repeat(poses.positions, 8, axis=0))
    if not found:
        return None
    points = np.concatenate(found)
    return points.min(axis=0), points.max(axis=0)
