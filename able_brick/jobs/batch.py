"""Slimming a folder of files on all cores, or on a cluster: progress, cancel, and going on where it was cut off."""

from __future__ import annotations

import csv
import json
import logging
import os
import queue
import secrets
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import ExitStack, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from able_brick.core.errors import AbleBrickError, InputError, StorageError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.read import MODELS
from able_brick.jobs.naming import NamePattern
from able_brick.jobs.slim_file import FileJob, slim_file, written_ending
from able_brick.jobs.workers import Workers, crew
from able_brick.jobs.written import RECORDS, REPORTS, Written
from able_brick.level.recipe import Recipe

if TYPE_CHECKING:
    from dask.distributed import Future

USUAL_PATTERN: Final = "{folder}/{name}_{rung}{ext}"
#: Where one file has all rungs.
USUAL_OF_ALL: Final = "{folder}/{name}{ext}"
#: Files that are handed to each worker ahead.
_AHEAD: Final = 4
#: Seconds after which it is looked whether the batch is still wanted.
_BREATH: Final = 0.25
_COLUMNS: Final = (
    *("file", "ok", "reason", "again", "rung", "written", "triangles", "hardware_vertices"),
    *("max_deviation_m", "rms_deviation_m", "good_from_m", "reached", "seconds"),
)
#: Names that a refusal lists.
_LISTED: Final = 3


@dataclass
class Progress:
    """How far a batch is. `total` is known once the folder has been listed."""

    total: int = 0
    done: int = 0
    failed: int = 0
    again: int = 0
    begun: float = field(default_factory=time.monotonic)

    @property
    def ended(self) -> int:
        return self.done + self.failed

    @property
    def rate(self) -> float:
        """Files a second."""
        return self.ended / max(time.monotonic() - self.begun, 1e-9)

    @property
    def left(self) -> float:
        """Seconds that are left, as it looks now."""
        return (self.total - self.ended) / self.rate if self.rate > 0 else float("inf")


def models_in(folder: Path, *, without: Path) -> Iterator[str]:
    """Paths of the models in a folder and those below, from it; listed as they are asked for, in order."""
    for root, folders, files in os.walk(folder):
        here = Path(root)
        folders[:] = sorted(f for f in folders if (here / f).resolve() != without and f != RECORDS)
        for name in sorted(files):
            if Path(name).suffix.lower() in MODELS and not name.startswith("."):
                yield str((here / name).relative_to(folder))


def check_folders(source: Path, target: Path) -> None:
    """InputError or StorageError where a batch cannot read the one folder or write to the other."""
    if not source.is_dir():
        raise InputError(f"{source} is no folder.", field="source")
    if source.resolve() == target.resolve():
        raise InputError("Files would be written over those that are read; give another folder.", field="target")
    try:
        (target / RECORDS).mkdir(parents=True, exist_ok=True)
        probe = target / RECORDS / f".{os.getpid()}-{secrets.token_hex(4)}"
        probe.write_bytes(b"")
        probe.unlink()
    except OSError as error:
        raise StorageError(f"{target} cannot be written to: {error.strerror}.") from error


def check_names(written: Written, pattern: NamePattern, each: int, rungs: Rungs | None = None) -> int:
    """How many files there are; so many are made of `each`. InputError where two of them would be written under one
    name, where something would be written into the folder that is read, or over what the batch has not written; nothing
    is begun then.

    Names that hold {tris} are known only when they are made, and are looked at then; so are names that cannot be.
    """
    seen: set[int] = set()
    foreign = written.foreign_reports()
    count = 0
    fixed = "{tris}" not in pattern.text
    for path in models_in(written.source, without=written.target):
        count += 1
        names = [name for rung in range(1, each + 1) if (name := _named(pattern, path, rung, rungs)) is not None]
        for name in names:
            fault = written.fault(name)
            if fault is not None:
                raise InputError(f"{fault}. Give another folder or pattern; nothing was begun.", field="target")
            if fixed and hash(name) in seen:
                _refuse_twice(written, pattern, each, path, name, rungs)
            seen.add(hash(name))
        foreign += written.foreign(path, names) if fixed else []
    if foreign and not written.replace:
        more = f" and {len(foreign) - _LISTED} more" if len(foreign) > _LISTED else ""
        listed = ", ".join(foreign[:_LISTED]) + more
        raise InputError(
            f"{len(foreign)} {'file is' if len(foreign) == 1 else 'files are'} there already that this batch did not "
            f"write: {listed}. Ask for them to be replaced, or give another folder; nothing was begun.",
            field="replace",
            files=foreign[:100],
            count=len(foreign),
        )
    return count


def _refuse_twice(written: Written, pattern: NamePattern, each: int, path: str, name: str, rungs: Rungs | None) -> None:
    """InputError where another model than this one would be written under its name."""
    for other in models_in(written.source, without=written.target):
        if other == path:
            return
        if name in (_named(pattern, other, rung, rungs) for rung in range(1, each + 1)):
            raise InputError(
                f"{path} and {other} would both be written as {name}; put {{folder}} or {{ext}} into the pattern.",
                field="pattern",
            )


def _named(pattern: NamePattern, path: str, rung: int, rungs: Rungs | None) -> str | None:
    """The name of a rung, as far as it is known; None where it cannot be, which is reported for the file alone."""
    at = Path(path)
    with suppress(AbleBrickError, ValueError):
        return str(pattern.of(at.stem, rung, 0, "/".join(at.parent.parts), written_ending(at, rungs)))
    return None


