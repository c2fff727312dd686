"""The project that the server has open, with all that belongs to it; another one may be opened in its place."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any, Final, Literal

from able_brick.api.live import Hub
from able_brick.core.errors import OtherProjectError, StorageError, UnknownIdError, WorkRunningError
from able_brick.jobs.batches import Batches
from able_brick.jobs.imports import Imports
from able_brick.jobs.spare import Spare
from able_brick.session.project import Project
from able_brick.session.work import Work
from able_brick.store.recent import remember

DEMO_NAME: Final = "merrow-lock.db"
#: Seconds for which one request waits until what is being worked on has ended.
MOST_WAITING: Final = 20.0
#: Seconds for which a project is waited for that was closed just now and is wanted again.
_MOST_CLOSING: Final = 15.0
#: Makes the demo project as a new file.
DemoBuilder = Callable[[Path], None]
#: What becomes of work that runs when another project is opened.
Running = Literal["wait", "stop"]


class OpenProject:
    """All that belongs to one opening of a project: the project, tabs that look at it, files that have come in, long
    work and batches. Requests that have begun with it are served to their end before it is closed."""

    def __init__(self, project: Project, spare: Spare) -> None:
        self.project = project
        self.key = project.key
        self.hub = Hub()
        self.imports = Imports(spare)
        self.work = Work()
        self.batches = Batches()
        self._use = threading.Condition()
        self._users = 0
        project.listen(self.hub.publish)

    def enter(self) -> None:
        """A request begins."""
        with self._use:
            self._users += 1

    def leave(self) -> None:
        """It has ended."""
        with self._use:
            self._users -= 1
            self._use.notify_all()

    @property
    def running(self) -> list[str]:
        """What is being worked on, by its titles."""
        return self.work.running + self.batches.running

    def rest(self) -> list[str]:
        """Let nothing new be worked on, where nothing is; else what is, and then new work may still begin."""
        running = self.work.rest() or self.batches.rest()
        if running:
            self.go_on()
        return self.running if running else []

    def go_on(self) -> None:
        """Let new work begin again."""
        self.work.go_on()
        self.batches.go_on()

    def stop_running(self) -> None:
        """Cancel what is being worked on."""
        for job in self.work.all():
            self.work.stop(job.id)
        for batch in self.batches.all():
            self.batches.stop(batch.id)

    def close(self) -> None:
        """End all of it: work and batches, then the requests, and the file at last."""
        self.batches.close()
        self.work.close()
        self.imports.close()
        with self._use:
            while self._users:
                self._use.wait()
        self.project.close()


class CurrentProject:
    """The open project."""

    def __init__(self, project: Project, *, build_demo: DemoBuilder | None = None, serving: bool = False) -> None:
        self._spare = Spare()
        self.now = OpenProject(project, self._spare)
        self._build_demo = build_demo
        self._serving = serving
        if serving:
            project.backups.begin()
        self._guard = threading.Lock()
        self._closing: dict[Path, threading.Thread] = {}

    @property
    def has_demo(self) -> bool:
        return self._build_demo is not None

    def enter(self, key: str) -> OpenProject:
        """The open project, for a request that names it; `leave` it afterwards. Raises OtherProjectError."""
        found = self.now
        found.enter()
        # it may have been put aside in between: then it may be closing already
        if found.key == key and found is self.now:
            return found
        found.leave()
        raise other_project(self.now, key)

    def open(self, path: Path, running: Running | None = None, *, budget: int | None = None) -> None:
        """Open another project. What is being worked on in this one is waited for, for a while, or stopped.

        The first level of an empty project has the `budget`. Raises WorkRunningError where it is not said which, or
        where that takes longer; StorageError where the other one cannot be read. Then all is as it was.
        """
        until = time.monotonic() + MOST_WAITING
        while True:
            with self._guard:
                now = self.now
                if _same(path, now.project.path):
                    return
                busy = now.rest()
                if not busy:
                    try:
                        fresh = self._opened(path, budget)
                    except BaseException:
                        now.go_on()
                        raise
                    self._change(fresh)
                    remember(path)
                    return
            if running is None or time.monotonic() > until:
                raise _running(now, busy)
            if running == "stop":
                now.stop_running()
            time.sleep(0.05)

    def _change(self, fresh: Project) -> None:
        """Put a project in the place of the one that is open, which is closed beside."""
        old, self.now = self.now, OpenProject(fresh, self._spare)
        if self._serving:
            self.now.imports.warm()
            fresh.backups.begin()
        old.hub.end(project_notice(self.now))
        thread = threading.Thread(target=old.close, name="closing", daemon=True)
        self._closing = {p: t for p, t in self._closing.items() if t.is_alive()}
        self._closing[old.project.path] = thread
        thread.start()

    def _opened(self, path: Path, budget: int | None) -> Project:
        closing = self._closing.get(path.resolve())
        if closing is not None:
            closing.join(_MOST_CLOSING)
            if closing.is_alive():
                raise StorageError(f"{path.name} is still being closed; try again in a moment.")
        fresh = Project(path)
        try:
            if not fresh.snapshot.levels and fresh.read_only is None:
                fresh.create_level("First level", budget)
        except BaseException:
            fresh.close()
            raise
        return fresh

    def open_demo(self, running: Running | None = None) -> None:
        """Open the demo project that lies beside the open one; it is built first where it is not there."""
        if self._build_demo is None:
            raise UnknownIdError("This server has no demo project.", id="demo")
        path = self.now.project.path.absolute().with_name(DEMO_NAME)
        if running is None and not _same(path, self.now.project.path) and (busy := self.now.running):
            raise _running(self.now, busy)
        if not path.exists():
            self._build_demo(path)
        self.open(path, running)

    def close(self) -> None:
        """Close it, and wait for those that are being closed."""
        self.now.close()
        for thread in self._closing.values():
            thread.join()
        self._spare.close()


def _same(a: Path, b: Path) -> bool:
    """Whether two paths lead to the same file; neither is opened."""
    if a.resolve() == b.resolve():
        return True
    with suppress(OSError):
        return a.samefile(b)
    return False


def project_notice(found: OpenProject) -> dict[str, Any]:
    """What a page or a script that means another project hears of the open one."""
    return {"open": found.key, "name": found.project.path.name, "path": str(found.project.path.absolute())}


def other_project(now: OpenProject, key: str) -> OtherProjectError:
    """What is said to a request that means another project than the open one."""
    same = key.partition(".")[0] == now.key.partition(".")[0]
    text = (
        f"{now.project.path.name} was opened anew since; nothing was done. Load it again."
        if same
        else f"That is meant for another project than the one that is open, {now.project.path.name}. Nothing was done."
    )
    return OtherProjectError(text, **project_notice(now))


def _running(now: OpenProject, busy: list[str]) -> WorkRunningError:
    more = f" and {len(busy) - 2} more" if len(busy) > 2 else ""
    return WorkRunningError(
        f"{', '.join(busy[:2])}{more}: still being worked on in {now.project.path.name}. Wait for it, or have it "
        "stopped.",
        running=busy[:20],
        allowed=["wait", "stop"],
    )
