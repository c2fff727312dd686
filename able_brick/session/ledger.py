"""Where a project stands, and the one place where that changes: in its file first, then for all who look."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

from sqlalchemy import Connection
from sqlalchemy.exc import DatabaseError

from able_brick.core.errors import HistoryError, StorageError
from able_brick.core.files.scene import Texture
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows import Piece
from able_brick.level.snapshot import ARow, Edit, Snapshot, level_of
from able_brick.level.texts import Texts
from able_brick.session.delta import Delta, level_delta
from able_brick.session.history import ProjectState, State, check_current, check_users, history_view, locks_of
from able_brick.session.levels import Removed
from able_brick.session.opening import missing_entry_error
from able_brick.steps.checks import check_change
from able_brick.steps.draft import Change
from able_brick.steps.tool import Tool
from able_brick.store import journal
from able_brick.store.blobs import check_blobs, drop_if_unused, rows_of, write_meshes
from able_brick.store.database import ProjectFile
from able_brick.store.entry import Entry
from able_brick.store.meshes import MeshShelf
from able_brick.store.pictures import write_textures
from able_brick.store.rows import write_rows

_log = logging.getLogger("able_brick")
#: How often a change is computed while others may commit theirs.
_FREE_TRIES: Final = 2
#: Told of a level that has changed, and how to make the delta, which costs time where nobody listens; None when
#: it has to be loaded anew.
Listener = Callable[[str, Callable[[], Delta | None]], None]


@dataclass(frozen=True)
class Committed:
    """A step as it will stand in the journal: what it changed, and the way there from how things stand now."""

    tool: Tool
    selection: tuple[str, ...]
    change: Change
    place: int
    edits: tuple[Edit, ...]
    net: tuple[Edit, ...]
    after: Snapshot
    again: bool = False

    @property
    def idle(self) -> bool:
        """Whether it is a new step that changes nothing."""
        return not self.again and not self.edits


class Ledger:
    """The rows of an open project file and the journals of its levels. Safe to use from several threads.

    `now` is read without a lock; who changes it, or what belongs to it, holds `guard`.
    """

    def __init__(self, file: ProjectFile, now: ProjectState) -> None:
        self.file = file
        self.guard = threading.RLock()
        self.meshes = MeshShelf(file, lambda: self.now.snapshot)
        self.now = replace(now, snapshot=replace(now.snapshot, load=self.meshes.drawn))
        #: Levels that were deleted and can be brought back.
        self.removed: dict[str, Removed] = {}
        self._listeners: list[Listener] = []

    def listen(self, listener: Listener) -> None:
        """Call the listener at every committed change, once for each level that it touches."""
        self._listeners.append(listener)

    def tell_anew(self, level: str) -> None:
        """Have the tabs of a level load it anew."""
        for listener in self._listeners:
            listener(level, lambda: None)

    def go_on(self, snapshot: Snapshot, states: Mapping[str, State], gone: str | None = None) -> None:
        """Take over what is in the file: the project, where some journals stand now, and a level that is gone."""
        self.now = self.now.after(replace(snapshot, load=self.meshes.drawn), states, gone)

    def every_row(self, snapshot: Snapshot) -> list[ARow]:
        """All rows of a project as it will stand, and those of levels that may come back."""
        return [*rows_of(snapshot), *(row for gone in self.removed.values() for row in (gone.row, *gone.things))]

    def at(self, level: str, revision: int, named: Callable[[], Iterable[str]] = tuple) -> ProjectState:
        """How it stands, where the level has not moved on since that revision, but for pieces with which nothing that
        is `named` has to do; else StaleRevisionError."""
        now = self.now
        now.check(level, revision, named)
        return now

    def commit_with_retry(
        self,
        level: str,
        compute: Callable[[ProjectState], Committed],
        *,
        meshes: Mapping[str, PolyMesh] | None = None,
        textures: Mapping[str, Texture] | None = None,
        written: Mapping[str, Path | memoryview] | None = None,
    ) -> Delta:
        """Commit the step that is computed of how it stands; `meshes`, `textures` and `written` as `Project.step` has
        them. Others may commit theirs meanwhile, and it is computed again on what they have left; but not for ever: in
        the end they wait for it."""
        tries = 0
        while True:
            tries += 1
            with self.guard if tries > _FREE_TRIES else nullcontext():
                now = self.now
                step = compute(now)
                with self.guard:
                    if now is self.now:
                        if step.idle:
                            return self._left_out(level, step)
                        return self._commit(level, step, meshes or {}, textures or {}, written or {})

    def _left_out(self, level: str, step: Committed) -> Delta:
        """What is reported of a step that changes nothing: there is none."""
        delta = self._delta(step.after, level, (), {level: self.now.state(level)}, step.change.select, "")
        delta.idle, delta.note = True, f"{step.tool.title}: nothing changed, so no step was made"
        delta.elements, delta.ended = step.change.elements, step.change.ended
        return delta

    def _commit(
        self,
        level: str,
        step: Committed,
        meshes: Mapping[str, PolyMesh],
        textures: Mapping[str, Texture],
        written: Mapping[str, Path | memoryview],
    ) -> Delta:
        change = step.change
        self.meshes.remember(change.meshes)
        texts = Texts()
        last = self.now.states[level].last
        replaces = self.now.states[level].redo is not None or (last is not None and last.place == step.place)
        with self.transaction() as connection:
            fresh = {**meshes, **change.meshes}
            write_meshes(connection, fresh, written)
            write_textures(connection, textures)
            check_blobs(connection, step.net, fresh)
            write_rows(connection, step.net, change.counters, texts)
            # what only the steps had that this one takes the place of
            orphans = journal.refs_from(connection, level, step.place) if replaces else set()
            if last is None:  # the first entry of a level needs the row that it belongs to
                journal.write_states(
                    connection, [(level, self.now.states[level].revision, self.now.states[level].done)]
                )
            entry = journal.write_entry(
                connection,
                level,
                step.place,
                step.tool,
                step.selection,
                change.note,
                step.edits,
                change.users,
                texts,
            )
            drop_if_unused(connection, orphans, lambda: self.every_row(step.after))
            states = self._advanced(connection, level, step.net, step.place, entry, None)
            mine = self._delta(step.after, level, step.net, states, change.select, change.note, meshes)
            mine.written_with(texts)
            mine.elements, mine.ended = change.elements, change.ended
        self._publish(level, step.after, step.net, states, mine)
        return mine

    def travel(
        self, level: str, entry: Entry, edits: tuple[Edit, ...], done: int, select_ids: tuple[str, ...]
    ) -> Delta:
        """Undo or redo a step of the journal, so that so many are `done`."""
        before = self.now.snapshot
        check_current(before, edits)
        check_users(before, level, entry, edits)
        after = before.with_edits(edits)
        locks = locks_of(before, level, entry)
        with self.transaction() as connection:
            try:
                check_change(before, after, edits, level=level, locks=locks, refuse=HistoryError)
            except HistoryError as error:
                raise missing_entry_error(connection, before, level, error) from error
            texts = Texts()
            write_rows(connection, edits, before.counters, texts)
            back = done < entry.place
            last = journal.find_entry(connection, level, done) if back else entry
            redo = entry if back else journal.find_entry(connection, level, done + 1)
            states = self._advanced(connection, level, edits, done, last, redo)
            chosen = tuple(i for i in select_ids if after.find(level, i) is not None)
            mine = self._delta(after, level, edits, states, chosen, "")
            mine.written_with(texts)
        self._publish(level, after, edits, states, mine)
        return mine

    def _advanced(
        self,
        connection: Connection,
        level: str,
        edits: tuple[Edit, ...],
        done: int,
        last: Entry | None,
        redo: Entry | None,
    ) -> dict[str, State]:
        """Where all levels that the edits touch stand with them; `last` and `redo` are the level's own."""
        where = {level_of(row) for edit in edits if (row := edit.after or edit.before) is not None}
        pieces = frozenset(row.id for edit in edits if isinstance(row := edit.after or edit.before, Piece))
        # what is of the kit is seen in all levels
        touched = {level, *(self.now.states if None in where else ()), *where}
        out = {}
        for key in sorted(touched - {None}):
            state = self.now.state(key)
            place = done if key == level else state.done
            context = (last, redo) if key == level else (state.last, state.redo)
            out[key] = state.after(place, *context, None if key == level or key in where else pieces)
        journal.write_states(connection, [(key, s.revision, s.done) for key, s in out.items()])
        return out

    def _delta(
        self,
        after: Snapshot,
        level: str,
        edits: tuple[Edit, ...],
        states: dict[str, State],
        select_ids: tuple[str, ...] | None,
        note: str,
        fresh: Mapping[str, PolyMesh] | None = None,
    ) -> Delta:
        """What is reported of a change; `fresh` are meshes that the file has only when it is committed."""
        new = fresh or {}
        return level_delta(
            after,
            level,
            edits,
            revision=states[level].revision,
            history=history_view(states[level]),
            select=select_ids,
            note=note,
            load=lambda key: new[key] if key in new else self.meshes.drawn(key),
        )

    def _publish(
        self, level: str, after: Snapshot, edits: tuple[Edit, ...], states: dict[str, State], mine: Delta
    ) -> None:
        """Take over what has been committed, and tell it. Nothing here may fail: the change stands."""
        self.go_on(after, states)
        for key in states:
            for listener in self._listeners:
                try:
                    listener(
                        key,
                        lambda key=key: mine if key == level else self._delta(after, key, edits, states, None, ""),  # type: ignore[misc]
                    )
                except Exception:  # noqa: BLE001
                    _log.exception("A tab of %s could not be told of a change.", key)

    @contextmanager
    def locked_transaction(self) -> Iterator[Connection]:
        """A transaction while nothing else changes."""
        with self.guard, self.transaction() as connection:
            yield connection

    @contextmanager
    def transaction(self) -> Iterator[Connection]:
        """What is written within is in the file whole, or not at all. Raises StorageError."""
        if self.file.read_only is not None:
            raise StorageError(f"{self.file.read_only} Nothing can be changed; save a copy and open that.")
        try:
            with self.file.writing() as connection:
                yield connection
        except DatabaseError as error:
            raise StorageError(f"The project file could not be written ({error.orig}); nothing was changed.") from error
