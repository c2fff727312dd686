"""Files that have arrived and wait to be accepted: read in a process of their own, with limits, progress and cancel."""

from __future__ import annotations

import json
import shutil
import subprocess
import threading
import time
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from errno import ENOSPC
from pathlib import Path, PurePath
from typing import Any, BinaryIO, Final, Literal

from able_brick.core.errors import AbleBrickError, FileError, StorageError, UnknownIdError
from able_brick.core.events import event
from able_brick.core.files.read import BESIDE, MODELS
from able_brick.core.files.scene import Scene
from able_brick.core.mesh.measure import SMALL
from able_brick.jobs.mesh_facts import attach_mesh_facts
from able_brick.jobs.scene_folder import large_meshes, read_scene
from able_brick.jobs.sheet import Sheet
from able_brick.jobs.spare import Spare, close_pipes, kill
from able_brick.steps.draft import facts
from able_brick.store.mesh_codec import encode
from able_brick.store.scratch import Scratch

SECONDS: Final = 180.0
_MOST_WAITING: Final = 8
_MOST_FILES: Final = 200
_EXPIRES: Final = 3600.0  # seconds after which a file that nobody asks about is forgotten
_BREATH: Final = 2.5  # seconds after a reading until the next process gets ready: it would slow accepting down
State = Literal["reading", "ready", "failed"]


@dataclass
class Import:
    """A file that has arrived: how far its reading is, and then its sheet or the reason why not."""

    id: str
    file: str
    folder: Path
    weld: bool = True
    state: State = "reading"
    share: float = 0.0
    words: str = "Waiting"
    reason: str = ""
    data: dict[str, Any] = field(default_factory=dict)
    sheet: Sheet | None = None
    process: subprocess.Popen[str] | None = None
    turn: int = 0
    asked: float = field(default_factory=time.monotonic)
    written: dict[str, Path] = field(default_factory=dict)
    preparing: threading.Lock = field(default_factory=threading.Lock)


