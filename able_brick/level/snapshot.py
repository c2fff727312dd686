"""The whole project at one moment, and edits that lead from one moment to the next. All values are immutable."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import NamedTuple, TypeAlias

from able_brick.core.errors import UnknownIdError
from able_brick.level.ordering import put_into, sorted_rows
from able_brick.level.rows import AThing, LevelRow, Piece
from able_brick.level.rows.instances import Load
from able_brick.level.things import Things

ARow: TypeAlias = Piece | LevelRow | AThing


class Edit(NamedTuple):
    """One row before and after; None where it did not or does not exist."""

    before: ARow | None
    after: ARow | None

    @property
    def id(self) -> str:
        row = self.after or self.before
        return "" if row is None else row.id

    def inverse(self) -> Edit:
        return Edit(self.after, self.before)


def level_of(row: ARow) -> str | None:
    """The level that a row belongs to; None for pieces, which belong to the whole project."""
    kind = type(row)  # to ask each of very many rows whether it is an instance takes several times as long
    if kind is Piece:
        return None
    return row.id if kind is LevelRow else row.level  # type: ignore[union-attr]


@dataclass(frozen=True)
class InLevel:
    """A level as the things in it see it: the pieces of the kit, the other things, and where meshes can be had, by
    their hash."""

    pieces: dict[str, Piece]
    things: Things
    load: Load | None = None

    def piece(self, piece: str) -> Piece | None:
        return self.pieces.get(piece)

    def thing(self, thing: str) -> AThing | None:
        return self.things.get(thing)


_NOTHING = Things()


@dataclass(frozen=True)
class Snapshot:
    """Pieces of the kit, levels, and the things of each level; `counters` holds the last number given per kind. `load`
    gives meshes by their hash, where they can be had."""

    pieces: dict[str, Piece] = field(default_factory=dict)
    levels: dict[str, LevelRow] = field(default_factory=dict)
    things: dict[str, Things] = field(default_factory=dict)
    counters: dict[str, int] = field(default_factory=dict)
    load: Load | None = field(default=None, compare=False, repr=False)

    def level(self, level: str) -> LevelRow:
        """The level's row, or UnknownIdError."""
        found = self.levels.get(level)
        if found is None:
            raise UnknownIdError(f"There is no level {level!r} (any more). Open one of the list.", id=level)
        return found

    def find(self, level: str, row: str) -> ARow | None:
        """A piece of the kit or a thing of the level."""
        if row in self.pieces:
            return self.pieces[row]
        return self.of(level).get(row)

    def of(self, level: str) -> Things:
        """The things of a level; none where there is no such level."""
        return self.things.get(level, _NOTHING)

    def context(self, level: str) -> InLevel:
        """A level as the things in it see it."""
        return InLevel(self.pieces, self.of(level), self.load)

    def with_edits(self, edits: Iterable[Edit], counters: dict[str, int] | None = None) -> Snapshot:
        """The project after the edits; untouched levels are shared, not copied, and rows keep their order."""
        pieces, levels, things = self.pieces, self.levels, self.things
        unsorted: set[str] = set()
        changes: dict[str, dict[str, AThing | None]] = {}
        for before, after in edits:
            row = after or before
            if row is None:
                continue
            kind = type(row)
            if kind is Piece:
                pieces = dict(pieces) if pieces is self.pieces else pieces
                if put_into(pieces, row.id, after, there=after is not None):
                    unsorted.add("pieces")
            elif kind is LevelRow:
                levels = dict(levels) if levels is self.levels else levels
                things = dict(things) if things is self.things else things
                if put_into(levels, row.id, after, there=after is not None):
                    unsorted.add("levels")
                if after is None:
                    things.pop(row.id, None)
                    changes.pop(row.id, None)
                else:
                    things.setdefault(row.id, Things())
            elif (level := row.level) in changes:  # type: ignore[union-attr]
                changes[level][row.id] = after  # type: ignore[assignment]
            elif after is not None or level in levels or level in things:
                changes[level] = {row.id: after}  # type: ignore[dict-item]
        if changes:
            things = dict(things) if things is self.things else things
            for level, put in changes.items():
                things[level] = things.get(level, _NOTHING).after(put)
        return replace(
            self,
            pieces=sorted_rows(pieces) if "pieces" in unsorted else pieces,
            levels=sorted_rows(levels) if "levels" in unsorted else levels,
            things=things,
            counters=self.counters if counters is None else counters,
        )
