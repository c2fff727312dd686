"""A reading process that has started and waits for a file, so that a file need not wait for one to start."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from contextlib import suppress


class Spare:
    """One reading process at most, which all projects of a server share: it knows of none of them. Safe to use from
    several threads."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._waiting: subprocess.Popen[str] | None = None
        self._closed = False

    def warm(self) -> None:
        """Have one ready."""
        with self._guard:
            if not self._closed:
                self._waiting = self._alive() or _started()

    def take(self) -> subprocess.Popen[str]:
        """The one that waits, or one that is started now; it is the caller's from now on."""
        with self._guard:
            found, self._waiting = self._alive(), None
        return found or _started()

    def close(self) -> None:
        """End the one that waits; none is made ready any more."""
        with self._guard:
            self._closed = True
            if self._waiting is not None:
                kill(self._waiting)
                close_pipes(self._waiting)
                self._waiting.wait()
                self._waiting = None

    def _alive(self) -> subprocess.Popen[str] | None:
        """The one that waits, unless it has ended meanwhile."""
        found = self._waiting
        if found is not None and found.poll() is not None:
            close_pipes(found)
            return None
        return found


def _started() -> subprocess.Popen[str]:
    """A reading process that waits for its folder; it gets no more of the environment than it needs."""
    kept = {k: v for k, v in os.environ.items() if k in ("PATH", "HOME", "LANG", "TMPDIR") or k.startswith("NUMBA")}
    return subprocess.Popen(
        [sys.executable, "-I", "-m", "able_brick.jobs.read_worker"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        env=kept,
        start_new_session=True,
    )


def close_pipes(process: subprocess.Popen[str]) -> None:
    """Let go of the pipes to a reading process."""
    for pipe in (process.stdin, process.stdout):
        if pipe is not None:
            with suppress(OSError):
                pipe.close()


def kill(process: subprocess.Popen[str]) -> None:
    """End a reading process that has not ended."""
    if process.poll() is None:
        process.kill()
