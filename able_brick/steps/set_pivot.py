"""Move a piece's pivot, for every placement of it."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.path.course import running_axis, side_shift
from able_brick.core.place.copies import on_grid
from able_brick.core.place.pivots import Along, box_anchor, compensated, mass_anchor
from able_brick.core.place.pose import vector
from able_brick.core.text import counted
from able_brick.level.evaluate import box_about_pivot
from able_brick.level.rows import Course, LineArray, Piece, Placement, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.tool import Need, Stage, Tool, field


class Anchor(BaseModel):
    """One of the 27 places of a bounding box."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Along = Along.MIDDLE
    y: Along = Along.LOW
    z: Along = Along.MIDDLE


class SetPivot(Tool):
    """Put the pivot of the selected pieces at a place of the piece."""

    tool: Literal["set_pivot"] = "set_pivot"
    title: ClassVar[str] = "Set pivot"
    about: ClassVar[str] = "Moves the pivot of the piece, for every placement of it"
    verb: ClassVar[Literal["Place"]] = "Place"
    stages: ClassVar[tuple[Stage, ...]] = ("kit", "build")
    need: ClassVar[Need] = Need(kinds=("piece", "placement", "array", "course"), least=1)
    key: ClassVar[str | None] = "P"
    icon: ClassVar[str] = "crosshair"

    place: Literal["box", "centre of mass", "mesh origin", "grid point", "typed"] = field(
        "box",
        "Place",
        "On the bounding box, the centre of mass, the mesh's origin, the nearest grid point, or typed",
    )
    anchor: Anchor = field(
        Anchor(),
        "On the box",
        "Corner, edge middle, side centre or centre of the box",
        widget="anchor",
        when={"place": ["box"]},
    )
    point: Vector = field(
        (0.0, 0.0, 0.0),
        "Point",
        "In the piece's own coordinates",
        unit="m",
        step=0.1,
        when={"place": ["typed"]},
    )
    outcome: Literal["pieces stay", "numbers stay"] = field(
        "pieces stay", "Outcome", "The pieces stay where they stand, or the numbers stay and the pieces move"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        moved = 0
        for piece in pieces_of(draft, rows):
            new = self._point(draft, piece)
            if self.outcome == "pieces stay":
                for user in draft.users(piece.id):
                    self._compensate(draft, piece, user, new)
                    moved += 1
            draft.put(piece.changed(pivot=new))
        draft.note = (
            f"{counted(moved, 'thing keeps its', 'things keep their')} stand"
            if self.outcome == "pieces stay"
            else "The pieces moved onto their numbers"
        )

    def _point(self, draft: Draft, piece: Piece) -> Vector:
        if self.place == "typed":
            return vector(self.point)
        if self.place == "mesh origin":
            return (0.0, 0.0, 0.0)
        if self.place == "grid point":
            return on_grid(piece.pivot, draft.level.step)
        mesh = draft.mesh(piece)
        if self.place == "centre of mass":
            return mass_anchor(mesh)
        return box_anchor(mesh, self.anchor.x, self.anchor.y, self.anchor.z)

    @staticmethod
    def _compensate(draft: Draft, piece: Piece, user: Placement | LineArray | Course, new: Vector) -> None:
        if isinstance(user, Course):
            running = running_axis(*box_about_pivot(piece), user.running, flip=user.flip)
            side, up = side_shift(running, np.asarray(new) - piece.pivot)
            draft.put(user.changed(sideways=user.sideways + side, up=user.up + up))
            return
        position = compensated(user.position, user.turn, user.size, piece.pivot, new)
        draft.put(user.changed(position=position))
