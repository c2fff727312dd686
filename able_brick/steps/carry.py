"""Carry things along: everything that stands in the level follows a motion."""

from __future__ import annotations

import numpy as np

from able_brick.core.place.dock import Motion
from able_brick.core.place.pose import vector
from able_brick.level.rows import Course, Measure, Path, Point, Vector
from able_brick.level.snapshot import AThing
from able_brick.steps.draft import Draft


def carried(thing: AThing, motion: Motion) -> AThing:
    """The thing after the motion; a course stays as it is, it follows its path."""
    if isinstance(thing, Course):
        return thing
    if isinstance(thing, Path):

        def turned(handle: Vector | None) -> Vector | None:
            return None if handle is None else vector(motion.turn.apply(handle))

        return thing.changed(
            points=tuple(
                Point(
                    position=vector(motion.point(np.asarray(p.position, np.float64))),
                    handle_in=turned(p.handle_in),
                    handle_out=turned(p.handle_out),
                )
                for p in thing.points
            )
        )
    if isinstance(thing, Measure):
        start, end = (vector(motion.point(np.asarray(p, np.float64))) for p in (thing.start, thing.end))
        return thing.changed(start=start, end=end)
    position, turn = motion.stand(thing.position, thing.turn)
    return thing.changed(position=position, turn=turn)


def carry(draft: Draft, top: AThing, motion: Motion) -> None:
    """Carry a thing and everything in it."""
    for thing in draft.things.under(top):
        draft.put(carried(thing, motion))