class Imports:
    """All imports of a project. Safe to use from several threads."""

    def __init__(self, spare: Spare | None = None) -> None:
        """`spare` has reading processes ready, also for others; without one they are had ready here."""
        self._guard = threading.Condition(threading.RLock())
        self._spare, self._shared = spare or Spare(), spare is not None
        self._all: dict[str, Import] = {}
        self._number = 0
        self._root: Scratch | None = None
        self._later: threading.Timer | None = None

    def take(self, files: Mapping[str, BinaryIO], *, weld: bool = True) -> Import:
        """Take files in by name, one model and what belongs to it, and begin to read.

        Raises FileError when there is no model among them, or more than one.
        """
        if not files or len(files) > _MOST_FILES:
            raise FileError(f"Give 1 to {_MOST_FILES} files.", place="files", received=len(files))
        models = [n for n in files if PurePath(n).suffix.lower() in MODELS]
        if len(models) > 1:
            raise FileError(
                f"{len(models)} models came at once ({', '.join(models[:3])}); bring them in one by one.",
                place="files",
                received=models[:10],
            )
        if not models:
            raise FileError(
                f"There is no model among the files; give a {', '.join(MODELS)} with the {', '.join(BESIDE)} it names.",
                place="files",
                received=list(files)[:10],
                allowed=list(MODELS),
            )
        incoming = self._room(models[0], weld=weld)
        names = {}
        try:
            for k, (name, stream) in enumerate(files.items()):
                with (incoming.folder / f"file-{k}").open("wb") as out:
                    shutil.copyfileobj(stream, out, 2**20)
                names[name] = f"file-{k}"
            self._begin(incoming, names)
        except OSError as error:
            self.discard(incoming.id)
            raise _no_room(error) from error
        return incoming

    def _room(self, file: str, *, weld: bool) -> Import:
        """A new import with a folder; those that have waited longest go when there are too many."""
        try:
            with self._guard:
                self._number += 1
                self._root = self._root or Scratch()
                folder = self._root.folder / f"{self._number}"
                folder.mkdir()
                incoming = Import(f"import-{self._number}", file, folder, weld)
                self._all[incoming.id] = incoming
                crowd = [a for a in self._all.values() if a is not incoming]
        except OSError as error:
            raise _no_room(error) from error
        for old in crowd[: max(0, len(crowd) + 1 - _MOST_WAITING)]:
            self.discard(old.id)
        self._check_later(_EXPIRES)
        return incoming

    def _check_later(self, seconds: float) -> None:
        """Have one thread look after so many seconds which imports nobody has asked about for long; there is never more
        than one."""
        with self._guard:
            if self._later is not None:
                return
            self._later = threading.Timer(seconds, self._expire)
            self._later.daemon = True
            self._later.start()

    def _expire(self) -> None:
        """Forget the imports that nobody has asked about for long."""
        now = time.monotonic()
        with self._guard:
            self._later = None
            gone = [key for key, a in self._all.items() if a.asked + _EXPIRES <= now]
            next_one = min((a.asked + _EXPIRES - now for k, a in self._all.items() if k not in gone), default=None)
        for key in gone:
            self.discard(key)
        if next_one is not None:
            self._check_later(max(next_one, 1.0))

    def read_again(self, key: str, *, weld: bool) -> Import:
        """Read an import again with or without welding."""
        incoming = self.get(key)
        names = json.loads((incoming.folder / "job.json").read_text())["files"]
        with self._guard:
            self._stop(incoming)
            incoming.weld = weld
            incoming.state, incoming.sheet, incoming.share, incoming.words = "reading", None, 0.0, "Waiting"
            incoming.written = {}
        self._begin(incoming, names)
        return incoming

    def get(self, key: str) -> Import:
        """The import, or UnknownIdError."""
        with self._guard:
            found = self._all.get(key)
        if found is None:
            raise UnknownIdError("That file is no longer waiting; bring it in again.", id=key[:80])
        found.asked = time.monotonic()
        return found

    def wait(self, key: str, seconds: float, seen: float) -> Import:
        """The import, as soon as it is no longer read or has come further than `seen`, or after some seconds."""
        incoming = self.get(key)
        end = time.monotonic() + seconds
        with self._guard:
            while incoming.state == "reading" and incoming.share <= seen and (left := end - time.monotonic()) > 0:
                self._guard.wait(left)
        return incoming

    def taken(self, key: str) -> tuple[Scene, dict[str, Path | memoryview]]:
        """What a ready import holds; and the bytes of meshes as they are stored, or files with them, by hash, as far as
        they have been made ready."""
        incoming = self.get(key)
        if incoming.state != "ready":
            raise FileError(incoming.reason or "The file is still being read; wait for its sheet.", place="import")
        with incoming.preparing:
            scene = read_scene(incoming.folder)
            ready: dict[str, Path | memoryview] = {}
            with suppress(OSError, ValueError, EOFError, LookupError):
                ready |= attach_mesh_facts(incoming.folder, [p.mesh for p in scene.parts])
            ready |= incoming.written
        return scene, ready

    def discard(self, key: str) -> None:
        """Stop reading and forget an import; nothing happens when there is none."""
        with self._guard:
            incoming = self._all.pop(key, None)
            if incoming is None:
                return
            self._stop(incoming)
            self._guard.notify_all()
        shutil.rmtree(incoming.folder, ignore_errors=True)

    @property
    def count(self) -> int:
        """How many are read or wait to be accepted."""
        return len(self._all)

    def warm(self) -> None:
        """Have a reading process ready, so that a file need not wait for one to start."""
        self._spare.warm()

    def close(self) -> None:
        """Stop everything and clean up."""
        for key in list(self._all):
            self.discard(key)
        with self._guard:
            if self._later is not None:
                self._later.cancel()
                self._later = None
            if self._root is not None:
                self._root.close()
                self._root = None
        if not self._shared:
            self._spare.close()

    def _begin(self, incoming: Import, names: dict[str, str]) -> None:
        job = {"main": incoming.file, "files": names, "weld": incoming.weld}
        (incoming.folder / "job.json").write_text(json.dumps(job))
        process = self._spare.take()
        with self._guard:
            incoming.process = process
            incoming.turn += 1
            turn = incoming.turn
        threading.Thread(target=self._follow, args=(incoming, process, turn), daemon=True).start()

    def _follow(self, incoming: Import, process: subprocess.Popen[str], turn: int) -> None:
        """Listen to the reading process until it ends."""
        message: dict[str, Any] = {}
        killer = threading.Timer(SECONDS, kill, (process,))
        killer.start()
        try:
            if process.stdin is None or process.stdout is None:
                return
            process.stdin.write(f"{incoming.folder}\n")
            process.stdin.close()
            for line in process.stdout:
                message = json.loads(line)
                with self._guard:
                    if "share" in message and incoming.turn == turn:
                        incoming.share, incoming.words = float(message["share"]), str(message["words"])
                        self._guard.notify_all()
                if message.get("handed"):
                    threading.Thread(target=self._prepare, args=(incoming, turn), daemon=True).start()
        except (OSError, ValueError):
            message = {}
        finally:
            killer.cancel()
            code = process.wait()
            close_pipes(process)
        self._ended(incoming, turn, message, code)
        soon = threading.Timer(_BREATH, self._warm_again)
        soon.daemon = True
        soon.start()

    def _warm_again(self) -> None:
        """Start the next spare process, unless everything has been closed."""
        with self._guard:
            closed = self._root is None
        if not closed:
            self.warm()

    def _prepare(self, incoming: Import, turn: int) -> None:
        """While it is checked and its sheet looked at, compute what its pieces' rows need and write its meshes as they
        are stored, so that accepting is quick; what is small is left for then. Nothing of it stays in memory."""
        with suppress(AbleBrickError, OSError, ValueError), incoming.preparing, ThreadPoolExecutor(2) as workers:
            for k, mesh in enumerate(large_meshes(incoming.folder, SMALL)):
                if incoming.turn != turn:
                    break
                future = workers.submit(facts, mesh)
                path = incoming.folder / f"stored-{k}"
                path.write_bytes(encode(mesh))
                future.result()
                incoming.written[mesh.content_hash] = path

    def _ended(self, incoming: Import, turn: int, message: dict[str, Any], code: int) -> None:
        sheet = None
        if message.get("done"):
            try:
                sheet = Sheet.model_validate_json((incoming.folder / "sheet.json").read_text())
            except (OSError, ValueError):
                message = {}
        event("import", id=incoming.id, state="failed" if sheet is None else "ready", bytes=_bytes_in(incoming.folder))
        with self._guard:
            if incoming.turn != turn:
                return
            incoming.process = None
            if sheet is not None:
                incoming.state, incoming.sheet, incoming.share = "ready", sheet, 1.0
            else:
                incoming.state = "failed"
                incoming.reason = str(message.get("error") or _reason(code))
                incoming.data = dict(message.get("data") or {})
            self._guard.notify_all()

    def _stop(self, incoming: Import) -> None:
        incoming.turn += 1
        if incoming.process is not None:
            kill(incoming.process)
            incoming.process = None


def _bytes_in(folder: Path) -> int:
    """Bytes of the files in a folder."""
    with suppress(OSError):
        return sum(f.stat().st_size for f in folder.iterdir())
    return 0


def _no_room(error: OSError) -> StorageError:
    what = "the disk with the temporary folder is full" if error.errno == ENOSPC else str(error.strerror or error)
    return StorageError(f"The file could not be taken in: {what}. Nothing was changed; make room and try again.")


def _reason(code: int) -> str:
    if code in (-9, -24):
        return "The file took too long or too much memory to read and was given up; nothing was changed."
    return "Reading the file failed. Nothing was changed; export the file again."
