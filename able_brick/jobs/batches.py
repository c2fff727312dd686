"""Batches that a page has begun: one at a time, with progress and cancel."""

from __future__ import annotations

import logging
import threading
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO, Final, Literal

from able_brick.core.errors import AbleBrickError, InputError, StorageError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.text import counted
from able_brick.jobs.arrived import put_down
from able_brick.jobs.batch import Progress, check_folders, check_names, how_named, run_batch
from able_brick.jobs.naming import NamePattern
from able_brick.jobs.roster import Roster
from able_brick.jobs.written import Written
from able_brick.level.recipe import Recipe
from able_brick.store.scratch import Scratch

_log = logging.getLogger("able_brick")
_MOST_ENDED: Final = 20
State = Literal["working", "done", "failed", "stopped"]


class _StoppedError(Exception):
    """Somebody has cancelled it."""


@dataclass
class Batch:
    """A folder that is slimmed into another: how far it is, and then what came of it. Files that `arrived` from a page
    lie in a folder of their own, which goes with it."""

    id: str
    source: Path
    target: Path
    recipe: Recipe
    pattern: str
    state: State = "working"
    reason: str = ""
    progress: Progress = field(default_factory=Progress)
    wanted: bool = True
    source_name: str = ""
    arrived: Scratch | None = None
    replace: bool = False
    rungs: Rungs | None = None

    @property
    def title(self) -> str:
        return f"Slim {self.source_name}"

    @property
    def ended(self) -> bool:
        return self.state != "working"


class Batches(Roster[Batch]):
    """All batches of a server."""

    def __init__(self) -> None:
        super().__init__("batch", "That batch is not known (any more).", _MOST_ENDED)

    def start_files(
        self,
        files: Sequence[tuple[str, BinaryIO]],
        target: Path,
        recipe: Recipe,
        pattern: str | None,
        *,
        rungs: Rungs | None = None,
        replace: bool = False,
    ) -> Batch:
        """The same for files that came from a page."""
        try:
            arrived = Scratch()
        except OSError as error:
            raise StorageError(f"No temporary folder could be made: {error.strerror}. Nothing was done.") from error
        try:
            source = arrived.folder / "files"
            source.mkdir()
            count = put_down(files, source)
            title = counted(count, "file", "files")
            return self.start(
                source, target, recipe, pattern, rungs=rungs, replace=replace, title=title, arrived=arrived
            )
        except BaseException:
            arrived.close()
            raise

    def start(
        self,
        source: Path,
        target: Path,
        recipe: Recipe,
        pattern: str | None,
        *,
        rungs: Rungs | None = None,
        replace: bool = False,
        title: str = "",
        arrived: Scratch | None = None,
    ) -> Batch:
        """Begin a batch. Raises InputError and StorageError for what cannot be read, written or named, and while
        another one is at work."""
        if not source.is_absolute() or not target.is_absolute():
            raise InputError("Give whole paths of both folders.", field="source" if target.is_absolute() else "target")
        check_folders(source, target)
        pattern, each = how_named(pattern, recipe, rungs)
        parsed = NamePattern.parse(pattern, rungs=each)
        # reported at once; it is looked at again when it begins
        check_names(Written(target.resolve(), source.resolve(), "", replace), parsed, each, rungs)
        with self._guard:
            self._gate.check()
            if self.running:
                raise InputError("Another folder is being slimmed; wait for it, or cancel it.", field="source")
            batch, _ = self._add(
                lambda key: Batch(
                    key,
                    source,
                    target,
                    recipe,
                    pattern,
                    source_name=title or str(source),
                    arrived=arrived,
                    replace=replace,
                    rungs=rungs,
                )
            )
        threading.Thread(target=self._run, args=(batch,), daemon=True).start()
        return batch

    def wait(self, key: str, seconds: float, seen: int) -> Batch:
        """The batch, as soon as it has ended or more than `seen` files have, or after some seconds."""
        batch = self.get(key)
        self._until(lambda: batch.ended or batch.progress.ended > seen, seconds)
        return batch

    def stop(self, key: str) -> Batch:
        """Cancel a batch; the files that are done stay, and it goes on there when it is begun again."""
        batch = self.get(key)
        with self._guard:
            batch.wanted = False
        return batch

    def close(self) -> None:
        """Cancel everything."""
        with self._guard:
            self._gate.set(shut=True)
        for batch in self.all():
            self.stop(batch.id)
        self._until(lambda: all(b.ended for b in self.all()), 10)

    def _run(self, batch: Batch) -> None:
        def tell(now: Progress) -> None:
            with self._guard:
                batch.progress = now
                self._guard.notify_all()
                if not batch.wanted:
                    raise _StoppedError

        state: State = "done"
        try:
            run_batch(
                batch.source,
                batch.target,
                batch.recipe,
                pattern=batch.pattern,
                rungs=batch.rungs,
                replace=batch.replace,
                tell=tell,
            )
        except _StoppedError:
            state = "stopped"
        except (AbleBrickError, OSError) as error:
            state, batch.reason = "failed", str(error)
        except Exception:  # noqa: BLE001
            _log.exception("A batch failed.")
            state, batch.reason = "failed", "Something went wrong that nobody thought of. What is done stays."
        if batch.arrived is not None:
            batch.arrived.close()
        with self._guard:
            batch.state = state
            self._guard.notify_all()
