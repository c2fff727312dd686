"""Hide and lock things of the level."""

from __future__ import annotations

from typing import Literal

from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Thing, kinds_of_things
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool


class SetMarks(Tool):
    """Hide or show, lock or unlock; what is left out stays."""

    tool: Literal["set_marks"] = "set_marks"
    title = "Hide or lock"
    about = "Hidden things are not drawn, locked ones cannot be changed; both are still exported"
    verb = "Keep"
    stages = ("build",)
    need = Need(kinds=kinds_of_things(), least=1)
    hidden = True
    on_locked = True
    adjustable = False
    icon = "eye-off"

    hide: bool | None = field(None, "Hide", "Not drawn, and not selected in the view")
    lock: bool | None = field(None, "Lock", "Not selected in the view, and not changed")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        marks = {k: v for k, v in (("hidden", self.hide), ("locked", self.lock)) if v is not None}
        things = [r for r in rows if isinstance(r, Thing)]
        for thing in things:
            draft.put(thing.changed(**marks))
        if self.hide:
            draft.select = ()
        words = {(None, True): "locked", (None, False): "unlocked", (True, None): "hidden", (False, None): "shown"}
        draft.note = f"{counted(len(things), 'thing', 'things')} {words.get((self.hide, self.lock), 'marked')}"
