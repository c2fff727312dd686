"""How large pieces stand in the levels: what is reported of rungs in metres is meant of the world."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final

import numpy as np

from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.growth import largest_growth
from able_brick.core.place.pose import Vector, vector
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import Instances, Piece, Placement
from able_brick.level.rows.bent import BendDeformer
from able_brick.level.rows.instances import Deformer, MirroredDeformer
from able_brick.level.snapshot import Snapshot

#: A piece as it is.
AS_IT_IS: Final[Vector] = (1.0, 1.0, 1.0)


def largest_size(snapshot: Snapshot, piece: Piece, levels: Iterable[str] | None = None) -> Vector:
    """The largest sizes along the axes of its pivot in which a piece stands anywhere, or in some levels; 1 where it
    stands nowhere.

    Distances in the world are at most those after these sizes: along each axis that of the largest item decides. In
    bent items they grow by as much as the bend makes anything longer.
    """
    largest = np.zeros(3)
    for level in snapshot.things if levels is None else levels:
        things = snapshot.of(level)
        single = []
        for thing in things.users(piece.id):
            if type(thing) is Placement and not things.repeats(thing.id):
                single.append(thing.size)
                continue
            shown = shown_items(snapshot, thing)
            if shown is not None:
                largest = np.maximum(largest, _sizes(shown, piece.id))
        if single:
            largest = np.maximum(largest, np.abs(np.array(single)).max(axis=0))
    return vector(largest) if largest.any() else AS_IT_IS


def _sizes(shown: Instances, piece: str) -> Floats:
    """(3) the largest sizes of the items of a thing that show a piece."""
    largest = np.zeros(3)
    bent: dict[int, list[BendDeformer]] = {}
    sized: dict[int, float] = {}
    for batch in shown.batches:
        if batch.drawable.piece.id != piece:
            continue
        sizes = np.abs(batch.poses.sizes).max(axis=0, initial=0.0)
        deformer = _bent(batch.drawable.deformer)
        if deformer is None:
            largest = np.maximum(largest, sizes)
            continue
        key = id(deformer.bent)
        bent.setdefault(key, []).append(deformer)
        sized[key] = max(sized.get(key, 0.0), float(sizes.max()))
    for key, forms in bent.items():
        growth = largest_growth(forms[0].bent, list({f.item for f in forms}))
        largest = np.maximum(largest, growth * sized[key])
    return largest


def _bent(deformer: Deformer | None) -> BendDeformer | None:
    while isinstance(deformer, MirroredDeformer):
        deformer = deformer.deformer
    return deformer if isinstance(deformer, BendDeformer) else None


def metric_of(size: Vector, piece: Piece) -> Floats | None:
    """The matrix (3,3) that brings the points of a piece's mesh to where they lie about its pivot, in a size; None
    where that changes no distance."""
    if size == AS_IT_IS:
        return None
    turn = Rotation.from_quat(piece.axes).as_matrix().T
    out: Floats = np.array(size)[:, None] * turn
    return out


def sized(size: Vector) -> str:
    """For which size something is reported, where that is not the piece's own."""
    if size == AS_IT_IS:
        return ""
    x, y, z = (f"{v:.3g}" for v in size)
    return f", where it stands at × {x}" if x == y == z else f", where it stands at × {x}, {y}, {z}"


def times_larger(size: Vector, than: Vector) -> float:
    """By how many times distances may be larger in one size than in another, at least 1."""
    return max(1.0, *(a / b if b > 0 else 1.0 for a, b in zip(size, than, strict=True)))
