"""Copies of things, with everything in them."""

from __future__ import annotations

from able_brick.core.place.dock import Motion
from able_brick.level.rows import Group, Measure, Path
from able_brick.level.snapshot import AThing
from able_brick.steps.draft import Draft, Names


def with_courses(draft: Draft, top: AThing) -> list[AThing]:
    """A thing and everything in it; a path with its courses."""
    under = draft.things.under(top)
    return [*under, *draft.things.courses(top.id)] if isinstance(top, Path) else under


class Copier:
    """Makes copies in one step: names are numbered on, and a piece gets one copy of its own unless linked."""

    def __init__(self, draft: Draft, *, linked: bool) -> None:
        self.draft, self.linked = draft, linked
        self._names = Names(t.name for t in draft.things.values())
        self._own: dict[str, str] = {}

    def copy(self, top: AThing, motion: Motion) -> AThing:
        """A copy of a thing and of everything in it, after the motion; groups and paths are those of the copy."""
        sources = with_courses(self.draft, top)
        ids = {s.id: self.draft.new_id(s.kind) for s in sources}
        first: AThing | None = None
        for source in sources:
            fresh: dict[str, object] = {"id": ids[source.id], "name": self._name(source.name)}
            fresh |= source.copied(ids)
            if not self.linked and not isinstance(source, (Path, Group, Measure)):
                fresh["piece"] = self._piece(source.piece)
            made = source.moved(motion).changed(**fresh)
            self.draft.put(made)
            first = first or made
        return first or top

    def _name(self, name: str) -> str:
        made = self._names.following(name)
        self._names.take(made)
        return made

    def _piece(self, piece: str) -> str:
        if piece not in self._own:
            source = self.draft.piece(piece)
            self._own[piece] = self.draft.new_id("piece")
            name = self.draft.unique_name(source.name, "piece")
            self.draft.put(source.changed(id=self._own[piece], name=name))
        return self._own[piece]
