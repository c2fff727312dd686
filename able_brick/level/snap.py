"""What a selection that is being moved snaps to: the nearest pair of a grip of it and a feature of anything else."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel

from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.dock import plain
from able_brick.core.place.items import item_boxes, item_from_world, item_to_world
from able_brick.core.place.pose import vector
from able_brick.core.place.snapping import KINDS, mesh_features, on_segments
from able_brick.level.evaluate import shown_items
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Drawable, Group, Path, Placement, Vector
from able_brick.level.snapshot import Snapshot
from able_brick.level.surface import Load
from able_brick.level.things import Things

SnapKind = Literal["vertex", "edge", "face", "pivot", "path point", "on edge"]
#: How much further away than a vertex, in reaches, each kind may be to be preferred over it: less is stronger.
_WEIGHT: dict[SnapKind, float] = {
    "vertex": 0.0,
    "path point": 0.0,
    "pivot": 0.05,
    "edge": 0.15,
    "face": 0.2,
    "on edge": 0.6,
}
_MOST_GRIPS = 64
_MOST_ITEMS = 400


class Snap(BaseModel):
    """What was caught: the displacement that follows it, what it is and where, and the two ends.

    `meets` when grip and landing come to lie on one spot; otherwise only their distance along the directions is 0.
    """

    by: Vector
    kind: SnapKind
    point: Vector
    meets: bool
    grip: FeatureAt
    landing: FeatureAt | None


@dataclass(frozen=True, eq=False)
class Items:
    """Every item that stands in a level: its thing, number and pose row (N,10), and its box (N,3) in the world."""

    things: list[str]
    numbers: list[int]
    looks: list[Drawable]
    poses: Floats
    low: Floats
    high: Floats
    rows: dict[str, list[int]]


def items_of(snapshot: Snapshot, things: Things) -> Items:
    """The items of a level; computed once for each state of it."""
    features = [p for p in things.uses if p in snapshot.pieces]
    key = tuple((p, snapshot.pieces[p].mesh, snapshot.pieces[p].pivot, snapshot.pieces[p].axes) for p in features)
    kept: tuple[object, Items] | None = things.kept.get("items")
    if kept is not None and kept[0] == key:
        return kept[1]
    repeated = {t.id for t in things.repeated}
    names: list[str] = []
    numbers: list[int] = []
    looks: list[Drawable] = []
    rows: list[Floats] = []
    boxes: list[Floats] = []

    def add(drawable: Drawable, poses: Floats, of: list[str], which: list[int]) -> None:
        if not len(poses):
            return
        rows.append(poses)
        boxes.append(np.stack(item_boxes(poses, *drawable.box()), axis=1))
        names.extend(of)
        numbers.extend(which)
        looks.extend([drawable] * len(poses))

    for piece in features:
        single = [u for u in things.users(piece) if isinstance(u, Placement) and u.id not in repeated]
        poses = np.array([(*u.position, *u.turn, *u.size) for u in single], np.float64).reshape(-1, 10)
        add(Drawable(snapshot.pieces[piece]), poses, [u.id for u in single], [0] * len(single))
    for thing in (*things.runs_and_paths, *things.repeated):
        shown = shown_items(snapshot, thing)
        for batch in () if shown is None else shown.batches:
            add(batch.drawable, batch.poses.rows(), [thing.id] * len(batch.numbers), batch.numbers.tolist())
    every = np.concatenate(rows) if rows else np.empty((0, 10))
    box = np.concatenate(boxes) if boxes else np.empty((0, 2, 3))
    where: dict[str, list[int]] = {}
    for k, name in enumerate(names):
        where.setdefault(name, []).append(k)
    found = Items(names, numbers, looks, every, box[:, 0], box[:, 1], where)
    things.kept["items"] = (key, found)
    return found


@dataclass(frozen=True, eq=False)
class _Grip:
    point: Floats
    at: FeatureAt


@dataclass(frozen=True, eq=False)
class _Found:
    score: float
    kind: SnapKind
    grip: _Grip
    point: Floats
    landing: FeatureAt | None


def snap(
    snapshot: Snapshot,
    level: str,
    load: Load,
    selection: Iterable[str],
    by: Vector,
    reach: float,
    along: Sequence[Vector],
) -> Snap | None:
    """The nearest meeting of a grip of a selection, displaced by a vector, with a vertex, edge middle, face centre,
    pivot, path point or edge of the others; None where nothing is within reach, metres.

    `along` are the directions in which it may still move: one, two, or none for all.
    """
    things = snapshot.of(level)
    moved = {t.id for s in selection if (top := things.get(s)) is not None for t in things.under(top)}
    moved |= {course.id for path in moved for course in things.courses(path)}
    items = items_of(snapshot, things)
    grips = _grips(load, items, moved, np.asarray(by))
    if not grips:
        return None
    points = np.stack([g.point for g in grips])
    best = _nearest_path_point(things, moved, grips, points, reach)
    low, high = points.min(axis=0) - reach, points.max(axis=0) + reach
    near = np.flatnonzero(((items.low <= high) & (items.high >= low)).all(axis=1))
    near = near[[items.things[k] not in moved for k in near]] if len(near) else near
    if len(near) > _MOST_ITEMS:
        middle = (items.low[near] + items.high[near]) / 2
        near = near[np.argsort(np.linalg.norm(middle - points.mean(axis=0), axis=1))[:_MOST_ITEMS]]
    for k in near:
        inside = ((points >= items.low[k] - reach) & (points <= items.high[k] + reach)).all(axis=1)
        some = [g for g, ok in zip(grips, inside, strict=True) if ok]
        if some:
            best = _better(best, _nearest(load, items, int(k), some, reach))
    return None if best is None else _snap_of(best, by, along)


def _grips(load: Load, items: Items, moved: set[str], by: Floats) -> list[_Grip]:
    """Vertices and pivots of what is moved, where they are with the displacement."""
    mine = [k for thing in moved for k in items.rows.get(thing, ())]
    out: list[_Grip] = []
    for k in mine:
        drawable = items.looks[k]
        mesh = drawable.mesh(load)
        features = mesh_features(mesh)
        pose = items.poses[k]
        if len(mine) <= 8:
            at = item_to_world(mesh.positions[features.grips], pose, drawable.pivot, drawable.axes) + by
            for v, point in zip(features.grips.tolist(), at, strict=True):
                face = int(features.face[v])
                here = FeatureAt(thing=items.things[k], item=items.numbers[k], kind="vertex", index=v, face=face)
                out.append(_Grip(point, here))
        pivot = FeatureAt(thing=items.things[k], item=items.numbers[k], kind="pivot")
        out.append(_Grip(pose[:3] + by, pivot))
        if len(out) >= _MOST_GRIPS:
            break
    return out


def _better(a: _Found | None, b: _Found | None) -> _Found | None:
    if a is None or b is None:
        return a or b
    return b if b.score < a.score else a


def _nearest_path_point(
    things: Things, moved: set[str], grips: list[_Grip], points: Floats, reach: float
) -> _Found | None:
    best: _Found | None = None
    for thing in things.runs_and_paths:
        if thing.id in moved or isinstance(thing, Group) or not isinstance(thing, Path):
            continue
        there = np.array([p.position for p in thing.points])
        away = np.linalg.norm(points[:, None] - there[None], axis=2)
        g, k = np.unravel_index(int(np.argmin(away)), away.shape)
        if away[g, k] <= reach:
            found = _Found(float(away[g, k]) / reach, "path point", grips[int(g)], there[int(k)], None)
            best = _better(best, found)
    return best


def _nearest(load: Load, items: Items, k: int, grips: list[_Grip], reach: float) -> _Found | None:
    """The best meeting with one item."""
    drawable = items.looks[k]
    pose = items.poses[k]
    features = mesh_features(drawable.mesh(load))
    thing, item = items.things[k], items.numbers[k]
    points = np.stack([g.point for g in grips])
    local = item_from_world(points, pose, drawable.pivot, drawable.axes)
    shrink = float(np.abs(pose[7:]).min())
    best: _Found | None = None
    near: Any = features.tree.query_ball_point(local, reach / max(shrink, 1e-9))
    for grip, some in zip(grips, near, strict=True):
        if not some:
            continue
        there = item_to_world(features.points[some], pose, drawable.pivot, drawable.axes)
        away = np.linalg.norm(there - grip.point, axis=1) / reach
        weights = np.array([_WEIGHT[KINDS[kind]] for kind in features.kind[some]])  # type: ignore[index]
        score = np.where(away <= 1, away + weights, np.inf)
        j = int(np.argmin(score))
        if np.isfinite(score[j]):
            f = some[j]
            kind: SnapKind = KINDS[features.kind[f]]  # type: ignore[assignment]
            landing = FeatureAt(
                thing=thing, item=item, kind=kind, index=int(features.index[f]), face=int(features.face[f])
            )
            best = _better(best, _Found(float(score[j]), kind, grip, there[j], landing))
    to_pivot = np.linalg.norm(points - pose[:3], axis=1) / reach
    g = int(np.argmin(to_pivot))
    if to_pivot[g] <= 1:
        here = FeatureAt(thing=thing, item=item, kind="pivot")
        best = _better(best, _Found(float(to_pivot[g]) + _WEIGHT["pivot"], "pivot", grips[g], pose[:3], here))
    if best is None and len(features.edges):
        segments = item_to_world(features.edges.reshape(-1, 3), pose, drawable.pivot, drawable.axes).reshape(-1, 2, 3)
        for grip in grips:
            places, away = on_segments(grip.point, segments)
            e = int(np.argmin(away))
            if away[e] <= reach:
                found = _Found(float(away[e]) / reach + _WEIGHT["on edge"], "on edge", grip, places[e], None)
                best = _better(best, found)
    return best


def _snap_of(found: _Found, by: Vector, along: Sequence[Vector]) -> Snap:
    """The displacement that brings the grip there, as far as the directions allow it."""
    rest = found.point - found.grip.point
    if along:
        basis = np.linalg.qr(np.array(along, np.float64).T)[0]
        allowed = basis @ (basis.T @ rest)
    else:
        allowed = rest
    shift = np.asarray(by) + allowed
    return Snap(
        by=plain(shift),
        kind=found.kind,
        point=vector(found.point),
        meets=bool(np.linalg.norm(rest - allowed) <= 1e-9),
        grip=found.grip.at,
        landing=found.landing,
    )
