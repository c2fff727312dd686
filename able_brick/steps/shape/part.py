"""Faces taken out of a piece as a piece of their own."""

from __future__ import annotations

from typing import Final, Literal

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, marked
from able_brick.core.edit.remove import delete
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.parts import only
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.core.place.mirror import mirrored
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Array, Piece, Placement, Standing, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.images import parted
from able_brick.steps.part_piece import part_piece
from able_brick.steps.shape.element_tool import ElementTool
from able_brick.steps.twins import is_own_mirror, twin_of, twins_of

_AXES: Final = "xyz"


class Detach(ElementTool):
    """Picked faces as a piece of their own, in the same place."""

    tool: Literal["detach"] = "detach"
    title = "Detach"
    verb = "Join and part"
    about = "Takes the picked faces out as a piece of their own, which stands wherever they were"
    icon = "package-minus"
    opens = True
    previews = False
    leads = ()

    leave_copy: bool = field(False, "Leave a copy", "The faces stay in this piece as well, and lie there twice")

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        if len(ids) == mesh.face_count:
            raise GeometryError("All faces are picked, so nothing would stay; duplicate the piece instead.")
        if self.leave_copy:
            every = np.arange(mesh.vertex_count, dtype=np.int32)
            return Edited(mesh, every, np.arange(mesh.face_count, dtype=np.int32), ids)
        return delete(mesh, ids)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = pieces_of(draft, rows[:1])[0]
        users = [(u, False) for u in draft.users(piece.id)]
        users += [(u, True) for t in twins_of(draft, piece) for u in draft.users(t.id)]
        super().apply(draft, rows)
        mesh = draft.load(piece.source)
        faces = self.elements.numbers(mesh)
        part, pivot, finish = only(mesh, marked(mesh, "face", faces)), piece.pivot, piece.live_finish
        axis = _image_axis(rows[0])
        if axis is not None:  # as those see it that are no images, like all that is edited at one
            part, pivot = mirrored(part, axis), over(pivot, axis)
            finish = None if finish is None else finish.over(axis)
        made = part_piece(draft, piece, part, piece.axes, pivot, finish)
        runs = 0
        for user, turned_over in users:
            if isinstance(user, Placement):
                _stand_beside(draft, user, twin_of(draft, made) if turned_over else made)
            else:
                runs += 1
        unseen = f", which {counted(runs, 'array or course', 'arrays and courses')} cannot show" if runs else ""
        draft.note = f"{made.name} of {counted(len(faces), 'face', 'faces')}{unseen}; {draft.note}"


def over(pivot: Vector, axis: int) -> Vector:
    """A point on the other side of the plane through the origin."""
    x, y, z = (-v + 0.0 if k == axis else v for k, v in enumerate(pivot))
    return (x, y, z)


def _image_axis(row: ARow) -> int | None:
    """The axis along which a row stands mirrored."""
    return _AXES.index(row.image) if isinstance(row, Standing) and row.image is not None else None


def _stand_beside(draft: Draft, user: Placement, piece: Piece) -> None:
    """Place a piece that is a part of another one where that stands."""
    out: Placement | Array = user.changed(
        id=draft.new_id("placement"),
        name=draft.unique_name(piece.name, "placement"),
        piece=piece.id,
        extras=None,
    )
    axis = _image_axis(user)
    if axis is not None and not is_own_mirror(draft, piece, axis):
        out = parted(draft, out)
    draft.put(out)
