"""Faces and features of what stands in the level, exactly, in world coordinates."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.errors import UnknownIdError
from able_brick.core.mesh.faces import face_centre, face_loop
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.items import item_from_world, item_to_world, outward
from able_brick.core.place.on_face import face_place
from able_brick.core.place.pivots import up_along
from able_brick.core.place.pose import Quaternion, Vector, rotation, vector
from able_brick.core.place.snapping import edge_point, edge_share
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import AShown, Drawable
from able_brick.level.snapshot import Snapshot

Load = Callable[[str], PolyMesh]


class FaceAt(BaseModel):
    """A face of an item that stands in the level."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    thing: str
    item: int = 0
    face: int


class Ground(BaseModel):
    """What a piece can stand on: a point of the plane, and the turn that stands things upright on it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    point: Vector
    turn: Quaternion


class Feature(BaseModel):
    """A vertex, edge middle, place on an edge, face centre, place on a face or pivot.

    Which it is in the mesh, where it is in the world, and the normal of the face through which it was pointed at.
    `share` is how far along an edge a place on it is, from 0 to 1, and `away` how far from the nearer end, metres; `at`
    where in the mesh a place on a face is.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    thing: str
    item: int
    face: int
    piece: str
    mesh: str
    kind: Literal["vertex", "edge", "on edge", "face", "on face", "pivot"]
    index: int
    share: float = 0.5
    away: float = 0.0
    at: Vector | None = None
    point: Vector
    normal: Vector


def item_at(snapshot: Snapshot, level: str, load: Load, at: FaceAt) -> tuple[Drawable, PolyMesh, Floats]:
    """The look, its mesh, and the pose row (10,) of the item that a face belongs to."""
    thing = snapshot.find(level, at.thing)
    if not isinstance(thing, AShown):
        raise UnknownIdError(f"{at.thing!r} is not in the level (any more). Point at something else.", id=at.thing)
    return item_of(snapshot, load, thing, at)


def item_of(snapshot: Snapshot, load: Load, thing: AShown, at: FaceAt) -> tuple[Drawable, PolyMesh, Floats]:
    """The same for a thing that may stand otherwise than in the snapshot."""
    shown = shown_items(snapshot, thing)
    found = None if shown is None else shown.item(at.item)
    if found is None:
        raise UnknownIdError(f"{thing.name} has no item {at.item + 1} (any more).", id=at.thing)
    drawable, pose = found
    mesh = drawable.mesh(load)
    if not 0 <= at.face < mesh.face_count:
        raise UnknownIdError(f"{drawable.piece.name} has no face {at.face} (any more).", id=at.thing)
    return drawable, mesh, pose


def ground_of(snapshot: Snapshot, level: str, load: Load, at: FaceAt) -> Ground:
    """The plane of a face as it stands in the level."""
    drawable, mesh, pose = item_at(snapshot, level, load, at)
    loop = item_to_world(mesh.positions[face_loop(mesh, at.face)], pose, drawable.pivot, drawable.axes)
    normal = outward(loop, pose)
    return Ground(point=vector(loop.mean(axis=0)), turn=up_along(normal))


def on_ground(ground: Ground, point: Vector) -> Vector:
    """The point of the plane nearest to a given one."""
    normal = rotation(ground.turn).apply([0.0, 1.0, 0.0])
    p = np.asarray(point)
    return vector(p - normal * float((p - ground.point) @ normal))


#: How near a place on an edge must be to be meant, in the reach of a vertex: the middle of a narrow face is meant, too.
_CLOSE = 0.4
#: How near the centre of a face must be to be meant where any place on it may be; all of it where it is no larger.
_CENTRAL = 1.5
_SMALL = 4.0


def nearest_feature(
    snapshot: Snapshot,
    level: str,
    load: Load,
    at: FaceAt,
    point: Vector,
    reach: float,
    *,
    pivot: bool = False,
    unit: float | None = None,
    grid: float | None = None,
) -> Feature:
    """The feature of a face that is meant by a world point on it: a vertex within reach, else an edge middle within
    reach, else the centre of the face. With `pivot` the pivot of the item, wherever that is; with a unit also a place
    on an edge that is close, so many units from the nearer end, or anywhere for 0; with a grid also a place of it on a
    flat face, away from the centre, or any place for 0."""
    drawable, mesh, pose = item_at(snapshot, level, load, at)
    loop = face_loop(mesh, at.face)
    corners = mesh.positions[loop]
    world = item_to_world(corners, pose, drawable.pivot, drawable.axes)
    normal = outward(world, pose)
    middles = (world + np.roll(world, -1, axis=0)) / 2
    target = np.asarray(point)
    to_corner = np.linalg.norm(world - target, axis=1)
    to_middle = np.linalg.norm(middles - target, axis=1)
    base = {
        "thing": at.thing,
        "item": at.item,
        "face": at.face,
        "piece": drawable.piece.id,
        "mesh": drawable.piece.mesh if drawable.deformer is None else drawable.deformer.key,
        "normal": vector(normal),
    }
    if pivot:
        return Feature(kind="pivot", index=0, point=vector(pose[:3]), **base)
    k = int(np.argmin(to_corner))
    m = int(np.argmin(to_middle))
    if to_corner[k] <= reach and to_corner[k] <= to_middle[m]:
        return Feature(kind="vertex", index=int(loop[k]), point=vector(world[k]), **base)
    if to_middle[m] <= reach:
        edge = int(topology(mesh).corner_edge[mesh.face_starts[at.face] + m])
        return Feature(kind="edge", index=edge, point=vector(middles[m]), **base)
    if unit is not None:
        ends = np.stack([world, np.roll(world, -1, axis=0)], axis=1)
        spots = [edge_share(pair, target, 0.0)[0] for pair in ends]
        away = [float(np.linalg.norm(p[0] + s * (p[1] - p[0]) - target)) for p, s in zip(ends, spots, strict=True)]
        e = int(np.argmin(away))
        if away[e] <= _CLOSE * reach:
            edge = int(topology(mesh).corner_edge[mesh.face_starts[at.face] + e])
            pair = item_to_world(mesh.positions[topology(mesh).edges[edge]], pose, drawable.pivot, drawable.axes)
            share, far = edge_share(pair, target, unit)
            where = vector(edge_point(pair, share))
            return Feature(kind="on edge", index=edge, share=share, away=far, point=where, **base)
    centre = item_to_world(np.array([face_centre(mesh, at.face)]), pose, drawable.pivot, drawable.axes)[0]
    far = float(np.linalg.norm(world - centre, axis=1).max()) > _SMALL * reach
    if grid is not None and far and np.linalg.norm(target - centre) > _CENTRAL * reach and np.all(pose[7:] != 0):
        spot = face_place(world, normal, target, grid)
        if spot is not None:
            inside = vector(item_from_world(spot[None], pose, drawable.pivot, drawable.axes)[0])
            where = vector(item_to_world(np.array([inside]), pose, drawable.pivot, drawable.axes)[0])
            return Feature(kind="on face", index=at.face, at=inside, point=where, **base)
    return Feature(kind="face", index=at.face, point=vector(centre), **base)
