"""Groups that are repeated or mirrored live: what is in them is shown more than once."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from itertools import takewhile

import numpy as np

from able_brick.core.cache import ByteCache
from able_brick.core.errors import StorageError, UnknownIdError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.extremes import extreme_points
from able_brick.core.mesh.polymesh import Bools, Floats, Ints
from able_brick.core.place.copies import check_items
from able_brick.core.place.items import item_boxes, reach_of
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import Poses, about_pivot
from able_brick.level.rows import AThing, Drawable, Group, InstanceBatch, Instances, Standing
from able_brick.level.snapshot import InLevel
from able_brick.level.things import Things

_UNIT = np.eye(3)
_REPEATED: ByteCache[Instances] = ByteCache(96 * 2**20, lambda s: s.nbytes)


@dataclass(frozen=True, eq=False)
class _Copies:
    """World motions of m copies: p' = turn · p + shift, after the reflection where `over`; number (m) of each among
    all, of which there are `count`, those that are left out with them."""

    turns: Floats
    shifts: Floats
    over: Bools
    reflection: Reflection
    numbers: Ints
    count: int


def repeated(shown: Instances, thing: AThing, context: InLevel, below: str | None = None) -> Instances:
    """All that is shown of a thing, with the repeats of the groups that it is in, the innermost first; only of those
    `below` a group where one is given.

    Raises GeometryError for more items than there may be.
    """
    over = takewhile(lambda g: g.id != below, context.things.over(thing))
    groups = [g for g in over if g.repeat is not None or g.mirror is not None]
    if not groups:
        return shown

    def made() -> Instances:
        out = shown
        for group in groups:
            out = _copied(out, _copies(group, context))
        return out

    if not isinstance(thing, Standing):
        return made()
    # what stands by its own row alone is the same as long as that, its pieces and the groups are
    looks = tuple(b.drawable.piece for b in shown.batches)
    sides = tuple(extent_of(g, context).tobytes() for g in groups if g.repeat is not None)
    return _REPEATED.get((thing, looks, tuple(groups), sides), made)


def shown_by(shown: Instances, thing: AThing, group: Group, context: InLevel) -> tuple[Instances, Instances]:
    """What a group shows of a thing in it: with the repeats of the groups within, and with its own as well."""
    for over in context.things.over(thing):
        if over.id == group.id:
            break
        if over.repeat is not None or over.mirror is not None:
            shown = _copied(shown, _copies(over, context))
    return shown, _copied(shown, _copies(group, context))


def _copies(group: Group, context: InLevel) -> _Copies:
    origin, own = np.asarray(group.position), group.own_axes
    if group.repeat is None:
        turns, shifts, left = np.array([[0.0, 0.0, 0.0, 1.0]]), np.zeros((1, 3)), frozenset[int]()
    else:
        found = group.repeat.motions(extent_of(group, context))
        world = own * Rotation.from_quat(found.turns) * own.inv()
        turns = np.atleast_2d(world.as_quat())
        shifts = origin + own.apply(found.shifts) - world.apply(np.tile(origin, (len(found), 1)))
        turns[0], shifts[0] = (0.0, 0.0, 0.0, 1.0), 0.0
        left = frozenset(group.left_out)
    axis = 0 if group.mirror is None else "xyz".index(group.mirror)
    normal = own.apply(_UNIT[axis])
    reflection = Reflection(origin, normal + 0.0)
    sides = [False] if group.mirror is None else [False, True]
    n = len(turns)
    numbers = [s * n + k for s in range(len(sides)) for k in range(n) if k not in left or (k == 0 and s == 0)]
    at = np.array(numbers, np.int32)
    return _Copies(turns[at % n], shifts[at % n], at >= n, reflection, at, n * len(sides))


def _copied(shown: Instances, copies: _Copies) -> Instances:
    check_items(shown.count * copies.count, "That")
    out: list[InstanceBatch] = []
    for side in (False, True):
        chosen = np.flatnonzero(copies.over == side)
        if not len(chosen):
            continue
        turn = Rotation.from_quat(copies.turns[chosen])
        for batch in shown.batches:
            p = batch.poses
            positions, turns, drawable = p.positions, p.turns, batch.drawable
            if side:
                positions, turns = copies.reflection.points(positions), copies.reflection.turns(turns)
                drawable = drawable.turned_over()
            m, n = len(chosen), len(positions)
            by = turn.as_matrix()
            where = np.einsum("mij,nj->mni", by, positions) + copies.shifts[chosen][:, None]
            each = Rotation.from_quat(np.repeat(copies.turns[chosen], n, axis=0))
            whole = (each * Rotation.from_quat(np.tile(turns, (m, 1)))).as_quat()
            still = (copies.turns[chosen] == (0.0, 0.0, 0.0, 1.0)).all(axis=1)
            whole = whole.reshape(m, n, 4)
            whole[still] = turns
            stays = still & (copies.shifts[chosen] == 0.0).all(axis=1)
            where[stays] = positions
            numbers = (copies.numbers[chosen][:, None] * shown.count + batch.numbers[None]).ravel().astype(np.int32)
            poses = Poses.of(where.reshape(-1, 3), whole.reshape(-1, 4), np.tile(p.sizes, (m, 1)))
            out.append(InstanceBatch(drawable, numbers, poses))
    return Instances(tuple(out), shown.count * copies.count)


def extent_of(group: Group, context: InLevel) -> Floats:
    """Sides (3,) of the box round what is in a group, along the group's axes, once; metres."""
    things: Things = context.things
    inside = [t for t in things.under(group) if t.pieces]
    key = f"extent {group.id}"
    stands = tuple(context.pieces.get(p) for t in inside for p in t.pieces)
    kept = things.kept.get(key)
    if kept is not None and len(kept[0]) == len(stands) and all(a is b for a, b in zip(kept[0], stands, strict=True)):
        out: Floats = kept[1]
        return out
    back = group.own_axes.inv()
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for thing in inside:
        shown = thing.shown(context)
        for over in things.over(thing):
            if over.id == group.id or shown is None:
                break
            if over.repeat is not None or over.mirror is not None:
                shown = _copied(shown, _copies(over, context))
        for batch in () if shown is None else shown.batches:
            p = batch.poses
            turns = (Rotation.from_quat(np.tile(back.as_quat(), (len(p), 1))) * Rotation.from_quat(p.turns)).as_quat()
            rows = np.concatenate([back.apply(p.positions - group.position), turns, p.sizes], axis=1)
            lows, highs = _reach(batch.drawable, rows, context)
            low, high = np.minimum(low, lows), np.maximum(high, highs)
    extent = np.where(np.isfinite(high - low), high - low, 0.0)
    things.kept[key] = (stands, extent)
    return extent


def _reach(drawable: Drawable, rows: Floats, context: InLevel) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,) of items of a look by their pose rows (N,10): from its vertices. From its box
    where it stands along the axes by its own mesh, and where that cannot be read."""
    quarter = np.abs(Rotation.from_quat(rows[:, 3:7]).as_matrix())
    square = (np.minimum(quarter, np.abs(quarter - 1.0)) <= 1e-12).all(axis=(1, 2))
    points = None
    if context.load is not None and (drawable.deformer is not None or not square.all()):
        with suppress(StorageError, UnknownIdError):
            points = about_pivot(extreme_points(drawable.mesh(context.load)), drawable.pivot, drawable.axes)
    if points is None:
        lows, highs = item_boxes(rows, *drawable.box())
        return lows.min(axis=0), highs.max(axis=0)
    return reach_of(points, rows)
