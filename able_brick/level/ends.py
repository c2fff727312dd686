"""What can be pulled at the end of a live array: how many items there are, and how far they go."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel

from able_brick.core.errors import SelectionError, UnknownIdError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.place.pose import vector
from able_brick.level.repeats import extent_of
from able_brick.level.rows import Array, Group, Repeat, Vector
from able_brick.level.rows.array import axis_vector
from able_brick.level.snapshot import Snapshot

EndOf = Literal["count", "spacing", "rows", "row_spacing", "layers", "layer_spacing", "radius", "sweep"]


class End(BaseModel):
    """Something to pull: the setting that it changes, and where its tab is, metres.

    Pulled along a line from `base` in the direction `way`; or, where it is a `turn`, round `base` about `way`. With so
    many metres, or degrees, the setting grows by `gain` times that, from `value`; it goes in steps of `step`, and is at
    least `least`.
    """

    of: EndOf
    words: str
    at: Vector
    base: Vector
    way: Vector
    turn: bool
    value: float
    gain: float
    least: float
    most: float
    step: float
    unit: str


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
    found = _of_ring(repeat) if repeat.form == "ring" else _of_grid(repeat, extent, snapshot.levels[level].step)
    turn, origin = row.own_axes, np.asarray(row.position, np.float64)
    ends = [
        end.model_copy(
            update={
                "at": vector(origin + turn.apply(end.at)),
                "base": vector(origin + turn.apply(end.base)),
                "way": vector(turn.apply(end.way)),
            }
        )
        for end in found
    ]
    return Ends(settings=Repeat.model_validate(repeat.repeat()), ends=ends)


def _of_grid(repeat: Repeat, extent: Floats, grid: float) -> list[End]:
    """Ends as the first item sees them."""
    out: list[End] = []
    ways: list[tuple[str, str, EndOf, EndOf, str]] = [(repeat.axis, "Items", "count", "spacing", "Spacing")]
    if repeat.form == "grid":
        across = repeat.across
        ways += [
            (across[0], "Rows", "rows", "row_spacing", "Row spacing"),
            (across[1], "Layers", "layers", "layer_spacing", "Layer spacing"),
        ]
    for axis, field, count_of, spacing_of, spacing_words in ways:
        count, spacing = int(getattr(repeat, count_of)), float(getattr(repeat, spacing_of))
        own = float(extent["xyz".index(axis[-1])])
        fitted = repeat.spacing_by == "fitted"
        pitch = repeat.pitch(extent, axis, spacing, count)
        if fitted and count == 1:
            pitch = spacing - own
        if not abs(pitch) > 1e-9:
            pitch = own or grid
        way = np.asarray(axis_vector(axis)) * (1.0 if pitch > 0 else -1.0)
        pitch = abs(pitch)
        last = way * pitch * (count - 1)
        # half an item on from the last one, which one more would push on by one
        tab = last + way * pitch / 2
        # where the length stays, an own length pulled is one more in it
        gain = 1.0 / (max(own, grid) if fitted else pitch)
        out.append(_line(count_of, field, tab, way, count, gain, 1, MOST_ITEMS, 1, ""))
        if count > 1:
            sign = 1.0 if spacing > 0 else -1.0
            gains = {"metres": 1.0 / (count - 1), "fitted": 1.0, "lengths": 1.0 / (own * (count - 1)) if own else 0.0}
            step = 0.05 if repeat.spacing_by == "lengths" else grid
            unit = "×" if repeat.spacing_by == "lengths" else "m"
            words = "Length over all" if fitted else spacing_words
            least = own + 1e-3 if fitted else 1e-3
            low, high = (least, 1e5) if sign > 0 else (-1e5, -least)
            gain = gains[repeat.spacing_by] * sign
            out.append(_line(spacing_of, words, last, way, spacing, gain, low, high, step, unit))
    return [end for end in out if end.gain]


def _line(
    of: EndOf,
    words: str,
    at: Floats,
    way: Floats,
    value: float,
    gain: float,
    least: float,
    most: float,
    step: float,
    unit: str,
) -> End:
    return End(
        of=of,
        words=words,
        at=vector(at),
        base=(0.0, 0.0, 0.0),
        way=vector(way),
        turn=False,
        value=value,
        gain=gain,
        least=least,
        most=most,
        step=step,
        unit=unit,
    )


def _of_ring(repeat: Repeat) -> list[End]:
    """Ends of a ring as the first item sees them: the radius by its centre, the count along its circle, and how much
    of the circle by the last item."""
    centre = repeat.centre
    radius = float(np.linalg.norm(centre))
    axis = np.eye(3)["xyz".index(repeat.ring_about)]
    toward = centre / radius if radius > 0 else repeat.toward
    out = [_line("radius", "Radius", centre, toward, repeat.radius, 1.0, 0.01, 1e5, 0.25, "m")]
    whole = abs(abs(repeat.sweep) - 360.0) < 1e-9
    parts = repeat.count if whole else max(repeat.count - 1, 1)
    angle = np.radians(repeat.sweep) / parts * (repeat.count - 1)
    outward = -centre
    side = np.cross(axis, outward)
    last = centre + outward * np.cos(angle) + side * np.sin(angle)
    if whole:  # across from the first item, where the handles are not
        angle = np.pi
    tangent = (side * np.cos(angle) - outward * np.sin(angle)) * np.sign(repeat.sweep)
    if radius > 1e-9:
        tangent = tangent / radius
        base = centre + outward * np.cos(angle) + side * np.sin(angle)
        pitch = max(radius * abs(np.radians(repeat.sweep)) / parts, 1e-6)
        count = _line(
            "count", "Items", base + tangent * pitch / 2, tangent, repeat.count, 1 / pitch, 1, MOST_ITEMS, 1, ""
        )
        out.append(count.model_copy(update={"base": vector(base)}))
        if not whole and repeat.count > 1:
            low, high = (1.0, 359.0) if repeat.sweep > 0 else (-359.0, -1.0)
            sweep = _line("sweep", "Sweep", last, axis, repeat.sweep, 1.0, low, high, 5.0, "°")
            out.append(sweep.model_copy(update={"base": vector(centre), "turn": True}))
    return out
