"""Groups and what is in them, as steps see them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeGuard

from able_brick.core.errors import SelectionError, UnknownIdError
from able_brick.level.rows import Course, Group, Path, Piece, Thing
from able_brick.level.snapshot import ARow, AThing
from able_brick.steps.draft import Draft


def is_thing(row: ARow) -> TypeGuard[AThing]:
    return isinstance(row, Thing)


def tops(draft: Draft, rows: Iterable[ARow]) -> list[AThing]:
    """The things among the rows, without those that are in a group which is among them too."""
    things = [r for r in rows if is_thing(r)]
    chosen = {t.id for t in things}
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
        path = draft.things[thing.path] if isinstance(thing, Course) else thing
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
    moved = {t.id for t in things}
    for thing in things:
        if thing.group is not None and thing.group != group:
            drop_empty(draft, thing.group, moved)


def drop_empty(draft: Draft, group: str, gone: set[str]) -> None:
    """Remove a group, and those that it is in, when nothing is left in it but what is gone."""
    row = draft.things.get(group)
    while isinstance(row, Group) and row.id not in gone:
        if any(t.id not in gone for t in draft.things.inside(row.id)):
            return
        draft.remove(row)
        gone.add(row.id)
        row = draft.things.get(row.group) if row.group else None


def common_group(draft: Draft, things: list[AThing]) -> str | None:
    """The innermost group that all things are in; None where there is none."""
    paths = [[g.id for g in reversed(draft.things.over(t))] for t in things]
    found = None
    for level in zip(*paths, strict=False):
        if len(set(level)) > 1:
            break
        found = level[0]
    return found


def locked_of(draft: Draft, rows: Iterable[ARow]) -> list[ARow]:
    """Those of the rows that are locked: themselves, by a group that they are in, or by something in them."""
    out: list[ARow] = []
    for row in rows:
        if isinstance(row, Piece) or not is_thing(row):
            continue
        lock = next((t for t in (*draft.things.over(row), *draft.things.under(row)) if t.locked), None)
        if lock is not None and lock not in out:
            out.append(lock)
    return out
