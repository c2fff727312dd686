"""Where each level's journal stands, and how its steps are told."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Final

from pydantic import ValidationError

from able_brick.core.errors import HistoryError, StaleRevisionError
from able_brick.level.rows import LevelRow, Piece
from able_brick.level.snapshot import Edit, Snapshot, level_of
from able_brick.session.delta import HistoryView, StepView
from able_brick.steps import registry
from able_brick.steps.checks import named
from able_brick.store.entry import Entry


@dataclass(frozen=True)
class State:
    """A level's revision, the place of the last step that is done, that step, and the one that redo would make."""

    revision: int
    done: int
    last: Entry | None
    redo: Entry | None


#: Where a level stands that has just been made.
NEW: Final = State(0, 0, None, None)


@dataclass(frozen=True)
class Now:
    """A project as it stands, and where the journals of its levels do: told and changed together, so that who reads
    need not wait for who writes."""

    snapshot: Snapshot
    states: Mapping[str, State]

    def state(self, level: str) -> State:
        """Where a level's journal stands."""
        return self.states.get(level, NEW)

    def check(self, level: str, revision: int) -> None:
        """StaleRevisionError where a level is at another revision; UnknownIdError where it is not there."""
        self.snapshot.level(level)
        state = self.state(level)
        if state.revision != revision:
            raise StaleRevisionError(
                "The level has changed meanwhile, perhaps in another tab. Nothing was done; look and try again.",
                received=revision,
                allowed=state.revision,
            )

    def after(self, snapshot: Snapshot, states: Mapping[str, State], gone: str | None = None) -> Now:
        """What comes next: the project, where some journals stand then, and a level that is gone."""
        return Now(snapshot, {k: s for k, s in {**self.states, **states}.items() if k != gone})


def history_view(state: State | None) -> HistoryView:
    """The steps that undo and redo would take, as the page shows them."""
    return HistoryView(last=step_view(state.last if state else None), redo=step_view(state.redo if state else None))


def step_view(entry: Entry | None) -> StepView | None:
    """A step as the page shows it."""
    if entry is None:
        return None
    known = registry.TOOLS.get(entry.tool)
    return StepView(
        tool=entry.tool,
        title=known.title if known else entry.tool,
        params=entry.params,
        selection=list(entry.selection),
        note=entry.note,
        adjustable=entry.adjustable and known is not None,
    )


def net(old: tuple[Edit, ...], new: tuple[Edit, ...]) -> tuple[Edit, ...]:
    """Edits that lead from after `old` to after `new`, both made on the same base."""
    start = {e.id: e for e in old}
    end = {e.id: e for e in new}
    out = [Edit(e.after, end[k].after if k in end else e.before) for k, e in start.items()]
    out += [e for k, e in end.items() if k not in start]
    return tuple(e for e in out if e.before != e.after)


def check_current(snapshot: Snapshot, edits: Iterable[Edit]) -> None:
    """HistoryError where a row is no longer what the edits begin with."""
    for edit in edits:
        row = edit.before or edit.after
        if row is None:
            continue
        now = snapshot.levels.get(row.id) if type(row) is LevelRow else snapshot.find(level_of(row) or "", row.id)
        if now is not edit.before and now != edit.before:
            raise HistoryError(
                f"{row.name} has been changed since, in another level that shares it. Undo that there first.",
                id=row.id,
            )


def check_users(snapshot: Snapshot, level: str, entry: Entry, edits: tuple[Edit, ...]) -> None:
    """HistoryError where taking back or making again a step would move things that were placed by its outcome."""
    if entry.users is None:
        return
    known = {*entry.users, *(e.id for e in edits)}
    pieces = {e.id for e in edits if isinstance(e.before, Piece) and isinstance(e.after, Piece)}
    new = [
        u for things in snapshot.things.values() for p in sorted(pieces) for u in things.users(p) if u.id not in known
    ]
    if new:
        known_tool = registry.TOOLS.get(entry.tool)
        title = known_tool.title if known_tool else entry.tool
        raise HistoryError(
            f"{named(snapshot, level, new)} {'was' if len(new) == 1 else 'were'} placed after “{title}” and would move "
            "with this. Undo the placing there first, or make a new step instead.",
            users=[u.id for u in new[:100]],
        )


def locks_of(snapshot: Snapshot, level: str, entry: Entry) -> tuple[str, ...] | None:
    """The levels whose locks hold when a step of one level is taken back or made again: all others.

    In its own level a lock is a step as well, and is taken back before. None where nothing that is seen changes.
    """
    kind = registry.TOOLS.get(entry.tool)
    if kind is not None:
        try:
            if kind.model_validate(entry.params).moves_nothing:
                return None
        except ValidationError:
            pass
    return tuple(key for key in snapshot.levels if key != level)
