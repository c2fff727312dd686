"""Slimming a folder of files on all cores, or on a cluster: progress, cancel, and going on where it was cut off."""

from __future__ import annotations

import csv
import json
import logging
import os
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from able_brick.core.errors import InputError, StorageError
from able_brick.core.files.read import MODELS
from able_brick.jobs.naming import NamePattern
from able_brick.jobs.slim_file import RECORDS, FileJob, slim_file, written_ending
from able_brick.level.recipe import Recipe

USUAL_PATTERN: Final = "{folder}/{name}_{rung}{ext}"
#: Files that are handed to each worker ahead.
_AHEAD: Final = 4
_COLUMNS: Final = (
    *("file", "ok", "reason", "again", "rung", "written", "triangles", "hardware_vertices"),
    *("max_deviation_m", "rms_deviation_m", "good_from_m", "reached", "seconds"),
)


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
        probe = target / RECORDS / f".{os.getpid()}"
        probe.write_bytes(b"")
        probe.unlink()
    except OSError as error:
        raise StorageError(f"{target} cannot be written to: {error.strerror}.") from error


def check_collisions(source: Path, target: Path, pattern: NamePattern, rungs: int) -> int:
    """How many files there are; InputError where two of them would be written under one name.

    Names that hold {tris} are known only when they are made; those are not compared.
    """
    seen: set[int] = set()
    count = 0
    for path in models_in(source, without=target.resolve()):
        count += 1
        for rung in range(1, rungs + 1):
            name = _named(pattern, path, rung)
            if hash(name) in seen and "{tris}" not in pattern.text:
                other = next(
                    (p for p in models_in(source, without=target.resolve()) if _named(pattern, p, rung) == name), path
                )
                if other != path:
                    raise InputError(
                        f"{path} and {other} would both be written as {name}; put {{folder}} or {{ext}} into the "
                        "pattern.",
                        field="pattern",
                    )
            seen.add(hash(name))
    return count


def _named(pattern: NamePattern, path: str, rung: int) -> str:
    at = Path(path)
    return str(pattern.of(at.stem, rung, 0, "/".join(at.parent.parts), written_ending(at)))


def run_batch(
    source: Path,
    target: Path,
    recipe: Recipe,
    *,
    pattern: str = USUAL_PATTERN,
    jobs: int | None = None,
    scheduler: str | None = None,
    tell: Callable[[Progress], None] | None = None,
) -> Progress:
    """Slim every model in a folder into another, a file for each rung, and write report.json and report.csv there.

    What was done before with the same content and recipe is not done again. One bad file stops nothing; one that
    workers die on is reported. `tell` hears after every file and may raise to stop: what has been done is kept.
    Raises InputError and StorageError before anything is begun.
    """
    from dask.distributed import Client, LocalCluster, as_completed
    from distributed.scheduler import KilledWorker

    logging.getLogger("distributed").setLevel(logging.ERROR)  # it tells of each connection that comes and goes
    check_folders(source, target)
    parsed = NamePattern.parse(pattern, rungs=len(recipe.rungs))
    progress = Progress(total=check_collisions(source, target, parsed, len(recipe.rungs)))
    text = recipe.model_dump_json()
    with ExitStack() as stack:
        report = stack.enter_context(_Report(target))
        if scheduler is None:
            cluster = stack.enter_context(
                LocalCluster(  # type: ignore[no-untyped-call]
                    n_workers=jobs or os.cpu_count() or 1,
                    threads_per_worker=1,
                    processes=True,
                    dashboard_address=None,
                    # its status page, which nobody asks for, at any port that is free here
                    scheduler_kwargs={"dashboard_address": "127.0.0.1:0"},
                    host="127.0.0.1",
                    silence_logs=50,
                )
            )
            client = stack.enter_context(Client(cluster))  # type: ignore[no-untyped-call]
        else:
            client = stack.enter_context(Client(scheduler, timeout=5))  # type: ignore[no-untyped-call]
        workers = max(1, len(client.scheduler_info()["workers"]))
        if tell is not None:
            tell(progress)
        waiting = models_in(source, without=target.resolve())
        names: dict[str, str] = {}
        running = as_completed()  # type: ignore[no-untyped-call]

        def hand_on() -> bool:
            path = next(waiting, None)
            if path is None:
                return False
            job = FileJob(str(source.resolve()), path, str(target.resolve()), text, pattern)
            future = client.submit(slim_file, job, pure=False, retries=0)
            names[future.key] = path
            running.add(future)  # type: ignore[no-untyped-call]
            return True

        for _ in range(_AHEAD * workers):
            if not hand_on():
                break
        for future in running:
            path = names.pop(future.key)
            try:
                found = future.result()
            except KilledWorker:
                found = {"file": path, "ok": False, "reason": "Workers died on it, perhaps for want of memory."}
            except Exception as error:  # noqa: BLE001
                found = {"file": path, "ok": False, "reason": f"It could not be worked on ({type(error).__name__})."}
            future.release()
            report.add(found)
            progress.done += bool(found["ok"])
            progress.failed += not found["ok"]
            progress.again += bool(found.get("again"))
            if tell is not None:
                tell(progress)
            hand_on()
    return progress


class _Report:
    """Both reports, written as files come in: nothing of them is held."""

    def __init__(self, target: Path) -> None:
        self._target = target
        self._first = True

    def __enter__(self) -> _Report:
        self._json = (self._target / "report.json").open("w", encoding="utf-8")
        self._csv = (self._target / "report.csv").open("w", encoding="utf-8", newline="")
        self._json.write("[")
        self._rows = csv.DictWriter(self._csv, _COLUMNS, extrasaction="ignore")
        self._rows.writeheader()
        return self

    def add(self, found: dict[str, Any]) -> None:
        """What came of a file: an object, and a row for each rung."""
        self._json.write(f"{'' if self._first else ','}\n{json.dumps(found)}")
        self._first = False
        head = {k: found.get(k, "") for k in ("file", "ok", "reason", "again")}
        for rung in found.get("rungs") or [{}]:
            self._rows.writerow({**rung, **head, "written": rung.get("file", "")})
        self._json.flush()
        self._csv.flush()

    def __exit__(self, *_: object) -> None:
        self._json.write("\n]\n")
        self._json.close()
        self._csv.close()
