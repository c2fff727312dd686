"""Groups and what is in them, as steps see them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeGuard

from able_brick.core.errors import SelectionError, UnknownIdError
from able_brick.level.rows import AThing, Course, Group, Path, Thing
from able_brick.level.snapshot import ARow
from able_brick.level.things import Things
from able_brick.steps.draft import Draft


def is_thing(row: ARow) -> TypeGuard[AThing]:
    return isinstance(row, Thing)


def tops(draft: Draft, rows: Iterable[ARow]) -> list[AThing]:
    """The things among the rows, without those that are in a group which is among them too."""
    things = [r for r in rows if is_thing(r)]
    chosen = {t.id for t in things if isinstance(t, Group)}
    if not chosen:
        return things
    return [t for t in things if not any(g.id in chosen for g in draft.things.over(t))]


def everything(draft: Draft, rows: Iterable[ARow]) -> list[AThing]:
    """The things among the rows and all that is in them, each once."""
    return [t for top in tops(draft, rows) for t in draft.things.under(top)]


def without_followers(draft: Draft, rows: list[ARow]) -> list[ARow]:
    """The rows without the courses whose paths are among them, or in a group that is: those go along by themselves."""
    paths = {t.id for t in everything(draft, rows) if isinstance(t, Path)}
    return [r for r in rows if not (isinstance(r, Course) and r.path in paths)]


def together(draft: Draft, rows: Iterable[ARow]) -> list[AThing]:
    """The outermost things among the rows, where a course brings its path along, and a path all of its courses: they
    are in one group."""
    out: dict[str, AThing] = {}
    for thing in tops(draft, rows):
        path = draft.things.get(thing.path, thing) if isinstance(thing, Course) else thing
        out[path.id] = path
        if isinstance(path, Path):
            out |= {c.id: c for c in draft.things.courses(path.id)}
    return list(out.values())


def check_group(draft: Draft, group: str | None) -> str | None:
    """The group, or UnknownIdError where there is none of that id."""
    if group is not None and not isinstance(draft.things.get(group), Group):
        raise UnknownIdError(f"There is no group {group!r} (any more). Choose another.", id=group)
    return group


def put_into(draft: Draft, things: Iterable[AThing], group: str | None) -> None:
    """Put things into a group, or out of all; groups that become empty go. Nothing moves.

    Raises SelectionError where a group would be put into itself.
    """
    things = list(things)
    if group is not None:
        into = draft.things.get(group)
        above = {group} | ({g.id for g in draft.things.over(into)} if into is not None else set())
        for thing in things:
            if thing.id in above:
                raise SelectionError(
                    f"{thing.name} cannot be put into itself, nor into a group that is in it. Take that one out first.",
                    received=thing.id,
                )
    for thing in things:
        draft.put(thing.changed(group=group))
    drop_empty(draft, (t.group for t in things))


def drop_empty(draft: Draft, groups: Iterable[str | None]) -> None:
    """Remove those of the groups in which nothing is left in this step, and then those that they were in."""
    for group in dict.fromkeys(groups):
        row = None if group is None else draft.thing(group)
        while isinstance(row, Group) and not draft.holds(row.id):
            draft.remove(row)
            row = None if row.group is None else draft.thing(row.group)


def common_group(draft: Draft, things: list[AThing]) -> str | None:
    """The innermost group that all things are in; None where there is none."""
    paths = [[g.id for g in reversed(draft.things.over(t))] for t in things]
    found = None
    for level in zip(*paths, strict=False):
        if len(set(level)) > 1:
            break
        found = level[0]
    return found


def lock_over(things: Things, thing: AThing) -> AThing | None:
    """What locks a thing: itself, or a group that it is in."""
    return next((t for t in (thing, *things.over(thing)) if t.locked), None)


def locked_of(draft: Draft, rows: Iterable[ARow]) -> list[ARow]:
    """Those of the rows that are locked: themselves, by a group that they are in, or by something in them."""
    out: dict[str, ARow] = {}
    if not draft.things.locked:
        return []
    for row in rows:
        if is_thing(row):
            lock = lock_over(draft.things, row) or next((t for t in draft.things.under(row) if t.locked), None)
            if lock is not None:
                out[lock.id] = lock
    return list(out.values())
