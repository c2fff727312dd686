"""A project in use: takes steps, undoes, redoes, adjusts, previews. The one place where transactions are opened."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager, nullcontext, suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

from sqlalchemy import Connection, delete, insert
from sqlalchemy.exc import DatabaseError

from able_brick.core.cache import ByteCache
from able_brick.core.collecting import uncollected
from able_brick.core.errors import HistoryError, StaleRevisionError, StorageError, UnknownIdError
from able_brick.core.files.part import Texture
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.drawn import glb_of
from able_brick.level.rows import LevelRow
from able_brick.level.snapshot import Edit, Snapshot, level_of
from able_brick.level.texts import Texts
from able_brick.session.delta import Delta, LevelView, StepView, derived_items, level_delta, level_view
from able_brick.session.history import (
    NEW,
    Now,
    State,
    check_current,
    check_users,
    history_view,
    locks_of,
    net,
    step_view,
)
from able_brick.session.levels import Removed, check_return, copy_of, removal, within
from able_brick.session.opening import open_file, where_it_went
from able_brick.session.saving import save_copy
from able_brick.session.working import check_untouched
from able_brick.steps import registry
from able_brick.steps.checks import check_change, check_row
from able_brick.steps.draft import Change, Tell
from able_brick.steps.tool import Tool
from able_brick.store import journal
from able_brick.store.entry import Entry
from able_brick.store.meshes import MeshShelf
from able_brick.store.pictures import PictureShelf, write_textures
from able_brick.store.recipes import RecipeShelf
from able_brick.store.tables import WORK

_log = logging.getLogger("able_brick")
#: What whole levels as JSON may take in memory, bytes.
_MOST_VIEWS: Final = 64 * 2**20
#: How often a change is reckoned while others may commit theirs.
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


class Project:
    """An open project file. Safe to use from several threads; readers never wait for writers.

    `read_only` says why nothing can be changed, where that is so; `notes` are sentences that came up while opening.
    """

    def __init__(self, path: Path) -> None:
        self._file, snapshot, states, self.salvaged = open_file(path)
        self._now = Now(snapshot, states)
        self._guard = threading.RLock()
        self._viewing = threading.Lock()
        self._listeners: list[Listener] = []
        self._removed: dict[str, Removed] = {}
        self._views: ByteCache[tuple[Snapshot, State | None, bytes, bool]] = ByteCache(
            _MOST_VIEWS, lambda kept: len(kept[2])
        )
        self.meshes = MeshShelf(self._file.engine)
        self.pictures = PictureShelf(self._file.engine, self._locked_transaction)
        self.recipes = RecipeShelf(self._file.engine, self._locked_transaction)

    def close(self) -> None:
        self._file.close()

    @property
    def path(self) -> Path:
        return self._file.path

    @property
    def read_only(self) -> str | None:
        return self._file.read_only

    @property
    def notes(self) -> list[str]:
        return self._file.notes

    @property
    def removed(self) -> list[Removed]:
        """The levels that were deleted and can be brought back, the latest last."""
        return list(self._removed.values())

    @property
    def snapshot(self) -> Snapshot:
        return self._now.snapshot

    def listen(self, listener: Listener) -> None:
        """Call the listener at every committed change, once for each level that it touches."""
        self._listeners.append(listener)

    def _tell_anew(self, level: str) -> None:
        """Have the tabs of a level load it anew."""
        for listener in self._listeners:
            listener(level, lambda: None)

    def save_copy(self, to: Path) -> None:
        """Write a whole copy of the project as a new project file. Raises StorageError, also where it exists."""
        now = self._now
        save_copy(self._file, now.snapshot, now.states, self.meshes, to, rows_only=self.salvaged)

    # -- levels -

    def create_level(self, name: str) -> LevelRow:
        """A new empty level."""
        with self._guard:
            counters = {**self._now.snapshot.counters, "level": self._now.snapshot.counters.get("level", 0) + 1}
            row = LevelRow(id=f"level-{counters['level']}", name=name)
            check_row(None, row)
            edits = (Edit(None, row),)
            return self._add_level(row, edits, counters)

    def _add_level(self, row: LevelRow, edits: tuple[Edit, ...], counters: dict[str, int]) -> LevelRow:
        with self._transaction() as connection:
            journal.write_rows(connection, edits, counters)
            journal.write_states(connection, [(row.id, 0, 0)])
        self._now = self._now.after(self._now.snapshot.with_edits(edits, counters), {row.id: NEW})
        return row

    def duplicate_level(self, level: str, name: str) -> LevelRow:
        """A level like another one, with all that stands in it. Raises UnknownIdError."""
        with self._guard:
            row, edits, counters = copy_of(self._now.snapshot, level, name)
            check_row(None, row)
            return self._add_level(row, edits, counters)

    def delete_level(self, level: str) -> None:
        """Delete a level with all that stands in it; `restore_level` brings it back until the project is closed.

        Raises UnknownIdError, and HistoryError for the only level.
        """
        with self._guard:
            now = self._now
            row = now.snapshot.level(level)
            if len(now.snapshot.levels) == 1:
                raise HistoryError(f"{row.name} is the only level; make another one first.", id=level)
            gone = removal(now.snapshot, level, now.states[level])
            edits = tuple(Edit(r, None) for r in (*gone.things, row))
            with self._transaction() as connection:
                journal.write_rows(connection, edits, now.snapshot.counters)
            self._removed[level] = gone
            self._now = now.after(now.snapshot.with_edits(edits), {}, gone=level)
        self._tell_anew(level)

    def restore_level(self, level: str) -> LevelRow:
        """Bring back a level that was deleted. Raises UnknownIdError, and HistoryError where its pieces changed."""
        with self._guard:
            gone = self._removed.get(level)
            if gone is None:
                raise UnknownIdError("That level cannot be brought back (any more).", id=level)
            check_return(self._now.snapshot, gone)
            edits = tuple(Edit(None, r) for r in (gone.row, *gone.things))
            state = replace(gone.state, revision=gone.state.revision + 1)
            with self._transaction() as connection:
                journal.write_rows(connection, edits, self._now.snapshot.counters)
                journal.write_states(connection, [(level, state.revision, state.done)])
            self._now = self._now.after(self._now.snapshot.with_edits(edits), {level: state})
            del self._removed[level]
        self._tell_anew(level)
        return gone.row

    @uncollected()
    def view(self, level: str) -> LevelView:
        """The whole level."""
        now = self._now
        now.snapshot.level(level)
        state = now.state(level)
        return level_view(now.snapshot, level, self.meshes.get, revision=state.revision, history=history_view(state))

    def earlier(self, level: str, row: str) -> list[StepView]:
        """The steps of a level that have changed a row, the newest first: those that are done, of the last thousand."""
        now = self._now
        now.snapshot.level(level)
        done = now.state(level).done
        with self._file.engine.connect() as connection:
            found = journal.entries_with(connection, row, [level], most=1000)
            return [told for _, entry in found if entry.place <= done and (told := step_view(entry)) is not None]

    @uncollected()
    def view_bytes(self, level: str, *, columns: bool = False) -> tuple[bytes, bool]:
        """The whole level as JSON, or where asked and worth it in columns, and whether it is those; kept for as long as
        nothing changes, as every tab asks for the same."""
        with self._viewing:  # who comes meanwhile waits for the one that is being made
            kept = self._views.find((level, columns))
            now = self._now
            if kept is None or kept[0] is not now.snapshot or kept[1] is not now.states.get(level):
                view = self.view(level)
                packed = columns and view.large
                data = view.columns() if packed else view.text().encode()
                if self._now is not now:
                    return data, packed
                kept = self._views.keep((level, columns), (now.snapshot, now.states.get(level), data, packed))
            return kept[2:]

    def view_glb(self, key: str) -> bytes:
        """The GLB that the viewport draws: of a mesh by its hash, or of one that is derived from such, by its key.

        Raises UnknownIdError.
        """

        load = self.meshes.get
        found = glb_of(key, load)
        if found is not None:
            return found
        try:
            return self.meshes.view_glb(key)
        except UnknownIdError:  # derived, and forgotten: what stands in the levels knows it
            snapshot = self._now.snapshot
            for level in snapshot.levels:
                derived_items(snapshot, level, None, load)
                found = glb_of(key, load)
                if found is not None:
                    return found
            raise

    def revision(self, level: str) -> int:
        now = self._now
        now.snapshot.level(level)
        return now.state(level).revision

    # -- steps -

    @uncollected()
    def step(
        self,
        level: str,
        tool: Tool,
        selection: tuple[str, ...],
        revision: int,
        *,
        meshes: dict[str, PolyMesh] | None = None,
        textures: dict[str, Texture] | None = None,
        written: Mapping[str, Path | memoryview] | None = None,
    ) -> Delta:
        """Take a step and commit it. `meshes` and `textures` are new ones that the tool's parameters name; `written`
        names files with the bytes of meshes that were made ready to be stored.

        Raises StaleRevisionError when the level has moved on; then, as on every error, nothing has changed.
        """
        load = self._loader(meshes or {})
        for turn in self._tries():
            with turn:
                now = self._at(level, revision)
                change = registry.apply(now.snapshot, level, tool, selection, load)
                with self._guard:
                    self._at(level, revision)
                    if now is self._now:
                        place = now.state(level).done + 1
                        step = Committed(tool, selection, change, place, change.edits, change.edits, change.after)
                        return self._commit(level, step, meshes or {}, textures or {}, written or {})
        raise AssertionError

    def work(
        self,
        level: str,
        tool: Tool,
        selection: tuple[str, ...],
        tell: Tell,
        *,
        meshes: dict[str, PolyMesh] | None = None,
        textures: dict[str, Texture] | None = None,
        written: Mapping[str, Path | memoryview] | None = None,
    ) -> Delta:
        """Take a step that takes long: other steps go on meanwhile, and it is committed onto what they have left.

        `tell` hears how far it is and may raise to stop it. Raises HistoryError where what it was done on has been
        changed meanwhile.
        """
        load = self._loader(meshes or {})
        base, change = self._now, None
        for turn in self._tries():
            with turn:
                now = self._now
                if change is not None:
                    check_untouched(base.snapshot, now.snapshot, level, selection, change)
                # what took long has been remembered: it is only put onto other rows
                base, change = now, registry.apply(now.snapshot, level, tool, selection, load, tell=tell)
                with self._guard:
                    if now is self._now:
                        place = now.state(level).done + 1
                        step = Committed(tool, selection, change, place, change.edits, change.edits, change.after)
                        return self._commit(level, step, meshes or {}, textures or {}, written or {})
        raise AssertionError

    def plan(self, level: str, tool: Tool, selection: tuple[str, ...], tell: Tell) -> str:
        """What a step that takes long would come to, in words; nothing is changed."""
        return registry.apply(self._now.snapshot, level, tool, selection, self.meshes.get, tell=tell).note

    @contextmanager
    def begun(self, key: str, title: str) -> Iterator[None]:
        """Have the file tell, should it be cut off, what was being worked on."""
        with self._locked_transaction() as connection:
            connection.execute(insert(WORK).values(id=key, title=title))
        try:
            yield
        finally:
            with suppress(StorageError), self._locked_transaction() as connection:
                connection.execute(delete(WORK).where(WORK.c.id == key))

    @uncollected()
    def adjust_last(self, level: str, tool: Tool, revision: int) -> Delta:
        """Make the last step again with other settings: one journal entry, one transaction."""
        for turn in self._tries():
            with turn:
                now, entry, change = self._redone(level, tool, revision)
                with self._guard:
                    self._at(level, revision)
                    if now is self._now:
                        way = net(entry.edits, change.edits)
                        step = Committed(tool, entry.selection, change, entry.place, change.edits, way, change.after)
                        return self._commit(level, step, {}, {}, {})
        raise AssertionError

    def last_step(self, level: str) -> tuple[int, str, tuple[str, ...]] | None:
        """What tells the last step of a level from others, however often it is adjusted: its place in the journal, its
        tool and selection. None where there is none."""
        now = self._now
        now.snapshot.level(level)
        last = now.state(level).last
        return None if last is None else (last.place, last.tool, last.selection)

    def adjust_beside(self, level: str, tool: Tool, step: tuple[int, str, tuple[str, ...]], tell: Tell) -> Delta:
        """Make the last step, which takes long, again with other settings, beside other work. `tell` hears how far it
        is and may raise to stop it. Raises HistoryError where the last step is not this `step` (any more)."""
        for turn in self._tries():
            with turn:
                if self.last_step(level) != step:
                    raise HistoryError("Another step was made, or this one was undone, meanwhile; nothing was done.")
                revision = self.revision(level)
                try:
                    now, entry, change = self._redone(level, tool, revision, tell=tell)
                except StaleRevisionError:
                    continue  # what took long has been remembered
                with self._guard:
                    if now is self._now and self.last_step(level) == step:
                        way = net(entry.edits, change.edits)
                        made = Committed(tool, entry.selection, change, entry.place, change.edits, way, change.after)
                        return self._commit(level, made, {}, {}, {})
        raise AssertionError

    @uncollected()
    def preview(
        self, level: str, tool: Tool, selection: tuple[str, ...], revision: int, *, adjust_last: bool = False
    ) -> Delta:
        """What a step, or the last step with other settings, would change. Only its meshes are kept, for a while."""
        if adjust_last:
            now, entry, change = self._redone(level, tool, revision, preview=True)
            edits = net(entry.edits, change.edits)
        else:
            now = self._at(level, revision)
            change = registry.apply(now.snapshot, level, tool, selection, self.meshes.get, preview=True)
            edits = change.edits
        self.meshes.show(change.meshes)
        shown = level_delta(
            change.after,
            level,
            edits,
            revision=revision,
            history=history_view(now.state(level)),
            select=change.select,
            note=change.note,
            load=self.meshes.get,
            many=change.many,
        )
        shown.elements, shown.ended = change.elements, change.ended
        return shown

    @uncollected()
    def undo(self, level: str, revision: int) -> Delta:
        """Take back the level's last step."""
        with self._guard:
            self._at(level, revision)
            state = self._now.states[level]
            if state.last is None:
                raise HistoryError("There is nothing to undo.")
            edits = within(self._now.snapshot, (e.inverse() for e in reversed(state.last.edits)))
            return self._travel(level, state.last, edits, state.done - 1, state.last.selection)

    @uncollected()
    def redo(self, level: str, revision: int) -> Delta:
        """Make the step again that was undone last."""
        with self._guard:
            self._at(level, revision)
            state = self._now.states[level]
            if state.redo is None:
                raise HistoryError("There is nothing to redo.")
            made = tuple(e.id for e in state.redo.edits if e.after is not None and level_of(e.after) == level)
            return self._travel(level, state.redo, within(self._now.snapshot, state.redo.edits), state.done + 1, made)

    # -- inside -

    def _tries(self) -> Iterator[AbstractContextManager[object]]:
        """What a change is reckoned within, try after try: others may commit theirs meanwhile, and it is reckoned again
        on what they have left; but not for ever: in the end they wait for it."""
        for _ in range(_FREE_TRIES):
            yield nullcontext()
        while True:
            yield self._guard

    def _at(self, level: str, revision: int) -> Now:
        now = self._now
        now.snapshot.level(level)
        state = now.state(level)
        if state.revision != revision:
            raise StaleRevisionError(
                "The level has changed meanwhile, perhaps in another tab. Nothing was done; look and try again.",
                received=revision,
                allowed=state.revision,
            )
        return now

    def _redone(
        self, level: str, tool: Tool, revision: int, *, preview: bool = False, tell: Tell | None = None
    ) -> tuple[Now, Entry, Change]:
        now = self._at(level, revision)
        base, entry = now.snapshot, now.state(level).last
        if entry is None:
            raise HistoryError("There is no last step to adjust.")
        if entry.tool != tool.tool:
            raise HistoryError(f"The last step is {entry.tool}, not {tool.tool}.")
        entry = entry.with_edits(within(base, entry.edits))
        back = tuple(e.inverse() for e in reversed(entry.edits))
        check_current(base, back)
        check_users(base, level, entry, back)
        change = registry.apply(
            base.with_edits(back),
            level,
            tool,
            entry.selection,
            self.meshes.get,
            again=entry.made,
            preview=preview,
            tell=tell,
        )
        # what others have built upon meanwhile is seen from where things stand, not from before the step
        way = net(entry.edits, change.edits)
        check_change(base, change.after, way, level=level, locks=None)
        return now, entry, change

    def _loader(self, meshes: Mapping[str, PolyMesh]) -> Callable[[str], PolyMesh]:
        def load(key: str) -> PolyMesh:
            return meshes[key] if key in meshes else self.meshes.get(key)

        return load

    def _commit(
        self,
        level: str,
        step: Committed,
        meshes: Mapping[str, PolyMesh],
        textures: dict[str, Texture],
        written: Mapping[str, Path | memoryview],
    ) -> Delta:
        change = step.change
        self.meshes.remember(change.meshes)
        texts = Texts()
        last = self._now.states[level].last
        again = last is not None and last.place == step.place
        with self._transaction() as connection:
            fresh = {**meshes, **change.meshes}
            journal.write_meshes(connection, fresh, written)
            write_textures(connection, textures)
            journal.check_blobs(connection, step.net, fresh)
            journal.write_rows(connection, step.net, change.counters, texts)
            if last is None:  # the first entry of a level needs the row that it belongs to
                journal.write_states(
                    connection, [(level, self._now.states[level].revision, self._now.states[level].done)]
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
            if again and last is not None and journal.meshes_of(last.edits) - journal.meshes_of(step.edits):
                journal.drop_unused_meshes(connection)
            states = self._advanced(connection, level, step.net, step.place, entry, None)
            mine = self._told(step.after, level, step.net, states, change.select, change.note)
            mine.written_with(texts)
            mine.elements, mine.ended = change.elements, change.ended
        self._publish(level, step.after, step.net, states, mine)
        return mine

    def _travel(
        self, level: str, entry: Entry, edits: tuple[Edit, ...], done: int, select_ids: tuple[str, ...]
    ) -> Delta:
        before = self._now.snapshot
        check_current(before, edits)
        check_users(before, level, entry, edits)
        after = before.with_edits(edits)
        locks = locks_of(before, level, entry)
        with self._transaction() as connection:
            try:
                check_change(before, after, edits, level=level, locks=locks, refuse=HistoryError)
            except HistoryError as error:
                raise where_it_went(connection, before, level, error) from error
            texts = Texts()
            journal.write_rows(connection, edits, before.counters, texts)
            back = done < entry.place
            last = journal.find_entry(connection, level, done) if back else entry
            redo = entry if back else journal.find_entry(connection, level, done + 1)
            states = self._advanced(connection, level, edits, done, last, redo)
            chosen = tuple(i for i in select_ids if after.find(level, i) is not None)
            mine = self._told(after, level, edits, states, chosen, "")
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
        touched = {level}
        for edit in edits:
            row = edit.after or edit.before
            if row is not None:
                where = level_of(row)
                if where is None:
                    touched |= self._now.states.keys()
                else:
                    touched.add(where)
        out = {}
        for key in touched:
            state = self._now.state(key)
            place = done if key == level else state.done
            around = (last, redo) if key == level else (state.last, state.redo)
            out[key] = State(state.revision + 1, place, *around)
        journal.write_states(connection, [(key, s.revision, s.done) for key, s in out.items()])
        return out

    def _told(
        self,
        after: Snapshot,
        level: str,
        edits: tuple[Edit, ...],
        states: dict[str, State],
        select_ids: tuple[str, ...] | None,
        note: str,
    ) -> Delta:
        return level_delta(
            after,
            level,
            edits,
            revision=states[level].revision,
            history=history_view(states[level]),
            select=select_ids,
            note=note,
            load=self.meshes.get,
        )

    def _publish(
        self, level: str, after: Snapshot, edits: tuple[Edit, ...], states: dict[str, State], mine: Delta
    ) -> None:
        """Take over what has been committed, and tell it. Nothing here may fail: the change stands."""
        self._now = self._now.after(after, states)
        for key in states:
            for listener in self._listeners:
                try:
                    listener(
                        key,
                        lambda key=key: mine if key == level else self._told(after, key, edits, states, None, ""),  # type: ignore[misc]
                    )
                except Exception:  # noqa: BLE001
                    _log.exception("A tab of %s could not be told of a change.", key)

    @contextmanager
    def _locked_transaction(self) -> Iterator[Connection]:
        with self._guard, self._transaction() as connection:
            yield connection

    @contextmanager
    def _transaction(self) -> Iterator[Connection]:
        if self.read_only is not None:
            raise StorageError(f"{self.read_only} Nothing can be changed; save a copy and open that.")
        try:
            with self._file.engine.begin() as connection:
                yield connection
        except DatabaseError as error:
            raise StorageError(f"The project file could not be written ({error.orig}); nothing was changed.") from error
