"""Carry things along: everything that stands in the level follows a motion."""

from __future__ import annotations

from able_brick.core.place.dock import Motion
from able_brick.level.things import AThing
from able_brick.steps.draft import Draft


def carry(draft: Draft, top: AThing, motion: Motion) -> None:
    """Carry a thing and everything in it."""
    for thing in draft.things.under(top):
        draft.put(thing.moved(motion))
