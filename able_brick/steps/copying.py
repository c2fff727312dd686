"""Copies of things, with everything in them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Final

import numpy as np

from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.copies import check_items
from able_brick.core.place.dock import Motion, plain_all
from able_brick.core.place.pose import Vector
from able_brick.level.field import field
from able_brick.level.rows import AThing, Path, Placement, Scaling
from able_brick.level.things import repeating
from able_brick.steps.draft import Draft, Names

#: Beyond so many copies a preview has one placement for all.
_PREVIEWED_ONE_BY_ONE: Final = 500


def with_courses(draft: Draft, top: AThing) -> list[AThing]:
    """A thing and everything in it; paths with their courses."""
    under = draft.things.under(top)
    inside = {t.id for t in under}
    along = [c for t in under if isinstance(t, Path) for c in draft.things.courses(t.id) if c.id not in inside]
    return [*under, *dict.fromkeys(along)] if along else under


def linked_field() -> Any:
    """Whether copies share the piece."""
    return field(True, "Linked", "Copies share the piece; off gives each copy a piece of its own")


def check_copies(draft: Draft, things: Iterable[AThing], count: int) -> None:
    """GeometryError for too many copies of things, with everything in them."""
    check_items(count * sum(len(with_courses(draft, t)) for t in things), "The run of copies")


class Copier:
    """Makes copies in one step: names are numbered on, and a piece gets one copy of its own unless linked.

    The level keeps which was the last copy, and of what: one more goes on from there.
    """

    def __init__(self, draft: Draft, *, linked: bool) -> None:
        self.draft, self.linked = draft, linked
        self._names = Names(draft.things.names)
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
            if not self.linked and made.shows_pieces:
                for piece in made.pieces:
                    made = made.with_piece(piece, self._piece(piece))
            self.draft.put(made)
            first = first or made
        made = first or top
        self._made(top, made)
        return made

    def _made(self, top: AThing, made: AThing) -> None:
        before = self._last[1] if self._last is not None and self._last[0] == top.id else top.id
        self._last = (top.id, made.id)
        self.draft.copied = (before, made.id)

    def copies(self, top: AThing, shifts: Floats) -> list[str]:
        """Copies of a thing and of everything in it, each shifted (N,3) from where it stands; their ids."""
        about = np.asarray(top.anchor)
        if not isinstance(top, Placement) or not self.linked:
            still = Rotation.identity()
            return [self.copy(top, Motion(still, about, shift)).id for shift in shifts]
        places = plain_all(about + shifts)
        # all lie between the first and the last, or are refused there
        top.changed(position=places[-1])
        repeated = any(map(repeating, self.draft.things.over(top)))
        if self.draft.preview and len(places) > _PREVIEWED_ONE_BY_ONE and not repeated:
            return self._instanced(top, places)
        fresh: Iterable[dict[str, object]] = (
            {"id": self.draft.new_id(top.kind), "name": self._name(top.name), "position": p} for p in places
        )
        made = list(top.like(fresh))
        for one in made:
            self.draft.put(one)
        for one in made[-2:]:
            self._made(top, one)
        return [one.id for one in made]

    def _instanced(self, top: Placement, places: list[Vector]) -> list[str]:
        """One copy, shown at all places."""
        one = top.changed(id=self.draft.new_id(top.kind), name=self._name(top.name), position=places[0])
        self.draft.put(one)
        rest = np.tile((*one.turn, *one.size), (len(places), 1))
        self.draft.preview_poses[one.id] = np.concatenate([np.asarray(places), rest], axis=1)
        return [one.id] * len(places)

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