def how_named(pattern: str | None, recipe: Recipe, rungs: Rungs | None) -> tuple[str, int]:
    """The pattern of names, the usual one where none is given, and how many files are made of each."""
    if rungs is not None:
        return pattern or USUAL_OF_ALL, 1
    return pattern or USUAL_PATTERN, len(recipe.rungs)


def run_batch(
    source: Path,
    target: Path,
    recipe: Recipe,
    *,
    pattern: str | None = None,
    rungs: Rungs | None = None,
    jobs: int | None = None,
    scheduler: str | None = None,
    replace: bool = False,
    tell: Callable[[Progress], None] | None = None,
) -> Progress:
    """Slim every model in a folder into another, a file for each rung, or with `rungs` a GLB that has all of them, and
    write report.json and report.csv there.

    What was done before with the same content and recipe is not done again. One bad file stops nothing; one that
    workers die on is reported. `tell` hears how far it is, several times a second, and may raise to stop: then the
    files that are being worked on are given up, and what has been done is kept. Files that the batch did not write are
    not replaced, unless asked for. Raises InputError and StorageError before anything is begun.
    """
    check_folders(source, target)
    pattern, each = how_named(pattern, recipe, rungs)
    parsed = NamePattern.parse(pattern, rungs=each)
    written = Written(target.resolve(), source.resolve(), secrets.token_hex(6), replace)
    progress = Progress(total=check_names(written, parsed, each, rungs))
    written.tidy_after_others()
    text = recipe.model_dump_json()
    with ExitStack() as stack:
        stack.callback(written.tidy)
        report = stack.enter_context(_Report(written))
        workers = stack.enter_context(crew(jobs, scheduler))
        if tell is not None:
            tell(progress)
        waiting = (
            FileJob(str(written.source), path, str(written.target), text, pattern, written.run, replace, rungs)
            for path in report.expecting(models_in(written.source, without=written.target))
        )
        for path, future in _ended(workers, waiting, lambda: None if tell is None else tell(progress)):
            found = _came_of(path, future)
            report.add(path, found)
            progress.done += bool(found["ok"])
            progress.failed += not found["ok"]
            progress.again += bool(found.get("again"))
            if tell is not None:
                tell(progress)
    return progress


def _ended(
    workers: Workers, jobs: Iterator[FileJob], check_cancelled: Callable[[], None]
) -> Iterator[tuple[str, Future[Any]]]:
    """Have files worked on, some ahead for each worker; each when it has ended. `check_cancelled` is called
    meanwhile."""
    ended: queue.SimpleQueue[tuple[str, Future[Any]]] = queue.SimpleQueue()
    under_way = 0

    def hand_on() -> int:
        job = next(jobs, None)
        if job is None:
            return 0
        future = workers.client.submit(slim_file, job, pure=False, retries=0)
        future.add_done_callback(  # type: ignore[no-untyped-call]
            lambda done, path=job.path: ended.put((path, done))
        )
        return 1

    for _ in range(_AHEAD * workers.number):
        under_way += hand_on()
    while under_way:
        try:
            path, future = ended.get(timeout=_BREATH)
        except queue.Empty:
            check_cancelled()
            continue
        under_way += hand_on() - 1
        yield path, future
        future.release()  # type: ignore[no-untyped-call]


def _came_of(path: str, future: Future[Any]) -> dict[str, Any]:
    """What there is to report of a file that has ended, in whatever way."""
    from distributed.scheduler import KilledWorker

    try:
        found: dict[str, Any] = future.result()
    except KilledWorker:
        return {"file": path, "ok": False, "reason": "Workers died on it, perhaps for want of memory."}
    except Exception as error:
        logging.getLogger("able_brick").info("%s could not be worked on", path, exc_info=error)
        return {"file": path, "ok": False, "reason": f"It could not be worked on ({type(error).__name__})."}
    return found


class _Report:
    """Both reports, written beside their places as files come in, and put there at the end: what is there is always
    whole. Rows stand in the order in which files were begun, so what is ready before an earlier one waits for that."""

    def __init__(self, written: Written) -> None:
        self._written = written
        self._first = True
        self._expected: deque[str] = deque()
        self._ready: dict[str, dict[str, Any]] = {}

    def __enter__(self) -> _Report:
        to_json, to_csv = (self._written.half_report(name) for name in REPORTS)
        self._json = to_json.open("w", encoding="utf-8")
        self._csv = to_csv.open("w", encoding="utf-8", newline="")
        self._json.write("[")
        self._rows = csv.DictWriter(self._csv, _COLUMNS, extrasaction="ignore")
        self._rows.writeheader()
        return self

    def expecting(self, paths: Iterator[str]) -> Iterator[str]:
        """The same paths, whose files come in one after the other from now on."""
        for path in paths:
            self._expected.append(path)
            yield path

    def add(self, path: str, found: dict[str, Any]) -> None:
        """What came of a file."""
        self._ready[path] = found
        while self._expected and self._expected[0] in self._ready:
            self._write(self._ready.pop(self._expected.popleft()))

    def _write(self, found: dict[str, Any]) -> None:
        """An object, and a row for each rung."""
        self._json.write(f"{'' if self._first else ','}\n{json.dumps(found)}")
        self._first = False
        head = {k: found.get(k, "") for k in ("file", "ok", "reason", "again")}
        for rung in found.get("rungs") or [{}]:
            self._rows.writerow({**rung, **head, "written": rung.get("file", "")})

    def __exit__(self, *_: object) -> None:
        for path in self._expected:  # what was given up has nothing to tell
            if path in self._ready:
                self._write(self._ready[path])
        self._json.write("\n]\n")
        self._json.close()
        self._csv.close()
        self._written.put_reports()
