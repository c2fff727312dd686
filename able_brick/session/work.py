"""Steps that take long: done one after the other off the request, with progress and cancel."""

from __future__ import annotations

import logging
import shutil
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final, Literal

from able_brick.core.errors import AbleBrickError, HistoryError, InputError
from able_brick.core.events import event
from able_brick.jobs.roster import Roster
from able_brick.session.project import Project
from able_brick.steps.draft import ProgressCallback
from able_brick.steps.tool import Tool
from able_brick.store.scratch import Scratch

_log = logging.getLogger("able_brick")
_MOST_WAITING: Final = 50
#: Work that has ended is remembered for so many of them.
_MOST_ENDED: Final = 50
#: Of the files that work has written so many are kept to be fetched, and so many bytes of them; the newest always is.
_MOST_FILES: Final = 8
_MOST_BYTES: Final = 512 * 2**20
State = Literal["waiting", "working", "done", "failed", "stopped"]


class _StoppedError(Exception):
    """Somebody has cancelled it."""


@dataclass
class Job:
    """Work that was asked for: how far it is, and then what came of it."""

    id: str
    level: str
    title: str
    tool: str
    state: State = "waiting"
    share: float = 0.0
    words: str = "Waiting"
    reason: str = ""
    revision: int = 0
    note: str = ""
    wanted: bool = True
    file: Path | None = None
    begun: float = field(default_factory=time.monotonic)

    @property
    def ended(self) -> bool:
        return self.state in ("done", "failed", "stopped")


@dataclass(frozen=True)
class Outcome:
    """What came of work: the level's revision where it took a step, a line to tell, and a file that it has written."""

    revision: int = 0
    note: str = ""
    file: Path | None = None


#: What is worked on: it tells how far it is, and may ask for a folder to write files in.
Doing = Callable[[ProgressCallback, Callable[[], Path]], Outcome]


