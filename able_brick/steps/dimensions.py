"""Change the live dimensions of a piece, or go back to them."""

from __future__ import annotations

from typing import Literal

from able_brick.core.errors import SelectionError
from able_brick.core.text import grouped
from able_brick.level.field import field
from able_brick.level.rows import Dimensions, Piece
from able_brick.level.shapes.catalogue import AnyShape
from able_brick.level.shapes.flat_sided import Box
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.tool import Need, Tool

_NEED = Need(kinds=("piece", "placement", "array", "course"), least=1, most=1)


def _drawn(draft: Draft, rows: list[ARow]) -> tuple[Piece, Dimensions]:
    (piece,) = pieces_of(draft, rows)
    if piece.dimensions is None:
        raise SelectionError(f"{piece.name} was not drawn from a shape: it has no dimensions to change.", id=piece.id)
    return piece, piece.dimensions


class SetDimensions(Tool):
    """Make a drawn piece again with other dimensions, for every placement of it."""

    tool: Literal["set_dimensions"] = "set_dimensions"
    title = "Dimensions"
    about = "Changes the dimensions of a drawn piece, everywhere"
    verb = "Make"
    stages = ("kit", "build")
    need = _NEED
    icon = "ruler"
    hidden = True

    shape: AnyShape = field(Box(), "Shape", "The shape and its dimensions", widget="shape")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece, old = _drawn(draft, rows)
        if not piece.live:
            raise SelectionError(
                f"The mesh of {piece.name} was edited, so its dimensions are frozen. "
                "Go back to dimensions first; that drops the edits.",
                id=piece.id,
            )
        if self.shape.kind != old.shape.kind:
            raise SelectionError(f"{piece.name} is a {old.shape.kind}, not a {self.shape.kind}.", id=piece.id)
        made = draft.with_source(piece, self.shape.mesh())
        draft.put(made.changed(dimensions=Dimensions(shape=self.shape, mesh=made.source)))
        draft.note = f"{grouped(piece.facts.triangles)} → {grouped(made.facts.triangles)} tris"


class BackToDimensions(Tool):
    """Drop the edits of a drawn piece's mesh: its dimensions are live again."""

    tool: Literal["back_to_dimensions"] = "back_to_dimensions"
    title = "Back to dimensions"
    about = "Drops the edits of the mesh, so that the dimensions can be changed again"
    verb = "Make"
    stages = ("kit", "build", "shape")
    need = _NEED
    icon = "ruler"
    hidden = True
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece, old = _drawn(draft, rows)
        if piece.live:
            raise SelectionError(f"The dimensions of {piece.name} are live already.", id=piece.id)
        finish, words = piece.live_finish, ""
        if finish is not None and finish.mirror is not None:  # the shape is both halves
            finish, words = finish.model_copy(update={"mirror": None}), " and is no longer mirrored live"
        if finish is not None and finish.levels:
            made = draft.finished(piece, old.shape.mesh(), finish)
        else:
            made = draft.with_source(piece.changed(finish=None), old.shape.mesh())
        draft.put(made.changed(slim=None, dimensions=Dimensions(shape=old.shape, mesh=made.source)))
        draft.note = f"{piece.name} has its dimensions again{words}"
