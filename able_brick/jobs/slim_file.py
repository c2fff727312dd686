"""One file of a batch: read, slimmed and written whole, or told why not; done once for the same content."""

from __future__ import annotations

import hashlib
import json
import os
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any, Final

from able_brick.core.errors import AbleBrickError, FileError
from able_brick.core.files.read import read_file
from able_brick.core.files.write import WRITTEN, write_file
from able_brick.core.threads import one_thread
from able_brick.jobs.naming import NamePattern
from able_brick.jobs.slim_scene import slim_scene
from able_brick.level.recipe import Recipe

#: Where a batch remembers what it has done, inside the folder that it writes to.
RECORDS: Final = ".able-brick-batch"
_MOST_BYTES: Final = 2 * 2**30


@dataclass(frozen=True)
class FileJob:
    """A file of a batch: the folder that is read, its path in it, the folder that is written to, and how."""

    source: str
    path: str
    target: str
    recipe: str
    pattern: str

    @property
    def record(self) -> Path:
        """Where it is remembered what came of it."""
        name = hashlib.blake2b(self.path.encode("utf-8", "surrogateescape"), digest_size=16).hexdigest()
        return Path(self.target) / RECORDS / name[:2] / f"{name}.json"


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
    size = path.stat().st_size
    if size > _MOST_BYTES:
        raise FileError(f"The file has {size // 2**20} MB; at most {_MOST_BYTES // 2**20} are read.", place="file")
    data = path.read_bytes()
    how = f"{job.recipe} {job.pattern}".encode()
    content = hashlib.blake2b(data + how, digest_size=20).hexdigest()
    known = _known(job, content)
    if known is not None:
        return {**known, "again": True}
    recipe = Recipe.model_validate_json(job.recipe)
    folder = path.parent.resolve()

    def beside(name: str) -> bytes | None:
        found = (folder / name.replace("\\", "/")).resolve()
        return found.read_bytes() if found.is_relative_to(folder) and found.is_file() else None

    scene = read_file(path.name, data, beside)
    rungs = slim_scene(scene, [r.meant() for r in recipe.rungs], keep_seams=recipe.keep_seams)
    pattern = NamePattern(job.pattern)
    inner = PurePosixPath(*Path(job.path).parent.parts)
    ext = written_ending(path)
    told, files = [], {}
    for k, rung in enumerate(rungs, 1):
        name = pattern.of(path.stem, k, rung.triangles, str(inner), ext)
        for part, written in write_file(name.name, rung.scene).items():
            files[str(name.with_name(part))] = written
        told.append({"rung": k, "file": str(name), **rung.report()})
    for file, written in files.items():
        _write_whole(Path(job.target) / file, written)
    report = {
        "ok": True,
        "triangles": sum(p.mesh.triangle_count for p in scene.parts),
        "rungs": told,
        "files": sorted(files),
        "notes": list(scene.notes[:20]),
    }
    _write_whole(job.record, json.dumps({"path": job.path, "content": content, "report": report}).encode())
    return report


def written_ending(path: Path) -> str:
    """The ending of what is written for a file: its own, where that can be written."""
    return path.suffix.lower() if path.suffix.lower() in WRITTEN else ".glb"


def _known(job: FileJob, content: str) -> dict[str, Any] | None:
    """What came of it before, where it was the same, and its files are there still."""
    with suppress(OSError, ValueError, KeyError, TypeError):
        found = json.loads(job.record.read_bytes())
        report: dict[str, Any] = found["report"]
        if found["content"] == content and all((Path(job.target) / f).is_file() for f in report["files"]):
            return report
    return None


def _write_whole(path: Path, data: bytes) -> None:
    """The file, or nothing of it: what is cut off leaves no half."""
    path.parent.mkdir(parents=True, exist_ok=True)
    half = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        half.write_bytes(data)
        half.replace(path)
    except BaseException:
        with suppress(OSError):
            half.unlink()
        raise
