"""Scatter: seeded random offsets, turns and sizes of what is selected, and pieces strewn over a face."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError, InputError, SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.place.dock import Motion
from able_brick.core.place.items import item_to_world, outward
from able_brick.core.place.pivots import up_along
from able_brick.core.place.pose import from_degrees, quaternion, rotation, vector
from able_brick.core.place.scatter import Ranges, scattered, spread_over
from able_brick.core.text import counted
from able_brick.core.walk.rays import first_hits
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import AThing, Group, Piece, Placement, Scaling, Strewn, Vector
from able_brick.level.snap import items_of
from able_brick.level.snapshot import ARow
from able_brick.level.surface import FaceAt, item_at
from able_brick.steps.about import STANDING
from able_brick.steps.draft import Draft
from able_brick.steps.groups import group_of
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops

_MOST = 20_000
_HIGHEST = 1000.0


class _Scattering(Tool):
    verb = "Place"
    stages = ("build",)
    icon = "sprout"

    seed: int = field(1, "Seed", "Another number gives another chance arrangement", ge=0, le=2**31 - 1, widget="seed")
    offset: Vector = field((0.0, 0.0, 0.0), "Offset", "At most so far along X, Y, Z, either way", unit="m", step=0.1)
    turn: Vector = field((0.0, 180.0, 0.0), "Turn", "At most so far about X, Y, Z, either way", unit="°", step=5)
    smallest: float = field(1.0, "Smallest", "The smallest size factor", step=0.05, ge=0.01, le=100)
    largest: float = field(1.0, "Largest", "The largest size factor", step=0.05, ge=0.01, le=100)

    def ranges(self) -> Ranges:
        if self.smallest > self.largest:
            raise InputError(
                f"The smallest size {self.smallest:g} is above the largest {self.largest:g}; swap them.",
                field="smallest",
            )
        return Ranges(self.offset, self.turn, (self.smallest, self.largest))


class Scatter(_Scattering):
    """Random offsets, turns and sizes for what is selected."""

    tool: Literal["scatter"] = "scatter"
    title = "Vary"
    about = "Moves, turns and sizes each selected thing by chance, within ranges"
    need = Need(kinds=STANDING, least=1)

    drop: Literal["no", "upright", "along the normal"] = field(
        "no", "Drop", "Stay at their heights, or down onto what is below, upright or as it slopes"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        ranges = self.ranges()
        moved: list[tuple[AThing, Motion]] = []
        for thing in things:
            offset, turn, size = scattered(self.seed, thing.id, ranges)
            about = np.asarray(thing.anchor)
            if size != 1.0:
                for part in draft.things.under(thing):
                    draft.put(part.sized(Scaling(np.full(3, size), Rotation.identity(), about)))
            moved.append((thing, Motion(from_degrees(vector(turn)), about, offset)))
        if self.drop != "no":
            moved = _dropped(draft, moved, upright=self.drop == "upright")
        for thing, motion in moved:
            for part in draft.things.under(thing):
                now = draft.thing(part.id)
                if now is not None:
                    draft.put(now.moved(motion))  # type: ignore[union-attr]
        draft.note = f"{counted(len(things), 'thing', 'things')} scattered with seed {self.seed}"


def _dropped(draft: Draft, moved: list[tuple[AThing, Motion]], *, upright: bool) -> list[tuple[AThing, Motion]]:
    """The motions, on down to what is below, which may be the ground."""
    own = {p.id for thing, _ in moved for p in draft.things.under(thing)}
    starts = np.array([m.point(np.asarray(t.anchor)) for t, m in moved])
    found, normals = _below(draft, starts, own)
    out = []
    for (thing, motion), there, normal in zip(moved, found, normals, strict=True):
        shift = motion.shift + (there - motion.point(np.asarray(thing.anchor)))
        turn = motion.turn if upright else rotation(up_along(normal)) * motion.turn
        out.append((thing, Motion(turn, motion.about, shift)))
    return out


def _below(draft: Draft, points: np.ndarray, without: set[str]) -> tuple[np.ndarray, np.ndarray]:
    """What is below or above points (n,3): places and normals; the ground where nothing is."""
    items = items_of(draft.snapshot, draft.things)
    low, high = points.min(axis=0), points.max(axis=0)
    tri: list[np.ndarray] = []
    for k in range(len(items.things)):
        if (
            items.things[k] in without
            or (items.low[k][[0, 2]] > high[[0, 2]]).any()
            or (items.high[k][[0, 2]] < low[[0, 2]]).any()
        ):
            continue
        look = items.looks[k]
        mesh = look.mesh(draft.load)
        world = item_to_world(mesh.positions, items.poses[k], look.pivot, look.axes)
        tri.append(world[mesh.corners[triangulate(mesh)[0]]])
    there = np.array(points)
    there[:, 1] = 0.0
    normals = np.tile([0.0, 1.0, 0.0], (len(points), 1))
    if not tri:
        return there, normals
    every = np.concatenate(tri)
    top = max(float(every[..., 1].max()), float(high[1])) + 1.0
    begin = np.array(points)
    begin[:, 1] = top
    far = first_hits(begin, np.tile([0.0, -1.0, 0.0], (len(points), 1)), every, _HIGHEST + top)
    for k, distance in enumerate(np.atleast_1d(far)):
        if np.isfinite(distance) and distance < _HIGHEST + top:
            there[k, 1] = top - distance
            normals[k] = _normal_at(every, there[k])
    return there, normals


def _normal_at(triangles: np.ndarray, point: np.ndarray) -> np.ndarray:
    """The upward normal of the triangle that a point lies on."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    n = np.cross(b - a, c - a)
    size = np.linalg.norm(n, axis=1)
    off = np.abs(((point - a) * n).sum(axis=1)) / np.maximum(size, 1e-12)
    off[size < 1e-12] = np.inf
    inside = np.ones(len(a), np.bool_)
    for p, q in ((a, b), (b, c), (c, a)):
        inside &= ((np.cross(q - p, point - p) * n).sum(axis=1)) >= -1e-6 * size
    off[~inside] = np.inf
    k = int(np.argmin(off))
    up = n[k] / max(float(size[k]), 1e-12)
    return np.asarray(up if up[1] >= 0 else -up)


