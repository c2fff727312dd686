"""The whole project at one moment, and edits that lead from one moment to the next. All values are immutable."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, TypeAlias

from able_brick.core.errors import UnknownIdError
from able_brick.level.rows import Array, Course, Group, LevelRow, Measure, Path, Piece, Placement

AShown: TypeAlias = Placement | Array | Course
AThing: TypeAlias = AShown | Path | Group | Measure
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


def row_order(row: str) -> tuple[str, int]:
    """Rows are kept by kind, and in each kind as they were made; an id without a number comes first."""
    kind, _, number = row.rpartition("-")
    return (kind, int(number)) if number.isdecimal() and len(number) < 19 else (row, -1)


def level_of(row: ARow) -> str | None:
    """The level that a row belongs to; None for pieces, which belong to the whole project."""
    if isinstance(row, Piece):
        return None
    return row.id if isinstance(row, LevelRow) else row.level


@dataclass(frozen=True)
class InLevel:
    """A level as the things in it see it: the pieces of the kit, and the other things."""

    pieces: dict[str, Piece]
    things: Things

    def piece(self, piece: str) -> Piece | None:
        return self.pieces.get(piece)

    def thing(self, thing: str) -> AThing | None:
        return self.things.get(thing)


class Things(dict[str, AThing]):
    """The things of one level by id; not changed once it is part of a snapshot, so that it can know its own order.

    `kept` holds what others have reckoned of it, by their own words.
    """

    @cached_property
    def kept(self) -> dict[str, Any]:
        return {}

    @cached_property
    def _index(self) -> tuple[dict[str, list[AThing]], dict[str, list[AShown]], dict[str, list[Course]], list[AThing]]:
        """What is in each group, shows each piece, runs along each path; and all but the placements."""
        inside: dict[str, list[AThing]] = {}
        users: dict[str, list[AShown]] = {}
        courses: dict[str, list[Course]] = {}
        other: list[AThing] = []
        for thing in self.values():
            if thing.group is not None:
                inside.setdefault(thing.group, []).append(thing)
            if isinstance(thing, (Path, Group, Measure)):
                other.append(thing)
                continue
            for piece in thing.pieces:
                users.setdefault(piece, []).append(thing)
            if not isinstance(thing, Placement):
                other.append(thing)
                if isinstance(thing, Course):
                    for path in thing.paths:
                        courses.setdefault(path, []).append(thing)
        return inside, users, courses, other

    def inside(self, group: str) -> list[AThing]:
        """What is directly in a group."""
        return self._index[0].get(group, [])

    def users(self, piece: str) -> list[AShown]:
        """What shows a piece."""
        return self._index[1].get(piece, [])

    @property
    def uses(self) -> dict[str, list[AShown]]:
        """What shows each piece."""
        return self._index[1]

    def courses(self, path: str) -> list[Course]:
        """The courses along a path."""
        return self._index[2].get(path, [])

    def depends(self, thing: AThing) -> set[str]:
        """What a thing shows or runs along, and itself; of courses whose stations it shares as well."""
        out = {thing.id, *thing.pieces, *self._shown_with(thing)}
        while isinstance(thing, Course):
            out |= {thing.id, *thing.pieces, *thing.paths}
            base = None if thing.stations is None or thing.stations in out else self.get(thing.stations)
            if base is None:
                break
            thing = base
        return out

    def released(self, touched: set[str]) -> list[Placement]:
        """Placements that may have been shown more than once before: those that were touched, or are in what was."""
        found = {t: self[t] for t in touched if t in self}
        out = {t.id: t for top in found.values() for t in self.under(top) if isinstance(t, Placement)}
        return list(out.values())

    def _shown_with(self, thing: AThing) -> set[str]:
        """The groups that show a thing more than once, and all that is in them: it is what they are as large as."""
        out: set[str] = set()
        for group in self.over(thing):
            if group.repeat is not None or group.mirror is not None:
                out |= {group.id, *(t.id for t in self.under(group)), *(p for t in self.under(group) for p in t.pieces)}
            out.add(group.id)
        return out

    @property
    def runs_and_paths(self) -> list[AThing]:
        """All but the placements."""
        return self._index[3]

    @cached_property
    def repeated(self) -> list[Placement]:
        """The placements that are in groups which show them more than once."""
        many = [
            g for g in self.runs_and_paths if isinstance(g, Group) and (g.repeat is not None or g.mirror is not None)
        ]
        found = {t.id: t for g in many for t in self.under(g) if isinstance(t, Placement)}
        return list(found.values())

    @property
    def groups_used(self) -> dict[str, list[AThing]]:
        """What is directly in each group, also in those that are not there."""
        return self._index[0]

    @property
    def paths_used(self) -> dict[str, list[Course]]:
        """The courses along each path, also along those that are not there."""
        return self._index[2]

    @cached_property
    def _in_circle(self) -> frozenset[str]:
        """Groups that are, through others, in themselves: only a file from elsewhere has such."""
        done: set[str] = set()
        circle: set[str] = set()
        for group in self.groups_used:
            way: list[str] = []
            at: str | None = group
            while at is not None and at not in done and at not in way:
                way.append(at)
                row = self.get(at)
                at = row.group if isinstance(row, Group) else None
            if at in way:
                circle |= set(way[way.index(at) :])
            done |= set(way)
        return frozenset(circle)

    def parent(self, thing: AThing) -> Group | None:
        """The group that a thing is in; None at the root, where its group is not there, and for groups in a circle."""
        if thing.group is None:
            return None
        found = self.get(thing.group)
        return found if isinstance(found, Group) and thing.id not in self._in_circle else None

    def roots(self) -> list[AThing]:
        """What is in no group."""
        return [t for t in self.values() if self.parent(t) is None]

    def under(self, thing: AThing) -> list[AThing]:
        """A thing and everything in it, however deep; parents before what is in them."""
        out, waiting = [], [thing]
        while waiting:
            one = waiting.pop()
            out.append(one)
            if isinstance(one, Group):
                waiting += [t for t in reversed(self.inside(one.id)) if self.parent(t) is not None]
        return out

    def over(self, thing: AThing) -> list[Group]:
        """The groups that a thing is in, the innermost first."""
        out: list[Group] = []
        found = self.parent(thing)
        while found is not None:
            out.append(found)
            found = self.parent(found)
        return out


_NOTHING = Things()


@dataclass(frozen=True)
class Snapshot:
    """Pieces of the kit, levels, and the things of each level; `counters` holds the last number given per kind."""

    pieces: dict[str, Piece] = field(default_factory=dict)
    levels: dict[str, LevelRow] = field(default_factory=dict)
    things: dict[str, Things] = field(default_factory=dict)
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
        return self.of(level).get(row)

    def of(self, level: str) -> Things:
        """The things of a level; none where there is no such level."""
        return self.things.get(level, _NOTHING)

    def around(self, level: str) -> InLevel:
        """A level as the things in it see it."""
        return InLevel(self.pieces, self.of(level))

    def with_edits(self, edits: Iterable[Edit], counters: dict[str, int] | None = None) -> Snapshot:
        """The project after the edits; untouched levels are shared, not copied, and rows keep their order."""
        pieces, levels, things = self.pieces, self.levels, self.things
        copied: set[str] = set()
        unsorted: set[str] = set()
        for edit in edits:
            row = edit.after or edit.before
            if row is None:
                continue
            if isinstance(row, Piece):
                pieces = dict(pieces) if pieces is self.pieces else pieces
                if _set(pieces, row.id, edit.after):
                    pieces = _sorted(pieces)
                continue
            things = dict(things) if things is self.things else things
            if isinstance(row, LevelRow):
                levels = dict(levels) if levels is self.levels else levels
                if _set(levels, row.id, edit.after):
                    levels = _sorted(levels)
                if edit.after is None:
                    things.pop(row.id, None)
                else:
                    things.setdefault(row.id, Things())
                continue
            if edit.after is None and row.level not in levels and row.level not in things:
                continue  # it has gone with its level
            if row.level not in copied:
                things[row.level] = Things(things.get(row.level, {}))
                copied.add(row.level)
            if _set(things[row.level], row.id, edit.after):
                unsorted.add(row.level)
        for level in unsorted & things.keys():
            things[level] = Things(_sorted(things[level]))
        return replace(
            self,
            pieces=pieces,
            levels=levels,
            things=things,
            counters=self.counters if counters is None else counters,
        )


def _set(target: dict[str, Any], key: str, value: object | None) -> bool:
    """Put or remove a row; whether a new one stands out of order now."""
    if value is None:
        target.pop(key, None)
        return False
    last = next(reversed(target), None) if key not in target else None
    target[key] = value
    return last is not None and row_order(key) < row_order(last)


def _sorted(rows: dict[str, Any]) -> dict[str, Any]:
    return dict(sorted(rows.items(), key=lambda kv: row_order(kv[0])))
