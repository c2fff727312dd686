"""What can be pulled at the end of a live array: how many items there are, and how far they go."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from able_brick.core.errors import SelectionError, UnknownIdError
from able_brick.core.place.pose import vector
from able_brick.level.forms import End
from able_brick.level.repeats import extent_of
from able_brick.level.rows import Array, Group, Repeat
from able_brick.level.snapshot import Snapshot


class Ends(BaseModel):
    """What can be pulled, and the settings of the array that it is part of."""

    settings: Repeat
    ends: list[End]


def ends_of(snapshot: Snapshot, level: str, thing: str) -> Ends:
    """The ends of an array, or of a group that is one. Raises UnknownIdError, and SelectionError for what is none."""
    row = snapshot.find(level, thing)
    if row is None:
        raise UnknownIdError(f"There is no {thing!r} in the level (any more).", id=thing)
    context = snapshot.context(level)
    repeat: Repeat
    if isinstance(row, Array):
        piece = context.piece(row.piece)
        repeat = row
        extent = np.zeros(3) if piece is None else row.extent(piece)
    elif isinstance(row, Group) and row.repeat is not None:
        repeat, extent = row.repeat, extent_of(row, context)
    else:
        raise SelectionError(f"{row.name} is no array; make one of it first.", received=thing)
    turn, origin = row.own_axes, np.asarray(row.position, np.float64)
    ends = [
        end.model_copy(
            update={
                "at": vector(origin + turn.apply(end.at)),
                "base": vector(origin + turn.apply(end.base)),
                "way": vector(turn.apply(end.way)),
            }
        )
        for end in repeat.ends(extent, snapshot.levels[level].step)
    ]
    return Ends(settings=Repeat.model_validate(repeat.repeat()), ends=ends)
