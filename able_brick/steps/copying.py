"""Copies of things, with everything in them."""

from __future__ import annotations

from collections.abc import Callable

from able_brick.core.place.dock import Motion
from able_brick.level.rows import Group, Measure, Path, Scaling
from able_brick.level.things import AThing
from able_brick.steps.draft import Draft, Names


def with_courses(draft: Draft, top: AThing) -> list[AThing]:
    """A thing and everything in it; paths with their courses."""
    under = draft.things.under(top)
    known = {t.id for t in under}
    along = [c for t in under if isinstance(t, Path) for c in draft.things.courses(t.id) if c.id not in known]
    return [*under, *dict.fromkeys(along)] if along else under


class Copier:
    """Makes copies in one step: names are numbered on, and a piece gets one copy of its own unless linked.

    The level keeps which was the last copy, and of what: one more goes on from there.
    """

    def __init__(self, draft: Draft, *, linked: bool) -> None:
        self.draft, self.linked = draft, linked
        self._names = Names(t.name for t in draft.things.values())
        self._own: dict[str, str] = {}
        self._last: tuple[str, str] | None = None

    def copy(
        self, top: AThing, motion: Motion | None, change: Scaling | Callable[[AThing], AThing] | None = None
    ) -> AThing:
        """A copy of a thing and of everything in it, sized or otherwise changed, then moved; groups and paths are those
        of the copy."""
        sources = with_courses(self.draft, top)
        ids = {s.id: self.draft.new_id(s.kind) for s in sources}
        first: AThing | None = None
        for source in sources:
            made = source
            if isinstance(change, Scaling):
                made = made.sized(change)
            elif change is not None:
                made = change(made)
            if motion is not None:
                made = made.moved(motion)
            fresh: dict[str, object] = {"id": ids[source.id], "name": self._name(source.name)}
            fresh |= source.copied(ids)
            made = made.changed(**fresh)
            if not self.linked and not isinstance(made, (Path, Group, Measure)):
                for piece in made.pieces:
                    made = made.with_piece(piece, self._piece(piece))
            self.draft.put(made)
            first = first or made
        made = first or top
        before = self._last[1] if self._last is not None and self._last[0] == top.id else top.id
        self._last = (top.id, made.id)
        self.draft.put(self.draft.level.changed(copied=(before, made.id)))
        return made

    def _name(self, name: str) -> str:
        made = self._names.following(name)
        self._names.take(made)
        return made

    def _piece(self, piece: str) -> str:
        if piece not in self._own:
            source = self.draft.piece(piece)
            self._own[piece] = self.draft.new_id("piece")
            name = self.draft.unique_name(source.name, "piece")
            self.draft.put(source.changed(id=self._own[piece], name=name, twin=None))
        return self._own[piece]
