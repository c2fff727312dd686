"""Move a piece's pivot, for every placement of it."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.errors import InputError, SelectionError
from able_brick.core.mesh.faces import feature_place
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.running import running_axis, side_shift
from able_brick.core.place.copies import on_grid
from able_brick.core.place.mirror import axes_over
from able_brick.core.place.pivots import (
    Along,
    box_anchor,
    compensated,
    mass_anchor,
    permutation,
    turned_with,
    up_along,
)
from able_brick.core.place.pose import IDENTITY, from_degrees, quaternion, rotation, turned, vector
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Array, AShown, Course, Piece, Placement, Quaternion, Standing, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, facts, pieces_of
from able_brick.steps.images import part_images
from able_brick.steps.tool import Need, Tool
from able_brick.steps.twins import twins_of


class Anchor(BaseModel):
    """One of the 27 places of a bounding box."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Along = Along.MIDDLE
    y: Along = Along.LOW
    z: Along = Along.MIDDLE


class Picked(BaseModel):
    """A vertex, edge (its middle) or face (its centre) of a mesh."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    mesh: str
    kind: Literal["vertex", "edge", "face"]
    index: int


class SetPivot(Tool):
    """Put the pivot of the selected pieces at a place of the piece."""

    tool: Literal["set_pivot"] = "set_pivot"
    title = "Set pivot"
    about = "Moves and turns the pivot of the piece, for every placement of it"
    verb = "Place"
    stages = ("kit", "build")
    need = Need(kinds=("piece", "placement", "array", "course"), least=1)
    key = "P"
    icon = "crosshair"

    place: Literal[
        "box", "picked", "centre of mass", "mesh origin", "world origin", "grid point", "typed", "as it is"
    ] = field(
        "box",
        "Place",
        "On the bounding box, a picked feature, the centre of mass, the mesh's or the world's origin, the nearest grid "
        "point, typed, or where it is",
    )
    anchor: Anchor = field(
        Anchor(),
        "On the box",
        "Corner, edge middle, side centre or centre of the box",
        widget="anchor",
        when={"place": ["box"]},
    )
    picked: Picked | None = field(
        None,
        "Picked",
        "Click a vertex, edge or face of the piece in the view",
        widget="feature",
        when={"place": ["picked"]},
    )
    point: Vector = field(
        (0.0, 0.0, 0.0),
        "Point",
        "In the mesh's own coordinates",
        unit="m",
        step=0.1,
        when={"place": ["typed"]},
    )
    axes: Literal["as they are", "of the mesh", "up along the normal", "turned"] = field(
        "as they are", "Axes", "Of the pivot: unchanged, the mesh's, Y along the picked normal, or turned by degrees"
    )
    turn: Vector = field(
        (0.0, 0.0, 0.0), "Turn", "About the mesh's X, Y and Z", unit="°", step=15, when={"axes": ["turned"]}
    )
    outcome: Literal["pieces stay", "numbers stay"] = field(
        "pieces stay", "Outcome", "The pieces stay where they stand, or the numbers stay and the pieces move"
    )

    @property
    def moves_nothing(self) -> bool:
        return self.outcome == "pieces stay"

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        kept, moved, farthest = 0, 0, 0.0
        for piece, new, axes in self._wanted(draft, rows):
            part_images(draft, piece, piece.changed(pivot=new, axes=axes))
        for piece, new, axes in self._wanted(draft, rows):
            users = _users(draft, piece)
            draft.watch(piece)
            if self.outcome == "pieces stay":
                for user in users:
                    draft.put(_compensated(draft, piece, user, new, axes))
                kept += len(users)
            else:
                moved += len(users)
                farthest = max(farthest, *(_step(piece, u, new) for u in users), 0.0)
            changed: dict[str, object] = {"pivot": new, "axes": axes}
            if axes != piece.axes:
                changed["facts"] = facts(draft.mesh(piece), axes)
            draft.put(piece.changed(**changed))
        draft.note = (
            f"{counted(kept, 'placement stays', 'placements stay')} in place"
            if self.outcome == "pieces stay"
            else f"{counted(moved, 'placement moves', 'placements move')} by up to {farthest:.3f} m, onto their numbers"
        )

    def _wanted(self, draft: Draft, rows: list[ARow]) -> list[tuple[Piece, Vector, Quaternion]]:
        """The pieces with their new pivots and axes, and with them their mirrored twins."""
        out: dict[str, tuple[Piece, Vector, Quaternion]] = {}
        for piece in pieces_of(draft, rows):
            if piece.id not in out:
                new, axes = self._point(draft, piece, rows), self._axes(draft, piece)
                out[piece.id] = (piece, new, axes)
                over = (-new[0] + 0.0, new[1], new[2])
                out |= {t.id: (t, over, axes_over(axes)) for t in twins_of(draft, piece) if t.id not in out}
        return list(out.values())

    def _point(self, draft: Draft, piece: Piece, rows: list[ARow]) -> Vector:
        match self.place:
            case "as it is":
                return piece.pivot
            case "typed":
                return vector(self.point)
            case "mesh origin":
                return (0.0, 0.0, 0.0)
            case "grid point":
                return on_grid(piece.pivot, draft.level.step)
            case "world origin":
                return _world_origin(piece, rows)
            case "centre of mass":
                return mass_anchor(draft.mesh(piece))
            case "picked":
                return vector(self._feature(draft, piece)[0])
            case "box":
                return box_anchor(draft.mesh(piece), self.anchor.x, self.anchor.y, self.anchor.z, piece.axes)

    def _feature(self, draft: Draft, piece: Piece) -> tuple[Floats, Floats]:
        if self.picked is None:
            raise InputError("Nothing is picked yet: click a vertex, edge or face in the view.", field="picked")
        if self.picked.mesh != piece.mesh:
            raise SelectionError(
                f"The picked feature is not one of {piece.name} as it is now; pick again.", id=piece.id
            )
        return feature_place(draft.mesh(piece), self.picked.kind, self.picked.index)

    def _axes(self, draft: Draft, piece: Piece) -> Quaternion:
        match self.axes:
            case "as they are":
                return piece.axes
            case "of the mesh":
                return IDENTITY
            case "turned":
                return quaternion(from_degrees(self.turn))
            case "up along the normal":
                return up_along(self._feature(draft, piece)[1])


def _users(draft: Draft, piece: Piece) -> list[AShown]:
    """Things of all levels that show a piece, as the step has them so far."""
    pairs = [piece, *twins_of(draft, piece)]
    every = {u.id: draft.now(u) for p in pairs for u in draft.users(p.id)}
    return [u for u in every.values() if isinstance(u, AShown) and piece.id in u.pieces]


def _world_origin(piece: Piece, rows: list[ARow]) -> Vector:
    """The world's origin in the mesh's coordinates, as the selected placement stands."""
    standing = [r for r in rows if isinstance(r, Standing) and r.piece == piece.id]
    if len(standing) != 1:
        raise SelectionError(
            f"The world's origin lies differently for each placement of {piece.name}; select one placement.",
            received=[r.id for r in standing],
        )
    (one,) = standing
    local = rotation(one.turn).inv().apply(-np.asarray(one.position)) / np.asarray(one.size)
    return vector(rotation(piece.axes).apply(local) + piece.pivot)


def _step(piece: Piece, user: Placement | Array | Course, new: Vector) -> float:
    """How far a thing moves when the pivot moves and its numbers stay, metres."""
    away = (new[0] - piece.pivot[0], new[1] - piece.pivot[1], new[2] - piece.pivot[2])
    if isinstance(user, Course):
        return math.hypot(*away)
    x, y, z, w = piece.axes
    local = turned((-x, -y, -z, w), away)
    return math.hypot(*(a * s for a, s in zip(local, user.size, strict=True)))


def _compensated(
    draft: Draft, piece: Piece, user: Placement | Array | Course, new: Vector, axes: Quaternion
) -> Placement | Array | Course:
    """The thing as it has to be so that its pieces stay where they stand."""
    if len(user.pieces) > 1:
        raise SelectionError(
            f"{user.name} shows {piece.name} among other pieces, so they cannot all stay where they are. "
            "Choose that the numbers stay.",
            id=user.id,
        )
    if isinstance(user, Course):
        if axes != piece.axes:
            raise SelectionError(
                f"{user.name} lays {piece.name} by its axes, so turning them turns its items. "
                "Choose that the numbers stay, or leave the axes as they are.",
                id=user.id,
            )
        running = running_axis(*piece.box_about_pivot(), user.running, flip=user.flip)
        away = np.asarray(new) - piece.pivot
        side, up = side_shift(running, rotation(piece.axes).inv().apply(away))
        return user.changed(sideways=user.sideways + (-side if user.mirrored else side), up=user.up + up)
    position = compensated(user.position, user.turn, user.size, piece.pivot, new, piece.axes)
    if axes == piece.axes:
        if isinstance(user, Placement):
            return user.changed(position=position)
        away = rotation(user.turn).inv().apply(np.subtract(user.position, position))
        return user.changed(position=position, **user.pivot_moved(away))
    by = quaternion(rotation(piece.axes).inv() * rotation(axes))
    stand = turned_with(user.turn, user.size, by)
    if stand is None:
        raise SelectionError(
            f"{user.name} has different sizes along its axes; turned axes would skew it. Bake its size first, "
            "or set it to 1.",
            id=user.id,
        )
    turn, size = stand
    if isinstance(user, Placement):
        return user.changed(position=position, turn=turn, size=size)
    swap = permutation(rotation(by))
    settings = None if swap is None else user.pivot_turned(swap)
    if settings is None:
        raise SelectionError(
            f"{user.name} repeats {piece.name} along its axes; they can only be turned by quarters under it, and only "
            "in a line.",
            id=user.id,
        )
    return user.changed(position=position, turn=turn, size=size, **settings)
