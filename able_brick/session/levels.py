"""Levels as wholes: copies of them, what goes with them, and whether one that went can come back."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from able_brick.core.errors import HistoryError
from able_brick.core.place.pose import Quaternion, Vector
from able_brick.level.rows import AThing, LevelRow, Piece
from able_brick.level.snapshot import ARow, Edit, Snapshot
from able_brick.session.history import State


@dataclass(frozen=True)
class Removed:
    """A level that was deleted, with all that stood in it; and where the pivots of its pieces were."""

    row: LevelRow
    things: tuple[AThing, ...]
    state: State
    pivots: dict[str, tuple[str, Vector, Quaternion]]


def copy_of(snapshot: Snapshot, level: str, name: str) -> tuple[LevelRow, tuple[Edit, ...], dict[str, int]]:
    """A copy of a level with all that stands in it: its row, the edits that make it, the numbers given last."""
    counters = dict(snapshot.counters)

    def new_id(kind: str) -> str:
        counters[kind] = counters.get(kind, 0) + 1
        return f"{kind}-{counters[kind]}"

    row = snapshot.level(level).changed(id=new_id("level"), name=name)
    things = list(snapshot.of(level).values())
    ids = {t.id: new_id(t.kind) for t in things}
    made: list[ARow] = [row]
    for thing in things:
        made.append(thing.changed(id=ids[thing.id], level=row.id, **thing.copied(ids)))
    return row, tuple(Edit(None, r) for r in made), counters


def removal(snapshot: Snapshot, level: str, state: State) -> Removed:
    """A level as it goes."""
    things = snapshot.of(level)
    pivots = {
        p: (snapshot.pieces[p].name, snapshot.pieces[p].pivot, snapshot.pieces[p].axes)
        for p in things.uses
        if p in snapshot.pieces
    }
    return Removed(snapshot.level(level), tuple(things.values()), state, pivots)


def check_return(snapshot: Snapshot, gone: Removed) -> None:
    """HistoryError where what stood in a deleted level would not stand as it did, as its pieces are not the same."""
    missing = [name for p, (name, *_) in gone.pivots.items() if p not in snapshot.pieces]
    moved = [
        name
        for p, (name, *place) in gone.pivots.items()
        if p in snapshot.pieces and [snapshot.pieces[p].pivot, snapshot.pieces[p].axes] != place
    ]
    if missing:
        raise HistoryError(
            f"{_listed(missing)} {_was(missing)} deleted from the shelf since. Undo that first, then bring "
            f"{gone.row.name} back.",
            missing=missing[:20],
        )
    if moved:
        raise HistoryError(
            f"The pivot of {_listed(moved)} was moved since. Set it back first, then bring {gone.row.name} back.",
            moved=moved[:20],
        )


def _listed(names: list[str]) -> str:
    return ", ".join(names[:5]) + (" …" if len(names) > 5 else "")


def _was(names: list[str]) -> str:
    return "was" if len(names) == 1 else "were"


def within(snapshot: Snapshot, edits: Iterable[Edit]) -> tuple[Edit, ...]:
    """The edits of the kit and of levels that are there: those of deleted levels change nothing any more."""
    out = []
    for edit in edits:
        row = edit.after or edit.before
        if row is None or isinstance(row, (Piece, LevelRow)) or row.level in snapshot.levels:
            out.append(edit)
    return tuple(out)
