"""The project that the server has open, which may be changed for another one."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Final

from able_brick.api.live import Hub
from able_brick.core.errors import UnknownIdError
from able_brick.session.project import Project
from able_brick.store.recent import remember

DEMO_NAME: Final = "merrow-lock.db"
#: Makes the demo project as a new file.
DemoBuilder = Callable[[Path], None]


class Opened:
    """The open project. Requests that have begun with the one before are served with it to their end."""

    def __init__(self, project: Project, hub: Hub, *, build_demo: DemoBuilder | None = None) -> None:
        self.project = project
        self._hub = hub
        self._build_demo = build_demo
        self._guard = threading.Lock()
        self._before: list[Project] = []
        project.listen(hub.publish)

    @property
    def has_demo(self) -> bool:
        return self._build_demo is not None

    def open(self, path: Path) -> None:
        """Open another project. Raises StorageError where it cannot be read, and then all is as it was."""
        with self._guard:
            if path.resolve() == self.project.path.resolve():
                return
            found = next((p for p in self._before if p.path.resolve() == path.resolve()), None)
            if found is not None:  # it has not been closed yet
                self._before.remove(found)
            fresh = found or self._opened(path)
            old, self.project = self.project, fresh
            self._before.append(old)
            remember(path)
            self._hub.publish_all()
            # what had begun with it before has had its reply by the time that a third one is opened
            while len(self._before) > 1:
                self._before.pop(0).close()

    def _opened(self, path: Path) -> Project:
        fresh = Project(path)
        try:
            if not fresh.snapshot.levels and fresh.read_only is None:
                fresh.create_level("First level")
        except BaseException:
            fresh.close()
            raise
        fresh.listen(self._hub.publish)
        return fresh

    def open_demo(self) -> None:
        """Open the demo project that lies beside the open one; it is built first where it is not there."""
        if self._build_demo is None:
            raise UnknownIdError("This server has no demo project.", id="demo")
        path = self.project.path.absolute().with_name(DEMO_NAME)
        if not path.exists():
            self._build_demo(path)
        self.open(path)

    def close(self) -> None:
        for project in (*self._before, self.project):
            project.close()
