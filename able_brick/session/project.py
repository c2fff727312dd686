"""A project in use: takes steps, undoes, redoes, adjusts, previews."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Final

from sqlalchemy import delete, insert

from able_brick.core.cache import ByteCache
from able_brick.core.errors import HistoryError, InputError, StorageError, UnknownIdError
from able_brick.core.files.scene import Texture
from able_brick.core.gc_pause import gc_paused
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.drawn import glb_of
from able_brick.level.rows import LevelRow
from able_brick.level.snapshot import Edit, Snapshot, level_of
from able_brick.session.delta import Delta, LevelView, StepView, derived_items, level_delta, level_view
from able_brick.session.history import (
    NEW,
    ProjectState,
    State,
    check_current,
    check_users,
    history_view,
    named_by,
    net,
    step_view,
)
from able_brick.session.ledger import Committed, Ledger, Listener
from able_brick.session.levels import Removed, check_return, copy_of, removal, within
from able_brick.session.opening import open_file
from able_brick.session.saving import save_copy
from able_brick.session.working import check_untouched
from able_brick.steps import registry
from able_brick.steps.checks import check_change, check_row
from able_brick.steps.draft import Change, ProgressCallback
from able_brick.steps.tool import Tool
from able_brick.store import journal
from able_brick.store.backups import Backup, DailyBackup, back_up
from able_brick.store.entry import Entry
from able_brick.store.pictures import PictureShelf
from able_brick.store.recipes import RecipeShelf
from able_brick.store.rows import write_rows
from able_brick.store.tables import WORK

#: What whole levels as JSON may take in memory, bytes.
_MOST_VIEWS: Final = 64 * 2**20


class Project:
    """An open project file. Safe to use from several threads; readers never wait for writers.

    `read_only` says why nothing can be changed, where that is so; `notes` are sentences that came up while opening.
    """

    def __init__(self, path: Path) -> None:
        self._file, snapshot, states, self.salvaged = open_file(path)
        self._ledger = Ledger(self._file, ProjectState(snapshot, states))
        self._viewing = threading.Lock()
        self._views: ByteCache[tuple[Snapshot, State | None, bytes, bool]] = ByteCache(
            _MOST_VIEWS, lambda kept: len(kept[2])
        )
        self.meshes = self._ledger.meshes
        self.pictures = PictureShelf(self._file, self._ledger.locked_transaction)
        self.backups = DailyBackup(self._file)
        self.recipes = RecipeShelf(self._file, self._ledger.locked_transaction)

    def close(self) -> None:
        """Close the file when what uses it has come to its end; nothing can be read or changed afterwards."""
        self.backups.close()
        self._file.close()

    @property
    def id(self) -> str:
        """What the project is called in all of its openings; a copy of it has another one."""
        return self._file.project

    def back_up(self) -> Backup:
        """Copy the project to its backups now. Raises StorageError."""
        return back_up(self._file)

    @property
    def key(self) -> str:
        """What this opening of this project is called in every address: the ids of both."""
        return f"{self._file.project}.{self._file.opening}"

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
        return list(self._ledger.removed.values())

    @property
    def snapshot(self) -> Snapshot:
        return self._ledger.now.snapshot

    def listen(self, listener: Listener) -> None:
        """Call the listener at every committed change, once for each level that it touches."""
        self._ledger.listen(listener)

    def save_copy(self, to: Path) -> None:
        """Write a whole copy of the project as a new project file. Raises StorageError, also where it exists."""
        now = self._ledger.now
        save_copy(self._file, now.snapshot, now.states, self.meshes, self.pictures, to, rows_only=self.salvaged)

    # -- levels -

    def create_level(self, name: str, budget: int | None = None) -> LevelRow:
        """A new empty level, which may have `budget` triangles where that is given."""
        with self._ledger.guard:
            counters_now = self.snapshot.counters
            counters = {**counters_now, "level": counters_now.get("level", 0) + 1}
            row = LevelRow(id=f"level-{counters['level']}", name=name)
            if budget is not None:
                row = row.changed(budget=budget)
            check_row(None, row)
            edits = (Edit(None, row),)
            return self._add_level(row, edits, counters)

    def _add_level(self, row: LevelRow, edits: tuple[Edit, ...], counters: dict[str, int]) -> LevelRow:
        with self._ledger.transaction() as connection:
            write_rows(connection, edits, counters)
            journal.write_states(connection, [(row.id, 0, 0)])
        self._ledger.go_on(self.snapshot.with_edits(edits, counters), {row.id: NEW})
        return row

    def duplicate_level(self, level: str, name: str) -> LevelRow:
        """A level like another one, with all that stands in it. Raises UnknownIdError."""
        with self._ledger.guard:
            row, edits, counters = copy_of(self.snapshot, level, name)
            check_row(None, row)
            return self._add_level(row, edits, counters)

    def delete_level(self, level: str) -> None:
        """Delete a level with all that stands in it; `restore_level` brings it back until the project is closed.

        Raises UnknownIdError, and HistoryError for the only level.
        """
        with self._ledger.guard:
            now = self._ledger.now
            row = now.snapshot.level(level)
            if len(now.snapshot.levels) == 1:
                raise HistoryError(f"{row.name} is the only level; make another one first.", id=level)
            gone = removal(now.snapshot, level, now.states[level])
            edits = tuple(Edit(r, None) for r in (*gone.things, row))
            with self._ledger.transaction() as connection:
                write_rows(connection, edits, now.snapshot.counters)
            self._ledger.removed[level] = gone
            self._ledger.go_on(now.snapshot.with_edits(edits), {}, gone=level)
        self._ledger.tell_anew(level)

    def restore_level(self, level: str) -> LevelRow:
        """Bring back a level that was deleted. Raises UnknownIdError, and HistoryError where its pieces changed."""
        with self._ledger.guard:
            gone = self._ledger.removed.get(level)
            if gone is None:
                raise UnknownIdError("That level cannot be brought back (any more).", id=level)
            check_return(self.snapshot, gone)
            edits = tuple(Edit(None, r) for r in (gone.row, *gone.things))
            state = replace(gone.state, revision=gone.state.revision + 1, elsewhere=())
            with self._ledger.transaction() as connection:
                write_rows(connection, edits, self.snapshot.counters)
                journal.write_states(connection, [(level, state.revision, state.done)])
            self._ledger.go_on(self.snapshot.with_edits(edits), {level: state})
            del self._ledger.removed[level]
        self._ledger.tell_anew(level)
        return gone.row

    @gc_paused()
    def view(self, level: str) -> LevelView:
        """The whole level."""
        now = self._ledger.now
        now.snapshot.level(level)
        state = now.state(level)
        return level_view(now.snapshot, level, self.meshes.drawn, revision=state.revision, history=history_view(state))

    def earlier(self, level: str, row: str) -> list[StepView]:
        """The steps of a level that have changed a row, the newest first: those that are done, of the last thousand."""
        now = self._ledger.now
        now.snapshot.level(level)
        done = now.state(level).done
        with self._file.reading() as connection:
            found = journal.entries_with(connection, row, [level], most=1000)
            return [view for _, entry in found if entry.place <= done and (view := step_view(entry)) is not None]

    @gc_paused()
    def view_bytes(self, level: str, *, columns: bool = False) -> tuple[bytes, bool]:
        """The whole level as JSON, or where asked and worth it in columns, and whether it is those; kept for as long as
        nothing changes, as every tab asks for the same."""
        with self._viewing:  # who comes meanwhile waits for the one that is being made
            kept = self._views.find((level, columns))
            now = self._ledger.now
            if kept is None or kept[0] is not now.snapshot or kept[1] is not now.states.get(level):
                view = self.view(level)
                packed = columns and view.large
                data = view.columns() if packed else view.text().encode()
                if self._ledger.now is not now:
                    return data, packed
                kept = self._views.keep((level, columns), (now.snapshot, now.states.get(level), data, packed))
            return kept[2:]

    def view_glb(self, key: str) -> bytes:
        """The GLB that the viewport draws: of a mesh by its hash, or of one that is derived from such, by its key.

        Raises UnknownIdError.
        """

        load = self.meshes.drawn
        found = glb_of(key, load)
        if found is not None:
            return found
        try:
            return self.meshes.view_glb(key)
        except UnknownIdError:  # derived, and forgotten: what stands in the levels knows it
            snapshot = self.snapshot
            for level in snapshot.levels:
                derived_items(snapshot, level, None, load)
                found = glb_of(key, load)
                if found is not None:
                    return found
            raise

    def revision(self, level: str) -> int:
        now = self._ledger.now
        now.snapshot.level(level)
        return now.state(level).revision

    # -- steps -

    @gc_paused()
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

        def compute(now: ProjectState) -> Committed:
            now.check(level, revision, lambda: named_by(tool, selection))
            return _new(now, level, tool, selection, registry.apply(now.snapshot, level, tool, selection, load))

        return self._ledger.commit_with_retry(level, compute, meshes=meshes, textures=textures, written=written)

    def work(
        self,
        level: str,
        tool: Tool,
        selection: tuple[str, ...],
        tell: ProgressCallback,
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
        before: tuple[ProjectState, Change] | None = None

        def compute(now: ProjectState) -> Committed:
            nonlocal before
            if before is not None:
                check_untouched(before[0].snapshot, now.snapshot, level, selection, before[1])
            # what took long has been remembered: it is only put onto other rows
            change = registry.apply(now.snapshot, level, tool, selection, load, tell=tell)
            before = now, change
            return _new(now, level, tool, selection, change)

        return self._ledger.commit_with_retry(level, compute, meshes=meshes, textures=textures, written=written)

    def plan(self, level: str, tool: Tool, selection: tuple[str, ...], tell: ProgressCallback) -> str:
        """What a step that takes long would come to, in words; nothing is changed."""
        return registry.apply(self.snapshot, level, tool, selection, self.meshes.get, tell=tell).note

    @contextmanager
    def begun(self, key: str, title: str) -> Iterator[None]:
        """Have the file tell, should it be cut off, what was being worked on."""
        with self._ledger.locked_transaction() as connection:
            connection.execute(insert(WORK).values(id=key, title=title))
        try:
            yield
        finally:
            with suppress(StorageError), self._ledger.locked_transaction() as connection:
                connection.execute(delete(WORK).where(WORK.c.id == key))

    @gc_paused()
    def adjust_last(self, level: str, tool: Tool, revision: int) -> Delta:
        """Make the last step again with other settings: one journal entry, one transaction."""

        def compute(now: ProjectState) -> Committed:
            last = now.state(level).last
            now.check(level, revision, lambda: named_by(tool, last.selection if last else ()))
            return _again(tool, *self._redone(now, level, tool))

        return self._ledger.commit_with_retry(level, compute)

    def last_step(self, level: str) -> tuple[int, str, tuple[str, ...]] | None:
        """What tells the last step of a level from others, however often it is adjusted: its place in the journal, its
        tool and selection. None where there is none."""
        now = self._ledger.now
        now.snapshot.level(level)
        return _last_step(now.state(level).last)

    def adjust_beside(
        self, level: str, tool: Tool, step: tuple[int, str, tuple[str, ...]], tell: ProgressCallback
    ) -> Delta:
        """Make the last step, which takes long, again with other settings, beside other work. `tell` hears how far it
        is and may raise to stop it. Raises HistoryError where the last step is not this `step` (any more)."""

        def compute(now: ProjectState) -> Committed:
            now.snapshot.level(level)
            if _last_step(now.state(level).last) != step:
                raise HistoryError("Another step was made, or this one was undone, meanwhile; nothing was done.")
            return _again(tool, *self._redone(now, level, tool, tell=tell))

        return self._ledger.commit_with_retry(level, compute)

    @gc_paused()
    def preview(
        self, level: str, tool: Tool, selection: tuple[str, ...], revision: int, *, adjust_last: bool = False
    ) -> Delta:
        """What a step, or the last step with other settings, would change. Only its meshes are kept, for a while."""
        now = self._ledger.at(level, revision, lambda: named_by(tool, selection))
        if not tool.previews:
            raise InputError(f"{tool.title} takes long and is not shown before it is done.", field="tool")
        if adjust_last:
            entry, change = self._redone(now, level, tool, preview=True)
            edits = net(entry.edits, change.edits)
        else:
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
            load=self.meshes.drawn,
            preview_poses=change.preview_poses,
        )
        shown.elements, shown.ended = change.elements, change.ended
        return shown

    @gc_paused()
    def undo(self, level: str, revision: int) -> Delta:
        """Take back the level's last step."""
        with self._ledger.guard:
            self._ledger.at(level, revision)
            state = self._ledger.now.states[level]
            if state.last is None:
                raise HistoryError("There is nothing to undo.")
            edits = within(self.snapshot, (e.inverse() for e in reversed(state.last.edits)))
            return self._ledger.travel(level, state.last, edits, state.done - 1, state.last.selection)

    @gc_paused()
    def redo(self, level: str, revision: int) -> Delta:
        """Make the step again that was undone last."""
        with self._ledger.guard:
            self._ledger.at(level, revision)
            state = self._ledger.now.states[level]
            if state.redo is None:
                raise HistoryError("There is nothing to redo.")
            made = tuple(e.id for e in state.redo.edits if e.after is not None and level_of(e.after) == level)
            return self._ledger.travel(level, state.redo, within(self.snapshot, state.redo.edits), state.done + 1, made)

    # -- inside -

    def _redone(
        self, now: ProjectState, level: str, tool: Tool, *, preview: bool = False, tell: ProgressCallback | None = None
    ) -> tuple[Entry, Change]:
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
        return entry, change

    def _loader(self, meshes: Mapping[str, PolyMesh]) -> Callable[[str], PolyMesh]:
        def load(key: str) -> PolyMesh:
            return meshes[key] if key in meshes else self.meshes.get(key)

        return load


def _new(now: ProjectState, level: str, tool: Tool, selection: tuple[str, ...], change: Change) -> Committed:
    """A step that comes after those of a level's journal."""
    place = now.state(level).done + 1
    return Committed(tool, selection, change, place, change.edits, change.edits, change.after)


def _again(tool: Tool, entry: Entry, change: Change) -> Committed:
    """The last step with other settings."""
    way = net(entry.edits, change.edits)
    return Committed(tool, entry.selection, change, entry.place, change.edits, way, change.after, again=True)


def _last_step(last: Entry | None) -> tuple[int, str, tuple[str, ...]] | None:
    """What tells a step from others, however often it is adjusted."""
    return None if last is None else (last.place, last.tool, last.selection)
