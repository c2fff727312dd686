"""The whole project at one moment, and edits that lead from one moment to the next. All values are immutable."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any, TypeAlias

from able_brick.core.errors import UnknownIdError
from able_brick.level.rows import Course, LevelRow, LineArray, Path, Piece, Placement

AThing: TypeAlias = Placement | LineArray | Path | Course
ARow: TypeAlias = Piece | LevelRow | AThing


@dataclass(frozen=True)
class Edit:
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
    if isinstance(row, Piece):
        return None
    return row.id if isinstance(row, LevelRow) else row.level


@dataclass(frozen=True)
class Snapshot:
    """Pieces of the kit, levels, and the things of each level; `counters` holds the last number given per kind."""

    pieces: dict[str, Piece] = field(default_factory=dict)
    levels: dict[str, LevelRow] = field(default_factory=dict)
    things: dict[str, dict[str, AThing]] = field(default_factory=dict)
    counters: dict[str, int] = field(default_factory=dict)

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
        return self.things.get(level, {}).get(row)

    def with_edits(self, edits: Iterable[Edit], counters: dict[str, int] | None = None) -> Snapshot:
        """The project after the edits; untouched levels are shared, not copied."""
        pieces, levels, things = self.pieces, self.levels, self.things
        copied: set[str] = set()
        for edit in edits:
            row = edit.after or edit.before
            if row is None:
                continue
            if isinstance(row, Piece):
                pieces = dict(pieces) if pieces is self.pieces else pieces
                _set(pieces, row.id, edit.after)
                continue
            things = dict(things) if things is self.things else things
            if isinstance(row, LevelRow):
                levels = dict(levels) if levels is self.levels else levels
                _set(levels, row.id, edit.after)
                things.setdefault(row.id, {})
                continue
            if row.level not in copied:
                things[row.level] = dict(things.get(row.level, {}))
                copied.add(row.level)
            _set(things[row.level], row.id, edit.after)
        return replace(
            self,
            pieces=pieces,
            levels=levels,
            things=things,
            counters=self.counters if counters is None else counters,
        )


def _set(target: dict[str, Any], key: str, value: object | None) -> None:
    if value is None:
        target.pop(key, None)
    else:
        target[key] = value
