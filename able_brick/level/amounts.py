"""How many items a level shows, counted without computing where they stand."""

from __future__ import annotations

from contextlib import suppress
from typing import Final

from able_brick.core.errors import GeometryError
from able_brick.level.rows import Array, AThing, Course, Placement
from able_brick.level.snapshot import InLevel
from able_brick.level.things import Things

#: A level shows no more items than this: placements, and the items of arrays, courses and what groups repeat.
MOST_SHOWN: Final = 500_000
#: Courses of a level have no more forms than this: bent items that are not alike have a mesh each.
MOST_FORMS: Final = 30_000


def items_in(context: InLevel) -> int:
    """The items that a level shows, those with them that are left out of arrays of groups. A course that cannot be laid
    counts as none."""
    things = context.things
    times: dict[str | None, int] = {None: 1}
    others = things.runs_and_paths
    total = len(things) - len(others) - len(things.repeated)
    for thing in (*others, *things.repeated):
        total += _own(thing, context) * _times(things, thing, times)
    return total


def forms_in(context: InLevel) -> int:
    """The forms of the items of a level's courses. One that cannot be laid counts as none."""
    total = 0
    for thing in context.things.runs_and_paths:
        if isinstance(thing, Course):
            with suppress(GeometryError):
                shown = thing.shown(context)
                total += 0 if shown is None else len(shown.batches)
    return total


def _own(thing: AThing, context: InLevel) -> int:
    """The items of a thing by itself."""
    match thing:
        case Placement():
            return 1
        case Array():
            return thing.total
        case Course():
            try:
                shown = thing.shown(context)
            except GeometryError:
                return 0
            return 0 if shown is None else shown.count
        case _:
            return 0


def _times(things: Things, thing: AThing, times: dict[str | None, int]) -> int:
    """How many times the groups that a thing is in show it."""
    group = things.parent(thing)
    key = None if group is None else group.id
    if group is not None and key not in times:
        repeats = 1 if group.repeat is None else group.repeat.total
        times[key] = repeats * (1 if group.mirror is None else 2) * _times(things, group, times)
    return times[key]
