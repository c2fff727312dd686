"""The things of one level, and what is known of them: who shows what, what is in which group."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeAlias

from able_brick.level.ordering import Ids, put_all, put_into, row_order, rows_after, sorted_rows
from able_brick.level.rows import AShown, AThing, Course, Group, Placement

_Pairs: TypeAlias = Sequence[tuple[AThing | None, AThing | None]]


class Things(dict[str, AThing]):
    """The things of one level by id, in their order; not changed once it is part of a snapshot.

    What is known of them, such as who shows a piece, goes on with a change instead of being found anew: it is held by
    ids, so that a row that changes costs nothing where it belongs to the same others. `kept` holds what others have
    computed of it, by their own words.
    """

    @cached_property
    def kept(self) -> dict[str, Any]:
        return {}

    @cached_property
    def counted(self) -> dict[str, Any]:
        """What others have computed of how much is shown, by their own words. What a change leads to shares it, where
        that has changed nothing but where single placements stand and how they look."""
        return {}

    @cached_property
    def _index(self) -> _Index:
        return _Index.of(self)

    @cached_property
    def memo(self) -> dict[str, Any]:
        """What others keep by the id of a thing, for as long as the rows are the same that they computed it from; what
        a change leads to shares it."""
        return {}

    def after(self, changes: Mapping[str, AThing | None]) -> Things:
        """The things with some put, and those removed that are None. What is known of them is changed with them."""
        out = Things(self)
        if put_all(out, ((key, row, row is not None) for key, row in changes.items())):
            out = Things(sorted_rows(out))
        if "memo" in self.__dict__:
            out.__dict__["memo"] = self.memo
        get = self.get
        change = _Change.of([(get(key), row) for key, row in changes.items()])
        if "_index" in self.__dict__:
            out.__dict__["_index"] = self._index.after(change)
        if "names" in self.__dict__:
            out.__dict__["names"] = _names_after(self.names, change.pairs)
        if "counted" in self.__dict__ and change.counts_alike:
            out.__dict__["counted"] = self.counted
        if not any(type(row) is Group for pair in change.others for row in pair):
            if "in_circle" in self.__dict__:
                out.__dict__["in_circle"] = self.in_circle
            # ids of what is in groups are the same where none has come into one, or left it
            if "_repeated" in self.__dict__ and not change.regrouped:
                out.__dict__["_repeated"] = self._repeated
        return out

    @cached_property
    def names(self) -> dict[str, int]:
        """How many things have each name."""
        out: dict[str, int] = {}
        for thing in self.values():
            out[thing.name] = out.get(thing.name, 0) + 1
        return out

    def _rows(self, ids: Iterable[str]) -> list[Any]:
        return [self[key] for key in ids]

    def inside(self, group: str) -> list[AThing]:
        """What is directly in a group."""
        return self._rows(self._index.inside.get(group, ()))

    def users(self, piece: str) -> list[AShown]:
        """What shows a piece."""
        return self._rows(self._index.users.get(piece, ()))

    def runs_with(self, piece: str) -> list[AShown]:
        """What shows a piece and is not placed singly: it is no placement, or in a group that shows it more than
        once."""
        runs = self._rows(self._index.shows.get(piece, ()))
        if self._repeated:
            runs += [u for u in self.users(piece) if isinstance(u, Placement) and self.repeats(u.id)]
        return runs

    @property
    def uses(self) -> Mapping[str, Mapping[str, None]]:
        """The ids of what shows each piece."""
        return self._index.users

    def courses(self, path: str) -> list[Course]:
        """The courses along a path."""
        return self._rows(self._index.courses.get(path, ()))

    def depends(self, thing: AThing) -> set[str]:
        """What a thing that is in no repeated group shows or runs along, its groups, and itself; of courses whose
        stations it shares as well."""
        out = {thing.id, *thing.pieces, *(g.id for g in self.over(thing))}
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

    @property
    def runs_and_paths(self) -> list[AThing]:
        """All but the placements."""
        return self._rows(self._index.other)

    @cached_property
    def _repeated(self) -> list[str]:
        repeating_groups = [self[g] for g in self._index.repeating]
        return list(dict.fromkeys(t.id for g in repeating_groups for t in self.under(g) if isinstance(t, Placement)))

    @property
    def repeated(self) -> list[Placement]:
        """The placements that are in groups which show them more than once."""
        return self._rows(self._repeated)

    def repeats(self, placement: str) -> bool:
        """Whether a placement is in a group that shows it more than once."""
        return bool(self._repeated) and placement in self._repeated_set

    @cached_property
    def _repeated_set(self) -> frozenset[str]:
        return frozenset(self._repeated)

    @property
    def locked(self) -> Mapping[str, None]:
        """The ids of what is locked by itself."""
        return self._index.locked

    @property
    def groups_used(self) -> Mapping[str, Mapping[str, None]]:
        """The ids of what is directly in each group, also in those that are not there."""
        return self._index.inside

    @property
    def paths_used(self) -> Mapping[str, Mapping[str, None]]:
        """The ids of the courses along each path, also along those that are not there."""
        return self._index.courses

    def showing(self, touched: Iterable[str]) -> list[AShown]:
        """The arrays, courses, and placements that a group shows more than once, which may stand or look otherwise
        where rows have changed; in their order."""
        found: dict[str, None] = {}
        waiting = list(touched)
        whole: set[str] = set()
        seen: set[str] = set()
        while waiting:
            key = waiting.pop()
            if key in seen:
                continue
            seen.add(key)
            waiting += self._index.shows.get(key, ())
            waiting += self._index.courses.get(key, ())
            if self._repeated:
                waiting += [u for u in self._index.users.get(key, ()) if u in self._repeated_set]
            row = self.get(key)
            if row is None:
                continue
            found[key] = None
            if isinstance(row, Course):
                along = (self[c] for path in row.paths for c in self._index.courses.get(path, ()))
                waiting += [c.id for c in along if isinstance(c, Course) and c.stations == key]
            elif isinstance(row, Group):
                waiting += [t.id for t in self.under(row)]
            for group in self.over(row):
                if repeating(group) and group.id not in whole:
                    # it is as large as all that is in it
                    whole.add(group.id)
                    waiting += [t.id for t in self.under(group)]
        rows = [self[k] for k in found if k in self._index.other or k in self._repeated_set]
        return sorted((r for r in rows if isinstance(r, AShown) and r.pieces), key=lambda r: row_order(r.id))

    @cached_property
    def in_circle(self) -> frozenset[str]:
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
        return found if isinstance(found, Group) and thing.id not in self.in_circle else None

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


@dataclass(frozen=True, eq=False, slots=True)
class _Change:
    """Rows before and after: all of them; those with a group, and whether one has come into one or left it; those of
    which one may show a piece that the other does not; those of which one is no placement; those of which one is
    locked; and whether one has another name."""

    pairs: _Pairs
    grouped: _Pairs
    regrouped: bool
    showing: _Pairs
    others: _Pairs
    locked: _Pairs
    renamed: bool

    @property
    def counts_alike(self) -> bool:
        """Whether as much is shown of everything as before."""
        return not (self.grouped or self.showing or self.others or self.renamed)

    @classmethod
    def of(cls, pairs: _Pairs) -> _Change:
        """Most are placements, of which hardly any is in one of the lists."""
        grouped, showing, others, locked, regrouped, renamed = [], [], [], [], False, False
        for pair in pairs:
            old, new = pair
            left, came = None if old is None else old.group, None if new is None else new.group
            if left is not None or came is not None:
                grouped.append(pair)
                regrouped = regrouped or left != came
            if (old is not None and old.locked) or (new is not None and new.locked):
                locked.append(pair)
            if not ((old is None or type(old) is Placement) and (new is None or type(new) is Placement)):
                others.append(pair)
                showing.append(pair)
            elif old is None or new is None or old.piece != new.piece:
                showing.append(pair)
            else:
                renamed = renamed or old.name != new.name
        return cls(pairs, grouped, regrouped, showing, others, locked, renamed)


@dataclass(frozen=True, eq=False, slots=True)
class _Index:
    """Ids of what is in each group, shows each piece, does so and is no placement, runs along each path; of all but
    the placements; of groups that show more than once what is in them; and of what is locked."""

    inside: Ids
    users: Ids
    shows: Ids
    courses: Ids
    other: dict[str, None]
    repeating: dict[str, None]
    locked: dict[str, None]

    @classmethod
    def of(cls, things: Mapping[str, AThing]) -> _Index:
        out = cls({}, {}, {}, {}, {}, {}, {})
        for key, thing in things.items():
            if thing.locked:
                out.locked[key] = None
            if thing.group is not None:
                out.inside.setdefault(thing.group, {})[key] = None
            for piece in thing.pieces:
                out.users.setdefault(piece, {})[key] = None
            if isinstance(thing, Placement):
                continue
            out.other[key] = None
            for piece in thing.pieces:
                out.shows.setdefault(piece, {})[key] = None
            if isinstance(thing, Course):
                for path in thing.paths:
                    out.courses.setdefault(path, {})[key] = None
            if repeating(thing):
                out.repeating[key] = None
        return out

    def after(self, change: _Change) -> _Index:
        """It with rows before and after."""
        others = change.others
        return _Index(
            rows_after(self.inside, change.grouped, lambda t: () if t.group is None else (t.group,)),
            rows_after(self.users, change.showing, lambda t: t.pieces),
            rows_after(self.shows, others, lambda t: () if isinstance(t, Placement) else t.pieces),
            rows_after(self.courses, others, lambda t: t.paths if isinstance(t, Course) else ()),
            _chosen(self.other, others, lambda t: not isinstance(t, Placement)),
            _chosen(self.repeating, others, repeating),
            _chosen(self.locked, change.locked, lambda t: t.locked),
        )


def repeating(thing: AThing) -> bool:
    """Whether it is a group that shows more than once what is in it."""
    return isinstance(thing, Group) and (thing.repeat is not None or thing.mirror is not None)


def _chosen(ids: dict[str, None], pairs: _Pairs, wanted: Callable[[AThing], bool]) -> dict[str, None]:
    """Ids of what is wanted, with rows before and after."""
    out, unsorted = ids, False
    for old, new in pairs:
        was, now = old is not None and wanted(old), new is not None and wanted(new)
        if was == now:
            continue
        if out is ids:
            out = dict(ids)
        row = new or old
        if row is not None:
            unsorted |= put_into(out, row.id, None, there=now)
    return sorted_rows(out) if unsorted else out


def _names_after(names: dict[str, int], pairs: _Pairs) -> dict[str, int]:
    out = names
    for old, new in pairs:
        before, after = None if old is None else old.name, None if new is None else new.name
        if before == after:
            continue
        if out is names:
            out = dict(names)
        if before is not None:
            out[before] -= 1
            if not out[before]:
                del out[before]
        if after is not None:
            out[after] = out.get(after, 0) + 1
    return out
