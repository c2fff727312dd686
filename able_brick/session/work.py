"""Steps that take long: done one after the other off the request, with progress and cancel."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Final, Literal

from able_brick.core.errors import AbleBrickError, InputError, UnknownIdError
from able_brick.session.project import Project
from able_brick.steps.tool import Tool

_log = logging.getLogger("able_brick")
_MOST_WAITING: Final = 50
#: Work that has ended is remembered for so many of them.
_MOST_ENDED: Final = 50
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
    begun: float = field(default_factory=time.monotonic)

    @property
    def ended(self) -> bool:
        return self.state in ("done", "failed", "stopped")


class Work:
    """All long work of a server. Safe to use from several threads."""

    def __init__(self) -> None:
        self._guard = threading.Condition(threading.RLock())
        self._jobs: dict[str, Job] = {}
        self._number = 0
        self._workers = ThreadPoolExecutor(1, thread_name_prefix="work")

    def start(self, project: Project, level: str, tool: Tool, selection: tuple[str, ...]) -> Job:
        """Put a step into the queue. Raises InputError for a tool that is not long, and where too many wait."""
        if not tool.long:
            raise InputError(f"{tool.title} is done at once; take it as a step.", field="tool")
        project.snapshot.level(level)
        with self._guard:
            waiting = [j for j in self._jobs.values() if not j.ended]
            if len(waiting) >= _MOST_WAITING:
                raise InputError(f"{len(waiting)} steps are waiting; let some of them end first.", field="tool")
            self._number += 1
            names = [r.name for s in selection[:3] if (r := project.snapshot.find(level, s)) is not None]
            more = f" and {len(selection) - 3} more" if len(selection) > 3 else ""
            title = f"{tool.title}: {', '.join(names)}{more}" if names else tool.title
            job = Job(f"job-{self._number}", level, title, tool.tool)
            self._jobs[job.id] = job
            for old in [j for j in self._jobs.values() if j.ended][:-_MOST_ENDED]:
                del self._jobs[old.id]
        self._workers.submit(self._do, job, project, tool, selection)
        return job

    def get(self, key: str) -> Job:
        """The job, or UnknownIdError."""
        with self._guard:
            found = self._jobs.get(key)
        if found is None:
            raise UnknownIdError("That work is not known (any more).", id=key[:80])
        return found

    def all(self) -> list[Job]:
        """Every job that is remembered, the oldest first."""
        with self._guard:
            return list(self._jobs.values())

    def wait(self, key: str, seconds: float, seen: float) -> Job:
        """The job, as soon as it has ended or come further than `seen`, or after some seconds."""
        job = self.get(key)
        end = time.monotonic() + seconds
        with self._guard:
            while not job.ended and job.share <= seen and (left := end - time.monotonic()) > 0:
                self._guard.wait(left)
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
        self._workers.shutdown(wait=True, cancel_futures=True)

    def _do(self, job: Job, project: Project, tool: Tool, selection: tuple[str, ...]) -> None:
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

        self._ending(job, lambda: self._worked(job, project, tool, selection, tell))

    def _worked(
        self,
        job: Job,
        project: Project,
        tool: Tool,
        selection: tuple[str, ...],
        tell: Callable[[float, str], None],
    ) -> None:
        if tool.plans:
            job.note = project.plan(job.level, tool, selection, tell)
            return
        with project.begun(job.id, job.title):
            delta = project.work(job.level, tool, selection, tell)
        job.revision, job.note = delta.revision, delta.note

    def _ending(self, job: Job, work: Callable[[], None]) -> None:
        try:
            work()
        except _StoppedError:
            self._end(job, "stopped", "")
        except AbleBrickError as error:
            self._end(job, "failed", str(error))
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
