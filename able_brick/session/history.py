"""Where each level's journal stands, and how its steps are shown."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Final

from pydantic import BaseModel, ValidationError

from able_brick.core.errors import HistoryError, StaleRevisionError
from able_brick.level.rows import LevelRow, Path, Piece
from able_brick.level.snapshot import Edit, Snapshot, level_of
from able_brick.session.delta import HistoryView, StepView
from able_brick.steps import registry
from able_brick.steps.checks import named
from able_brick.steps.tool import Tool
from able_brick.store.entry import Entry


@dataclass(frozen=True)
class State:
    """A level's revision, the place of the last step that is done, that step, and the one that redo would make.

    `elsewhere` are, for each of the latest revisions in which nothing of the level's own changed, the pieces that did.
    """

    revision: int
    done: int
    last: Entry | None
    redo: Entry | None
    elsewhere: tuple[frozenset[str], ...] = ()

    def after(self, done: int, last: Entry | None, redo: Entry | None, elsewhere: frozenset[str] | None) -> State:
        """The next revision; where only pieces changed, `elsewhere`, which."""
        pieces = () if elsewhere is None else (*self.elsewhere[1 - _MOST_ELSEWHERE :], elsewhere)
        return State(self.revision + 1, done, last, redo, pieces)

    def since(self, revision: int) -> frozenset[str] | None:
        """The pieces that changed since a revision, where nothing of the level's own has; None where that has, or it
        was too long ago."""
        behind = self.revision - revision
        if not 0 <= behind <= len(self.elsewhere):
            return None
        return frozenset().union(*self.elsewhere[len(self.elsewhere) - behind :])


#: How many revisions that came of pieces alone are remembered of a level.
_MOST_ELSEWHERE: Final = 256
#: Where a level stands that has just been made.
NEW: Final = State(0, 0, None, None)


@dataclass(frozen=True)
class ProjectState:
    """A project as it stands, and where the journals of its levels do: kept and changed together, so that who reads
    need not wait for who writes."""

    snapshot: Snapshot
    states: Mapping[str, State]

    def state(self, level: str) -> State:
        """Where a level's journal stands."""
        return self.states.get(level, NEW)

    def check(self, level: str, revision: int, named: Callable[[], Iterable[str]] = tuple) -> None:
        """StaleRevisionError where a level has moved on since a revision, unless only pieces have changed with which
        nothing that is `named`, or in it, has to do; UnknownIdError where the level is not there."""
        self.snapshot.level(level)
        state = self.state(level)
        changed = state.since(revision)
        if changed is None or (changed and self._shows(level, named(), changed)):
            raise StaleRevisionError(
                "The level has changed meanwhile, perhaps in another tab. Nothing was done; look and try again.",
                received=revision,
                allowed=state.revision,
            )

    def _shows(self, level: str, named: Iterable[str], pieces: frozenset[str]) -> bool:
        """Whether one of the pieces is named, or shown by a thing that is or is in it, or lies along it."""
        things = self.snapshot.of(level)
        for key in named:
            thing = things.get(key)
            if key in pieces:
                return True
            if thing is None:
                continue
            for one in things.under(thing):
                courses = things.courses(one.id) if isinstance(one, Path) else ()
                if any(not pieces.isdisjoint(t.pieces) for t in (one, *courses)):
                    return True
        return False

    def after(self, snapshot: Snapshot, states: Mapping[str, State], gone: str | None = None) -> ProjectState:
        """What comes next: the project, where some journals stand then, and a level that is gone."""
        return ProjectState(snapshot, {k: s for k, s in {**self.states, **states}.items() if k != gone})


def named_by(tool: Tool, selection: Iterable[str]) -> list[str]:
    """What a step has to do with by name: what is selected, and what the tool's settings name."""
    out = [*selection]
    waiting: list[object] = [tool]
    while waiting:
        one = waiting.pop()
        if isinstance(one, str):
            out.append(one)
        elif isinstance(one, BaseModel):
            waiting += one.__dict__.values()
        elif isinstance(one, (tuple, list)):
            waiting += one
    return out


def history_view(state: State | None) -> HistoryView:
    """The steps that undo and redo would take, as the page shows them."""
    return HistoryView(last=step_view(state.last if state else None), redo=step_view(state.redo if state else None))


def step_view(entry: Entry | None) -> StepView | None:
    """A step as the page shows it."""
    if entry is None:
        return None
    tool = registry.TOOLS.get(entry.tool)
    return StepView(
        tool=entry.tool,
        title=tool.title if tool else entry.tool,
        params=entry.params,
        selection=list(entry.selection),
        note=entry.note,
        adjustable=entry.adjustable and tool is not None,
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
    expected = {*entry.users, *(e.id for e in edits)}
    pieces = {e.id for e in edits if isinstance(e.before, Piece) and isinstance(e.after, Piece)}
    users = (u for things in snapshot.things.values() for p in sorted(pieces) for u in things.users(p))
    new = [u for u in users if u.id not in expected]
    if new:
        tool = registry.TOOLS.get(entry.tool)
        title = tool.title if tool else entry.tool
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