class Work(Roster[Job]):
    """All long work of a server."""

    def __init__(self) -> None:
        super().__init__("job", "That work is not known (any more).", _MOST_ENDED)
        self._workers = ThreadPoolExecutor(1, thread_name_prefix="work")
        self._scratch: Scratch | None = None

    def start(
        self, project: Project, level: str, tool: Tool, selection: tuple[str, ...], *, adjust_last: bool = False
    ) -> Job:
        """Put a step into the queue, or the last step once more with other settings. Raises InputError for a tool that
        is not long, and where too many wait; HistoryError where the last step is another one."""
        if not tool.long:
            raise InputError(f"{tool.title} is done at once; take it as a step.", field="tool")
        project.snapshot.level(level)
        last = project.last_step(level) if adjust_last else None
        if adjust_last and (last is None or last[1] != tool.tool):
            raise HistoryError(f"The last step is not {tool.title}; there is nothing to adjust.")
        selection = selection if last is None else last[2]
        names = [r.name for s in selection[:3] if (r := project.snapshot.find(level, s)) is not None]
        more = f" and {len(selection) - 3} more" if len(selection) > 3 else ""
        title = f"{tool.title}: {', '.join(names)}{more}" if names else tool.title

        def do(tell: ProgressCallback, _room: Callable[[], Path]) -> Outcome:
            if tool.plans:
                return Outcome(note=project.plan(level, tool, selection, tell))
            delta = (
                project.work(level, tool, selection, tell)
                if last is None
                else project.adjust_beside(level, tool, last, tell)
            )
            return Outcome(delta.revision, delta.note)

        return self.begin(project, level, title, tool.tool, do, recorded=not tool.plans)

    def begin(self, project: Project, level: str, title: str, kind: str, do: Doing, *, recorded: bool = False) -> Job:
        """Put work into the queue. `told_by_file`: the project file remembers it, should it be cut off. Raises
        InputError where too many wait."""
        with self._guard:
            self._gate.check()
            waiting = len(self.running)
            if waiting >= _MOST_WAITING:
                raise InputError(f"{waiting} steps are waiting; let some of them end first.", field="tool")
            job, dropped = self._add(lambda key: Job(key, level, title, kind))
            for old in dropped:
                self._drop_file(old)
        self._workers.submit(self._do, job, project if recorded else None, do)
        return job

    def wait(self, key: str, seconds: float, seen: float) -> Job:
        """The job, as soon as it has ended or come further than `seen`, or after some seconds."""
        job = self.get(key)
        self._until(lambda: job.ended or job.share > seen, seconds)
        return job

    def stop(self, key: str) -> Job:
        """Cancel a job: it ends at the next breath, and nothing of it is kept."""
        job = self.get(key)
        with self._guard:
            job.wanted = False
            if job.state == "waiting":
                self._end(job, "stopped", "")
        return job

    def close(self) -> None:
        """Stop everything."""
        for job in self.all():
            self.stop(job.id)
        with self._guard:
            self._gate.set(shut=True)
        self._workers.shutdown(wait=True, cancel_futures=True)
        if self._scratch is not None:
            self._scratch.close()

    def _room(self, job: Job) -> Path:
        """The folder of a job."""
        with self._guard:
            self._scratch = self._scratch or Scratch()
            folder = self._scratch.folder / job.id
        folder.mkdir(exist_ok=True)
        return folder

    def _drop_file(self, job: Job) -> None:
        """Let go of what a job has written; with its folder, in which it may have left something else."""
        job.file = None
        if self._scratch is not None:
            shutil.rmtree(self._scratch.folder / job.id, ignore_errors=True)

    def _make_room(self) -> None:
        """Let the oldest files go until few enough are left, by number and by bytes."""
        with self._guard:
            held = [j for j in self._items.values() if j.file is not None]
            sizes = [_size(j.file) for j in held]
            while len(held) > 1 and (len(held) > _MOST_FILES or sum(sizes) > _MOST_BYTES):
                self._drop_file(held.pop(0))
                sizes.pop(0)

    def _do(self, job: Job, project: Project | None, do: Doing) -> None:
        with self._guard:
            if not job.wanted:
                self._end(job, "stopped", "")
                return
            job.state = "working"
            self._guard.notify_all()

        def tell(share: float, words: str) -> None:
            with self._guard:
                if not job.wanted:
                    raise _StoppedError
                if share > job.share or words != job.words:
                    job.share, job.words = max(job.share, min(share, 0.999)), words
                    self._guard.notify_all()

        def work() -> None:
            with nullcontext() if project is None else project.begun(job.id, job.title):
                out = do(tell, lambda: self._room(job))
            job.revision, job.note, job.file = out.revision, out.note, out.file

        began = time.perf_counter()
        self._ending(job, work)
        # long by its nature: its time is logged as a fact
        seconds = round(time.perf_counter() - began, 2)
        event("work", tool=job.tool, id=job.id, level_id=job.level, state=job.state, seconds=seconds)
        if job.file is None:
            self._drop_file(job)
        else:
            self._make_room()

    def _ending(self, job: Job, work: Callable[[], None]) -> None:
        try:
            work()
        except _StoppedError:
            self._end(job, "stopped", "")
        except AbleBrickError as error:
            self._end(job, "failed", str(error))
        except OSError as error:
            self._end(job, "failed", f"The file could not be written: {error.strerror}. Make room and try again.")
        except Exception:  # noqa: BLE001
            _log.exception("%s failed.", job.title)
            self._end(job, "failed", "Something went wrong that nobody thought of. Nothing was changed.")
        else:
            self._end(job, "done", "")

    def _end(self, job: Job, state: State, reason: str) -> None:
        with self._guard:
            job.state, job.reason = state, reason
            if state == "done":
                job.share, job.words = 1.0, "Done"
            self._guard.notify_all()


def _size(path: Path | None) -> int:
    """Bytes of a file; none where it is gone."""
    with suppress(OSError):
        return 0 if path is None else path.stat().st_size
    return 0
