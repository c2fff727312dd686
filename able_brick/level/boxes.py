"""Boxes round what stands in the level, along the world's axes."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.mesh.polymesh import Floats
from able_brick.level.evaluate import box_about_pivot, path_curve, shown_poses
from able_brick.level.rows import Group, Measure, Path, Piece
from able_brick.level.snapshot import AThing, Snapshot


def item_boxes(poses: Floats, piece: Piece) -> tuple[Floats, Floats]:
    """Lowest and highest corners (N,3) of the boxes round items of a piece, for their pose rows (N,10)."""
    low, high = box_about_pivot(piece)
    centre, half = (low + high) / 2, (high - low) / 2
    turn = Rotation.from_quat(poses[:, 3:7]).as_matrix()
    middle = np.einsum("nij,nj->ni", turn, centre * poses[:, 7:]) + poses[:, :3]
    reach = np.einsum("nij,nj->ni", np.abs(turn), half * np.abs(poses[:, 7:]))
    return middle - reach, middle + reach


def box_of(snapshot: Snapshot, things: Iterable[AThing]) -> tuple[Floats, Floats] | None:
    """Lowest and highest corner (3,) round things, from the boxes of their pieces; None when they show nothing."""
    found: list[Floats] = []
    for thing in things:
        if isinstance(thing, (Group, Measure)):
            continue
        if isinstance(thing, Path):
            found.append(path_curve(thing).drawn())
            continue
        poses = shown_poses(snapshot, thing)
        if poses is None or not len(poses):
            continue
        found += item_boxes(poses.rows(), snapshot.pieces[thing.piece])
    if not found:
        return None
    points = np.concatenate(found)
    return points.min(axis=0), points.max(axis=0)
