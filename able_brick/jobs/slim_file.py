"""One file of a batch: read, slimmed and written whole, or reported why not; done once for the same content."""

from __future__ import annotations

import hashlib
import time
from dataclasses import dataclass
from functools import cache
from pathlib import Path, PurePosixPath
from typing import Any, Final

from able_brick.core import lazy_imports
from able_brick.core.errors import AbleBrickError, FileError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.read import read_file
from able_brick.core.files.regular import read_regular
from able_brick.core.files.write import WRITTEN, write_file
from able_brick.core.threads import one_thread
from able_brick.jobs.limits import MOST_MEMORY, limited, memory_for
from able_brick.jobs.made_by import Beside, program, unchanged
from able_brick.jobs.naming import NamePattern
from able_brick.jobs.slim_scene import slim_scene, with_rungs
from able_brick.jobs.written import Written
from able_brick.level.recipe import Recipe

_MOST_BYTES: Final = 2 * 2**30


@dataclass(frozen=True)
class FileJob:
    """A file of a batch: the folder that is read, its path in it, the folder that is written to, and how. `run` is the
    run of the batch; with `replace` files may be replaced that it did not write. `rungs` says how one file has all of
    them; None writes a file for each."""

    source: str
    path: str
    target: str
    recipe: str
    pattern: str
    run: str = "alone"
    replace: bool = False
    rungs: Rungs | None = None

    @property
    def written(self) -> Written:
        """What may be written, and has been."""
        return Written(Path(self.target).resolve(), Path(self.source).resolve(), self.run, self.replace)


def slim_file(job: FileJob) -> dict[str, Any]:
    """Do one file; what there is to report of it. Nothing is raised for a file that is bad."""
    begun = time.perf_counter()
    try:
        with one_thread():  # there is a worker for each core
            report = _slimmed(job)
    except AbleBrickError as error:
        report = {"ok": False, "reason": str(error).replace("\n", " ")}
    except (OSError, MemoryError) as error:
        report = {"ok": False, "reason": getattr(error, "strerror", None) or f"{type(error).__name__} while working"}
    except Exception as error:  # noqa: BLE001
        report = {"ok": False, "reason": f"It could not be worked on ({type(error).__name__})."}
    return {"file": job.path, **report, "seconds": round(time.perf_counter() - begun, 4)}


def _slimmed(job: FileJob) -> dict[str, Any]:
    path = Path(job.source) / job.path
    data = read_regular(path, _MOST_BYTES)
    how = f"{job.recipe} {job.pattern} {job.rungs} {program()}".encode()
    content = hashlib.blake2b(data + how, digest_size=20).hexdigest()
    written = job.written
    folder = path.parent.resolve()
    earlier = written.report_of(job.path, content)
    if earlier is not None and unchanged(folder, earlier.get("beside"), _MOST_BYTES):
        written.claim_again(job.path, earlier["files"])
        return {**earlier, "again": True}
    recipe = Recipe.model_validate_json(job.recipe)
    beside = Beside(folder, _MOST_BYTES)
    _ready()
    with limited(memory_for(len(data))):
        scene = read_file(path.name, data, beside.read)
    with limited(MOST_MEMORY):
        rungs = slim_scene(
            scene, [r.meant() for r in recipe.rungs], keep_seams=recipe.keep_seams, outline=recipe.outline
        )
        pattern = NamePattern(job.pattern)
        inner = PurePosixPath(*Path(job.path).parent.parts)
        ext = written_ending(path, job.rungs)
        reports: list[dict[str, Any]] = []
        files: dict[str, bytes] = {}
        of_all = pattern.of(path.stem, 1, rungs[0].triangles, str(inner), ext)
        if job.rungs is not None:
            files[str(of_all)] = write_file(of_all.name, with_rungs(scene, rungs), rungs=job.rungs)[of_all.name]
        for k, rung in enumerate(rungs, 1):
            if job.rungs is not None:
                reports.append({"rung": k, "file": str(of_all), **rung.report()})
                continue
            name = pattern.of(path.stem, k, rung.triangles, str(inner), ext)
            for part, made in write_file(name.name, rung.scene).items():
                if files.get(str(name.with_name(part)), made) != made:
                    raise FileError(f"Two rungs would both be written as {name}; put {{rung}} into the pattern.")
                files[str(name.with_name(part))] = made
            reports.append({"rung": k, "file": str(name), **rung.report()})
    written.check(job.path, files)
    report = {
        "ok": True,
        "triangles": sum(p.mesh.triangle_count for p in scene.parts),
        "rungs": reports,
        "files": sorted(files),
        "beside": beside.found,
        "notes": list(scene.notes[:20]),
    }
    written.put(job.path, files, content, report)
    return report


@cache
def _ready() -> None:
    """Load what reading and slimming want, once in a process: libraries are not counted as what a file takes."""
    from able_brick.warm import warm_readers  # it imports most of the core, which a server need not wait for

    warm_readers()
    lazy_imports.load()


def written_ending(path: Path, rungs: Rungs | None = None) -> str:
    """The ending of what is written for a file: its own, where that can be written and hold `rungs`."""
    if rungs is not None:
        return ".glb"
    return path.suffix.lower() if path.suffix.lower() in WRITTEN else ".glb"
