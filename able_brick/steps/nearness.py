"""How often pieces stand in a level, and how near a player comes to them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from able_brick.core.errors import InputError
from able_brick.core.place.items import item_boxes
from able_brick.core.walk.nearness import NEAREST, from_anywhere, from_way
from able_brick.level.evaluate import shown_items
from able_brick.level.field import field
from able_brick.level.rows import Path, Piece
from able_brick.steps.draft import Draft

#: Places along a way that are looked from.
_MOST_PLACES: Final = 2000
_STEP: Final = 0.5


def way_field() -> Any:
    """The path along which a player goes."""
    return field(
        None, "Player's way", "The path that a player walks along; none for anywhere on the ground", widget="path"
    )


@dataclass
class Nearness:
    """How often a piece stands in the level, and the nearest that a player comes to any of it, metres."""

    uses: int = 0
    distance: float = float("inf")


def nearness_of(draft: Draft, pieces: Iterable[Piece], way: str | None) -> dict[str, Nearness]:
    """For each piece by its id; those that do not stand in the level are looked at from as near as can be."""
    path = None if way is None else draft.things.get(way)
    if way is not None and not isinstance(path, Path):
        raise InputError("That path is not in the level (any more); choose another one.", field="way", received=way)
    places = None
    if isinstance(path, Path):
        curve = path.curve()
        count = int(np.clip(curve.length / _STEP, 1, _MOST_PLACES)) + 1
        places = curve.points(curve.parameters(np.linspace(0.0, curve.length, count)))
    out = {p.id: Nearness() for p in pieces}
    users = {t.id: t for p in out for t in draft.things.users(p)}
    for thing in users.values():
        shown = shown_items(draft.snapshot, thing)
        for batch in () if shown is None else shown.batches:
            found = out.get(batch.drawable.piece.id)
            if found is None:
                continue
            low, high = item_boxes(batch.poses.rows(), *batch.drawable.box())
            away = from_anywhere(low, high) if places is None else from_way(places, low, high)
            found.uses += len(batch.numbers)
            found.distance = min(found.distance, float(away.min(initial=np.inf)))
    for found in out.values():
        if not np.isfinite(found.distance):
            found.distance = NEAREST
    return out
