"""What is made of a piece whenever it is edited: its other half, and a smoother surface."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.sound import check_sound
from able_brick.core.errors import SelectionError, UnsoundError
from able_brick.core.finish.halves import half_of
from able_brick.core.place.pose import vector
from able_brick.core.text import grouped
from able_brick.level.field import count, field
from able_brick.level.finish import with_other_half
from able_brick.level.rows import Finish, MirrorPlane, Piece
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.shape.finish import Creases, Through, crease_angle_field, creases_field, plane_across, weld_field
from able_brick.steps.tool import Need, Tool

_NEED = Need(kinds=("piece", "placement", "array", "course"), least=1, most=1)


def _present(piece: Piece) -> Finish:
    """The finish that a piece has, or one that does nothing."""
    return piece.live_finish or Finish(source=piece.mesh, mesh=piece.mesh)


def _change(piece: Piece, now: Piece) -> str:
    return f"{grouped(piece.facts.triangles)} → {grouped(now.facts.triangles)} tris"


class LiveHalf(Tool):
    """A piece whose other half follows."""

    tool: Literal["live_half"] = "live_half"
    title = "Live half"
    about = "Keeps one half of the piece to be edited; the other half follows across a plane, the seam stays on it"
    verb = "Copy"
    stages = ("shape",)
    need = _NEED
    icon = "flip-horizontal"
    leads = ("at",)

    across: Literal["x", "y", "z"] = field("x", "Across", "An axis of the piece's pivot")
    through: Through = field("pivot", "Through", "The piece's pivot; its middle; or where it ends along the axis")
    at: float = field(0.0, "Moved by", "Along the axis", unit="m", step=0.05, ge=-1e5, le=1e5)
    half: Literal["high", "low"] = field("high", "Half", "Which side of the plane stays to be edited")
    weld: float = weld_field()

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = pieces_of(draft, rows)[0]
        finish = _present(piece)
        whole = with_other_half(draft.source(piece), finish).mesh
        point, normal = plane_across(piece, whole.positions, self.across, self.through, self.at)
        plane = MirrorPlane(point=vector(point), normal=vector(0.0 - normal if self.half == "low" else normal))
        half = half_of(whole, plane.reflection(), self.weld).mesh
        now = draft.finished(piece, half, finish.model_copy(update={"mirror": plane, "weld": self.weld}))
        draft.put(now)
        draft.note = f"The other half of {piece.name} follows, {_change(piece, now)}"


class LiveSmooth(Tool):
    """A piece that is shown on a smoother surface than the one that is edited."""

    tool: Literal["live_smooth"] = "live_smooth"
    title = "Live smooth"
    about = "Shows the piece on a smoother surface, which follows while its few faces are edited; 0 levels end it"
    verb = "Divide"
    stages = ("shape",)
    need = _NEED
    icon = "spline"
    leads = ("levels",)

    levels: int = count(2, "Levels", "Each one makes four faces of a quad; 0 shows it as it is edited", 0, 4)
    creases: Creases = creases_field()
    angle: float = crease_angle_field()

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = pieces_of(draft, rows)[0]
        finish = piece.live_finish
        if self.levels == 0 and (finish is None or finish.levels == 0):
            raise SelectionError(f"{piece.name} is shown as it is edited already; give 1 level or more.", id=piece.id)
        angle = self.angle if self.creases == "by angle" else None
        wanted = _present(piece).model_copy(update={"levels": self.levels, "crease_angle": angle})
        source = draft.source(piece)
        if self.levels == 0 and wanted.mirror is None:
            now = draft.with_source(piece.changed(mesh=piece.source, finish=None), source)
        else:
            now = draft.finished(piece, source, wanted)
        draft.put(now)
        faults = "" if self.levels == 0 else _faults(draft, now, wanted)
        draft.note = f"{piece.name}, {_change(piece, now)}{faults}"


def _faults(draft: Draft, piece: Piece, finish: Finish) -> str:
    """What is not sound of a smoothed mesh that was before it was smoothed."""
    before, after = with_other_half(draft.source(piece), finish).mesh, draft.mesh(piece)
    vertex_from = np.full(after.vertex_count, -1, np.int32)
    vertex_from[: before.vertex_count] = np.arange(before.vertex_count)
    new = Edited(after, vertex_from, np.full(after.face_count, -1, np.int32), np.zeros(0, np.int32))
    try:
        check_sound(before, new)
    except UnsoundError as error:
        return f"; {str(error).removesuffix('.').replace('would ', '')}"
    return ""


class FinishReal(Tool):
    """What a live finish shows, as the mesh that is edited from now on."""

    tool: Literal["finish_real"] = "finish_real"
    title = "Make finish real"
    about = "Makes the live half, or the smooth surface with it, the mesh that is edited; nothing looks different"
    verb = "Keep"
    stages = ("shape",)
    need = _NEED
    icon = "stamp"
    instant = True
    hidden = True

    what: Literal["all", "half"] = field("all", "What", "All that is seen, or only the other half")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = pieces_of(draft, rows)[0]
        finish = piece.live_finish
        if finish is None:
            raise SelectionError(f"{piece.name} is neither mirrored nor smoothed live.", id=piece.id)
        if self.what == "half" and finish.mirror is None:
            raise SelectionError(f"{piece.name} has no live half.", id=piece.id)
        if self.what == "half" and finish.levels:
            whole = with_other_half(draft.source(piece), finish).mesh
            now = draft.finished(piece, whole, finish.model_copy(update={"mirror": None}))
        else:
            now = piece.changed(finish=None)
        draft.put(now)
        draft.note = f"{grouped(draft.source(now).face_count)} faces of {piece.name} are edited from now on"
