"""Make things independent of the others that show the same piece."""

from __future__ import annotations

from typing import Literal

from able_brick.core.errors import SelectionError
from able_brick.core.text import counted
from able_brick.level.rows import kinds_of_things
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import everything


class MakeIndependent(Tool):
    """A piece of its own, with the same mesh, for what is selected."""

    tool: Literal["make_independent"] = "make_independent"
    title = "Make independent"
    about = "Gives the selection a piece of its own, to be changed without the others"
    verb = "Keep"
    stages = ("build",)
    need = Need(kinds=kinds_of_things(lambda thing: thing.independent), least=1)
    icon = "unlink"
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        shown = [t for t in everything(draft, rows) if t.shows_pieces]
        chosen = {t.id for t in shown}
        made: dict[str, str] = {}
        for piece in dict.fromkeys(p for t in shown for p in t.pieces):
            if all(u.id in chosen for u in draft.users(piece)):
                continue
            source = draft.piece(piece)
            name = draft.unique_name(source.name, "piece")
            own = source.changed(id=draft.new_id("piece"), name=name, twin=None)
            draft.put(own)
            made[piece] = own.id
        if not made:
            raise SelectionError(
                "Nothing else shows the same piece; it is independent already.", received=sorted(chosen)
            )
        changed = [t for t in shown if any(p in made for p in t.pieces)]
        for thing in changed:
            for piece in thing.pieces:
                thing = thing.with_piece(piece, made.get(piece, piece))
            draft.put(thing)
        draft.note = (
            f"{counted(len(changed), 'thing has', 'things have')} {counted(len(made), 'piece', 'pieces')} of their own"
        )
