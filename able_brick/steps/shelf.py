"""Keep the shelf in order: duplicate, tag and replace pieces."""

from __future__ import annotations

from typing import Literal

from able_brick.core.errors import InputError, SelectionError
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Array, AShown, Course, Piece, Placement
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.tool import Need, Tool

_MOST_TAGS = 24


class DuplicatePiece(Tool):
    """Another piece with the same mesh, to be changed on its own."""

    tool: Literal["duplicate_piece"] = "duplicate_piece"
    title = "Duplicate piece"
    about = "Makes a second piece with the same mesh, pivot and dimensions, to be changed on its own"
    verb = "Keep"
    stages = ("kit", "build")
    need = Need(kinds=("piece",), least=1)
    icon = "copy-plus"
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        made = []
        for piece in pieces_of(draft, rows):
            name = draft.unique_name(piece.name, "piece")
            twin = piece.changed(id=draft.new_id("piece"), name=name, twin=None)
            draft.put(twin)
            made.append(twin.id)
        draft.select = tuple(made)
        draft.note = f"{counted(len(made), 'piece', 'pieces')} made"


class TagPieces(Tool):
    """Words by which pieces are found."""

    tool: Literal["tag_pieces"] = "tag_pieces"
    title = "Tags"
    about = "Words by which the selected pieces are found on the shelf"
    verb = "Keep"
    stages = ("kit", "build")
    need = Need(kinds=("piece",), least=1)
    icon = "tags"
    prefill = True

    tags: tuple[str, ...] = field((), "Tags", "Words, with commas between them", widget="words", max_length=_MOST_TAGS)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        words = dict.fromkeys(" ".join(t.split()) for t in self.tags)
        words.pop("", None)
        long = [w for w in words if len(w) > 40]
        if long:
            raise InputError(f"The tag “{long[0][:20]}…” has {len(long[0])} letters; give at most 40.", field="tags")
        for piece in pieces_of(draft, rows):
            draft.put(piece.changed(tags=tuple(words)))
        draft.note = ", ".join(words) or "No tags"


class ReplacePiece(Tool):
    """Show another piece where one stands."""

    tool: Literal["replace_piece"] = "replace_piece"
    title = "Replace"
    about = "Another piece takes the place of this one, pivot on pivot, everywhere or where selected"
    verb = "Place"
    stages = ("kit", "build")
    need = Need(kinds=("piece", "placement", "array", "course"), least=1)
    icon = "replace"

    by: str = field("", "By", "The piece that takes its place", widget="piece")
    where: Literal["everywhere", "selected"] = field(
        "everywhere", "Where", "In all levels, or only the selected placements"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        new = draft.piece(self.by)
        old = [p for p in pieces_of(draft, rows) if p.id != new.id]
        if not old:
            raise SelectionError(f"That is {new.name} already; choose another piece.", id=new.id)
        users: list[Placement | Array | Course]
        if self.where == "selected" and not all(isinstance(r, Piece) for r in rows):
            users = [r for r in rows if isinstance(r, AShown) and r.pieces != (new.id,)]
        else:
            users = [u for p in old for u in draft.users(p.id)]
        if not users:
            names = ", ".join(p.name for p in old[:3])
            raise SelectionError(f"{names} stands nowhere; there is nothing to replace.", received=[p.id for p in old])
        for user in users:
            for piece in old:
                user = user.with_piece(piece.id, new.id)
            draft.put(user if isinstance(user, Course) else user.changed(image=None))
        draft.select = tuple(u.id for u in users if u.level == draft.level_id)
        elsewhere = len({u.level for u in users} - {draft.level_id})
        also = f", also in {counted(elsewhere, 'other level', 'other levels')}" if elsewhere else ""
        draft.note = f"{counted(len(users), 'thing shows', 'things show')} {new.name} now{also}"
