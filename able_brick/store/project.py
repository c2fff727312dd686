"""A project in use: takes steps, undoes, redoes, adjusts, previews. The one place where transactions are opened."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Connection, select
from sqlalchemy.exc import OperationalError

from able_brick.core.errors import HistoryError, StaleRevisionError, StorageError
from able_brick.core.files.part import Texture
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows import LevelRow
from able_brick.level.snapshot import Edit, Snapshot, level_of
from able_brick.steps import registry
from able_brick.steps.draft import Change
from able_brick.steps.tool import Tool
from able_brick.store import journal
from able_brick.store.database import ProjectFile
from able_brick.store.delta import Delta, HistoryView, LevelView, StepView, level_delta, level_view
from able_brick.store.meshes import MeshShelf
from able_brick.store.pictures import PictureShelf, write_textures
from able_brick.store.tables import LevelState

#: Told of a level that has changed, and how to make the delta, which costs time where nobody listens.
Listener = Callable[[str, Callable[[], Delta]], None]


@dataclass(frozen=True)
class _State:
    revision: int
    done: int
    last: journal.Entry | None
    redo: journal.Entry | None


class Project:
    """An open project file. Safe to use from several threads; readers never wait for writers."""

    def __init__(self, path: Path) -> None:
        self._file = ProjectFile(path)
        self._guard = threading.RLock()
        self._listeners: list[Listener] = []
        self._views: dict[str, tuple[Snapshot, _State | None, bytes]] = {}
        self.meshes = MeshShelf(self._file.engine)
        self.pictures = PictureShelf(self._file.engine, self._locked_transaction)
        try:
            with self._file.engine.begin() as connection:
                self._snapshot = journal.load_snapshot(connection)
                self._states = {
                    s.level: _State(s.revision, s.done, *self._around(connection, s.level, s.done))
                    for s in connection.execute(select(LevelState.__table__))
                }
                journal.drop_unused(connection, self._snapshot)
        except StorageError:
            self._file.close()
            raise

    def close(self) -> None:
        self._file.close()

    @property
    def snapshot(self) -> Snapshot:
        return self._snapshot

    def listen(self, listener: Listener) -> None:
        """Call the listener at every committed change, once for each level that it touches."""
        self._listeners.append(listener)

    # -- levels -

    def create_level(self, name: str) -> LevelRow:
        """A new empty level."""
        with self._guard:
            counters = {**self._snapshot.counters, "level": self._snapshot.counters.get("level", 0) + 1}
            row = LevelRow(id=f"level-{counters['level']}", name=name)
            edits = (Edit(None, row),)
            with self._transaction() as connection:
                journal.write_rows(connection, edits, counters)
                journal.write_state(connection, row.id, 0, 0)
            self._snapshot = self._snapshot.with_edits(edits, counters)
            self._states[row.id] = _State(0, 0, None, None)
            return row

    def view(self, level: str) -> LevelView:
        """The whole level."""
        with self._guard:
            snapshot, state = self._snapshot, self._states.get(level)
        snapshot.level(level)
        return level_view(snapshot, level, revision=state.revision if state else 0, history=_history(state))

    def view_json(self, level: str) -> bytes:
        """The whole level as JSON; kept for as long as nothing changes, as every tab asks for the same."""
        kept = self._views.get(level)
        with self._guard:
            snapshot, state = self._snapshot, self._states.get(level)
        if kept is None or kept[0] is not snapshot or kept[1] is not state:
            snapshot.level(level)
            data = self.view(level).model_dump_json().encode()
            with self._guard:
                if self._snapshot is not snapshot or self._states.get(level) is not state:
                    return data
                kept = self._views[level] = (snapshot, state, data)
        return kept[2]

    def revision(self, level: str) -> int:
        self._snapshot.level(level)
        return self._states[level].revision

    # -- steps -

    def step(
        self,
        level: str,
        tool: Tool,
        selection: tuple[str, ...],
        revision: int,
        *,
        meshes: dict[str, PolyMesh] | None = None,
        textures: dict[str, Texture] | None = None,
    ) -> Delta:
        """Take a step and commit it. `meshes` and `textures` are new ones that the tool's parameters name.

        Raises StaleRevisionError when the level has moved on; then, as on every error, nothing has changed.
        """
        if meshes:
            self.meshes.remember(meshes)
        if textures:
            self.pictures.remember(textures)
        while True:
            base = self._at(level, revision)
            change = registry.apply(base, level, tool, selection, self.meshes.get)
            with self._guard:
                self._at(level, revision)
                if base is not self._snapshot:  # another level moved on meanwhile: compute again on that
                    continue
                place = self._states[level].done + 1
                edits = change.edits
                return self._commit(level, tool, selection, change, edits, edits, place, meshes or {}, textures or {})

    def adjust_last(self, level: str, tool: Tool, revision: int) -> Delta:
        """Make the last step again with other settings: one journal entry, one transaction."""
        while True:
            base, entry, change = self._redone(level, tool, revision)
            with self._guard:
                self._at(level, revision)
                if base is not self._snapshot:
                    continue
                return self._commit(
                    level,
                    tool,
                    entry.selection,
                    change,
                    change.edits,
                    _net(entry.edits, change.edits),
                    entry.place,
                    {},
                    {},
                )

    def preview(
        self, level: str, tool: Tool, selection: tuple[str, ...], revision: int, *, adjust_last: bool = False
    ) -> Delta:
        """What a step, or the last step with other settings, would change. Only its meshes are kept, for a while."""
        if adjust_last:
            base, entry, change = self._redone(level, tool, revision)
            edits = _net(entry.edits, change.edits)
        else:
            base = self._at(level, revision)
            change = registry.apply(base, level, tool, selection, self.meshes.get)
            edits = change.edits
        self.meshes.remember(change.meshes)
        after = base.with_edits(edits, change.counters)
        return level_delta(
            after,
            level,
            edits,
            revision=revision,
            history=_history(self._states.get(level)),
            select=change.select,
            note=change.note,
        )

    def undo(self, level: str, revision: int) -> Delta:
        """Take back the level's last step."""
        with self._guard:
            self._at(level, revision)
            state = self._states[level]
            if state.last is None:
                raise HistoryError("There is nothing to undo.")
            edits = tuple(e.inverse() for e in reversed(state.last.edits))
            return self._travel(level, edits, state.done - 1, state.last.selection)

    def redo(self, level: str, revision: int) -> Delta:
        """Make the step again that was undone last."""
        with self._guard:
            self._at(level, revision)
            state = self._states[level]
            if state.redo is None:
                raise HistoryError("There is nothing to redo.")
            made = tuple(e.id for e in state.redo.edits if e.after is not None and level_of(e.after) == level)
            return self._travel(level, state.redo.edits, state.done + 1, made)

    # -- inside -

    def _at(self, level: str, revision: int) -> Snapshot:
        with self._guard:
            snapshot = self._snapshot
            snapshot.level(level)
            state = self._states[level]
            if state.revision != revision:
                raise StaleRevisionError(
                    "The level has changed meanwhile, perhaps in another tab. Nothing was done; look and try again.",
                    received=revision,
                    allowed=state.revision,
                )
            return snapshot

    def _redone(self, level: str, tool: Tool, revision: int) -> tuple[Snapshot, journal.Entry, Change]:
        with self._guard:
            base = self._at(level, revision)
            entry = self._states[level].last
        if entry is None:
            raise HistoryError("There is no last step to adjust.")
        if entry.tool != tool.tool:
            raise HistoryError(f"The last step is {entry.tool}, not {tool.tool}.")
        self._check_current(base, [e.inverse() for e in entry.edits])
        before = base.with_edits(
            [e.inverse() for e in reversed(entry.edits)], journal.rewound(base.counters, entry.edits)
        )
        change = registry.apply(before, level, tool, entry.selection, self.meshes.get)
        return base, entry, change

    def _commit(
        self,
        level: str,
        tool: Tool,
        selection: tuple[str, ...],
        change: Change,
        entry_edits: tuple[Edit, ...],
        net: tuple[Edit, ...],
        place: int,
        meshes: dict[str, PolyMesh],
        textures: dict[str, Texture],
    ) -> Delta:
        last = self._states[level].last
        again = last is not None and last.place == place
        with self._transaction() as connection:
            journal.write_meshes(connection, {**meshes, **change.meshes})
            write_textures(connection, textures)
            journal.write_rows(connection, net, change.counters)
            journal.write_entry(connection, level, place, tool, selection, change.note, entry_edits)
            if again and last is not None and journal.meshes_of(last.edits) - journal.meshes_of(entry_edits):
                journal.drop_unused_meshes(connection)
            states = self._advanced(connection, level, net, place)
        self.meshes.remember(change.meshes)
        return self._publish(level, net, change.counters, states, change.select, change.note)

    def _travel(self, level: str, edits: tuple[Edit, ...], done: int, select_ids: tuple[str, ...]) -> Delta:
        self._check_current(self._snapshot, edits)
        counters = self._snapshot.counters
        with self._transaction() as connection:
            journal.write_rows(connection, edits, counters)
            states = self._advanced(connection, level, edits, done)
        alive = self._snapshot.with_edits(edits)
        chosen = tuple(i for i in select_ids if alive.find(level, i) is not None)
        return self._publish(level, edits, counters, states, chosen, "")

    def _check_current(self, snapshot: Snapshot, edits: tuple[Edit, ...] | list[Edit]) -> None:
        for edit in edits:
            row = edit.before or edit.after
            if row is None:
                continue
            level = level_of(row)
            now = snapshot.levels.get(row.id) if isinstance(row, LevelRow) else snapshot.find(level or "", row.id)
            if now != edit.before:
                raise HistoryError(
                    f"{row.name} has been changed since, in another level that shares it. Undo that there first.",
                    id=row.id,
                )

    def _advanced(self, connection: Connection, level: str, edits: tuple[Edit, ...], done: int) -> dict[str, _State]:
        touched = {level}
        for edit in edits:
            row = edit.after or edit.before
            if row is not None:
                where = level_of(row)
                touched |= set(self._states) if where is None else {where}
        out = {}
        for key in touched:
            state = self._states[key]
            place = done if key == level else state.done
            journal.write_state(connection, key, state.revision + 1, place)
            around = self._around(connection, key, place) if key == level else (state.last, state.redo)
            out[key] = _State(state.revision + 1, place, *around)
        return out

    def _publish(
        self,
        level: str,
        edits: tuple[Edit, ...],
        counters: dict[str, int],
        states: dict[str, _State],
        select_ids: tuple[str, ...] | None,
        note: str,
    ) -> Delta:
        self._snapshot = self._snapshot.with_edits(edits, counters)
        self._states.update(states)
        snapshot = self._snapshot

        def made(key: str) -> Delta:
            return level_delta(
                snapshot,
                key,
                edits,
                revision=states[key].revision,
                history=_history(states[key]),
                select=select_ids if key == level else None,
                note=note if key == level else "",
            )

        mine = made(level)
        for key in states:
            for listener in self._listeners:
                listener(key, lambda key=key: mine if key == level else made(key))  # type: ignore[misc]
        return mine

    @staticmethod
    def _around(connection: Connection, level: str, done: int) -> tuple[journal.Entry | None, journal.Entry | None]:
        return journal.read_entry(connection, level, done), journal.read_entry(connection, level, done + 1)

    @contextmanager
    def _locked_transaction(self) -> Iterator[Connection]:
        with self._guard, self._transaction() as connection:
            yield connection

    @contextmanager
    def _transaction(self) -> Iterator[Connection]:
        try:
            with self._file.engine.begin() as connection:
                yield connection
        except OperationalError as error:
            raise StorageError(f"The project file could not be written ({error.orig}); nothing was changed.") from error


def _net(old: tuple[Edit, ...], new: tuple[Edit, ...]) -> tuple[Edit, ...]:
    """Edits that lead from after `old` to after `new`, both made on the same base."""
    start = {e.id: e for e in old}
    end = {e.id: e for e in new}
    out = [Edit(e.after, end[k].after if k in end else e.before) for k, e in start.items()]
    out += [e for k, e in end.items() if k not in start]
    return tuple(e for e in out if e.before != e.after)


def _history(state: _State | None) -> HistoryView:
    def view(entry: journal.Entry | None) -> StepView | None:
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

    return HistoryView(last=view(state.last if state else None), redo=view(state.redo if state else None))