class _Strewing(_Scattering):
    on: FeatureAt | None = field(None, "Over", "The face that it is scattered over", widget="feature at")
    whole: Literal["face", "all faces that look that way"] = field(
        "face", "How far", "The one face, or all faces of the thing that look the same way"
    )
    density: float = field(1.0, "Density", "Things a square metre", step=0.1, gt=0, le=10_000)
    apart: float = field(0.5, "Apart", "The smallest distance from one to another", unit="m", step=0.05, ge=0, le=1000)
    stand: Literal["upright", "along the normal"] = field("upright", "Stand", "Upright, or as the face slopes")

    def strew(self, draft: Draft, pieces: list[Piece]) -> tuple[list[Placement], Vector, Strewn]:
        """Put pieces over the face: what stands there then, its middle, and how it came there."""
        if self.on is None:
            raise InputError("No face is picked yet: click one in the view.", field="on")
        look, mesh, pose = item_at(
            draft.snapshot,
            draft.level_id,
            draft.load,
            FaceAt(thing=self.on.thing, item=self.on.item, face=self.on.face),
        )
        world = item_to_world(mesh.positions, pose, look.pivot, look.axes)
        tris, face = triangulate(mesh)
        triangles = world[mesh.corners[tris]]
        loop = triangles[face == self.on.face]
        normal = outward(np.concatenate(loop) if len(loop) == 1 else loop[0], pose)
        chosen = face == self.on.face
        if self.whole != "face":
            n = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
            n *= -1.0 if float(np.prod(pose[7:])) < 0 else 1.0
            size = np.linalg.norm(n, axis=1)
            chosen = (n @ normal) > 0.7 * size
        points, _ = spread_over(triangles[chosen], density=self.density, apart=self.apart, seed=self.seed, most=_MOST)
        if not len(points):
            raise GeometryError("So few a square metre are none on this face; ask for more.", field="density")
        ranges = self.ranges()
        lean = rotation(up_along(normal)) if self.stand != "upright" else Rotation.identity()
        made = []
        for k, point in enumerate(points):
            offset, turn, size_ = scattered(self.seed, f"strewn {k}", ranges)
            piece = pieces[k % len(pieces)]
            made.append(
                Placement(
                    id=draft.new_id("placement"),
                    level=draft.level_id,
                    name=draft.unique_name(piece.name, "placement"),
                    piece=piece.id,
                    position=vector(point + lean.apply(offset)),
                    turn=quaternion(lean * from_degrees(vector(turn))),
                    size=(size_, size_, size_),
                )
            )
            draft.put(made[-1])
        own = {k: v for k, v in dict(self).items() if k in Strewn.model_fields}
        at = {"thing": self.on.thing, "item": self.on.item, "face": self.on.face}
        kept = Strewn.model_validate({**own, **at, "pieces": tuple(p.id for p in pieces)})
        draft.note = f"{counted(len(made), 'thing', 'things')} on {_area(triangles[chosen]):.1f} m²"
        return made, vector(triangles[chosen].mean(axis=(0, 1))), kept


class Strew(_Strewing):
    """Pieces over a face: grass, stones, reeds."""

    tool: Literal["strew"] = "strew"
    title = "Scatter over a face"
    about = "Places a piece over a face by chance, so many a square metre and never too near"
    need = Need(kinds=("piece",), least=1, most=12)
    icon = "trees"
    leads = ("density", "apart")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        pieces = [draft.piece(r.id) for r in rows]
        made, middle, kept = self.strew(draft, pieces)
        group = group_of(draft, made, f"{pieces[0].name} scattered", middle)
        draft.put(group.changed(strewn=kept))
        draft.select = (group.id,)


class StrewAgain(_Strewing):
    """What was strewn, otherwise."""

    tool: Literal["strew_again"] = "strew_again"
    title = "Scatter again"
    about = "Scatters what is in the group anew, over the face as it is now, with other settings"
    need = Need(kinds=("group",), least=1, most=1, having=("strewn",))
    icon = "trees"
    leads = ("density", "apart")
    prefill = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        group = rows[0]
        if not isinstance(group, Group) or group.strewn is None:
            raise SelectionError("What is in this group was not scattered; scatter a piece of the shelf over a face.")
        pieces = [p for p in (draft.snapshot.pieces.get(k) for k in group.strewn.pieces) if p is not None]
        if not pieces:
            raise SelectionError("The pieces that were scattered are not on the shelf any more; scatter another one.")
        was = group.strewn
        own = self if self.on is not None else self.model_copy(update={"on": _face_of(was)})
        before = [t for t in draft.things.under(group) if isinstance(t, Placement) and t.piece in was.pieces]
        made, _, kept = own.strew(draft, pieces)
        for old in before:
            draft.remove(old)
        for new in made:
            draft.put(new.changed(group=group.id))
        draft.put(group.changed(strewn=kept))
        draft.select = (group.id,)


def _face_of(strewn: Strewn) -> FeatureAt:
    return FeatureAt(thing=strewn.thing, item=strewn.item, kind="face", index=strewn.face, face=strewn.face)


def _area(triangles: np.ndarray) -> float:
    n = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    return float(np.linalg.norm(n, axis=1).sum() / 2)
