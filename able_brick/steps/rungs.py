"""Rungs taken as pieces, and pieces taken as rungs."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.mesh.combine import mapped
from able_brick.core.place.pose import ORIGIN, about_pivot
from able_brick.core.slim.deviation import deviation
from able_brick.core.text import counted, grouped
from able_brick.level.field import field
from able_brick.level.rows import Ladder, Piece, RungTarget, SlimOrigin
from able_brick.level.rows.ladder import MOST_RUNGS
from able_brick.level.sizing import AS_IT_IS, largest_size, metric_of
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.ladder import KINDS, rung_of
from able_brick.steps.tool import Need, Tool


class TakeRung(Tool):
    """A rung in the place of the piece."""

    tool: Literal["take_rung"] = "take_rung"
    title = "Take rung"
    about = "Makes a piece of a rung: a new one for what is selected, or the piece itself, everywhere"
    verb = "Slim"
    key = "T"
    stages = ("slim",)
    need = Need(kinds=KINDS, least=1)
    icon = "chevrons-down"
    previews = False

    rung: int = field(1, "Rung", "Which one, counted from 1", ge=1, le=MOST_RUNGS)
    result: Literal["new piece", "same piece"] = field(
        "new piece", "Result", "A new piece for the selected placements, or the piece itself, everywhere"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        chosen = []
        for piece in pieces_of(draft, rows):
            rungs = () if piece.ladder is None else piece.ladder.rungs
            if self.rung > len(rungs):
                raise SelectionError(
                    f"{piece.name} has {counted(len(rungs), 'rung', 'rungs')}; make a ladder, or take another rung."
                )
            rung = rungs[self.rung - 1]
            key, facts = draft.keep_mesh(draft.load(rung.mesh), piece.axes)
            origin = SlimOrigin(
                piece=piece.id,
                mesh=piece.ladder.source if piece.ladder else piece.mesh,
                triangles=piece.facts.triangles,
                rms=rung.rms,
                largest=rung.largest,
                proven=rung.proven,
                size=piece.ladder.size if piece.ladder else AS_IT_IS,
            )
            fresh: dict[str, object] = {"mesh": key, "facts": facts, "slim": origin}
            if self.result == "new piece":
                fresh |= {
                    "id": draft.new_id("piece"),
                    "twin": None,
                    "ladder": None,
                    "name": draft.unique_name(f"{piece.name} rung {self.rung}", "piece"),
                }
            new = piece.changed(**fresh)
            draft.put(new)
            chosen.append(new.id)
            if new.id != piece.id:
                for row in rows:
                    if not isinstance(row, Piece) and piece.id in getattr(row, "pieces", ()):
                        draft.put(row.with_piece(piece.id, new.id))  # type: ignore[union-attr]
            draft.note = f"{piece.name}: {grouped(piece.facts.triangles)} → {grouped(facts.triangles)} tris"
        if all(isinstance(r, Piece) for r in rows):
            draft.select = tuple(chosen)


class PieceAsRung(Tool):
    """Another piece, such as one from a file, as a rung."""

    tool: Literal["piece_as_rung"] = "piece_as_rung"
    title = "Piece as rung"
    about = "Puts another piece of the shelf among the rungs, such as one that was made elsewhere"
    verb = "Slim"
    stages = ("slim",)
    need = Need(kinds=KINDS, least=1)
    icon = "folder-input"
    previews = False

    piece: str = field("", "Piece", "The piece that is the rung; pivots come to lie on one another", widget="piece")

    @property
    def moves_nothing(self) -> bool:
        return True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        pieces = pieces_of(draft, rows)
        if len(pieces) > 1:
            raise SelectionError(f"A rung is one piece's; {len(pieces)} pieces are selected.", received=len(pieces))
        own, other = pieces[0], draft.piece(self.piece)
        if own.id == other.id:
            raise SelectionError(f"{own.name} cannot be a rung of itself; choose another piece.", field="piece")
        mesh, theirs = draft.mesh(own), draft.mesh(other)
        if not mesh.triangle_count or not theirs.triangle_count:
            raise GeometryError(f"{other.name} has no faces." if mesh.triangle_count else f"{own.name} has no faces.")
        x, y, z, w = own.axes
        # from the axes of the one pivot to those of the other
        local = about_pivot(theirs.positions, other.pivot, other.axes)
        there = about_pivot(local, ORIGIN, (-x, -y, -z, w)) + np.asarray(own.pivot)
        turn = about_pivot(about_pivot(np.eye(3), ORIGIN, other.axes), ORIGIN, (-x, -y, -z, w))
        placed = mapped(theirs, there, turn.T)
        key, _ = draft.keep_mesh(placed, own.axes)
        target = RungTarget(kind="count", value=placed.triangle_count)
        before = own.ladder or Ladder(source=own.mesh, rungs=(), size=largest_size(draft.snapshot, own))
        rung = rung_of(target, key, placed, deviation(mesh, placed, metric=metric_of(before.size, own)), other.name)
        if len(before.rungs) >= MOST_RUNGS:
            raise GeometryError(f"{own.name} has {MOST_RUNGS} rungs already; make a ladder of fewer first.")
        rungs = sorted((*before.rungs, rung), key=lambda r: -r.triangles)
        draft.put(own.changed(ladder=before.model_copy(update={"rungs": tuple(rungs)})))
        draft.note = f"{other.name} is rung {rungs.index(rung) + 1} of {own.name}: {grouped(rung.triangles)} tris"
