"""The process that reads one file and ends: what a hostile file breaks is broken here."""

from __future__ import annotations

import json
import os
import sys
from contextlib import suppress
from pathlib import Path
from typing import Any

from able_brick.core import lazy_imports
from able_brick.core.errors import AbleBrickError
from able_brick.core.files.read import read_file
from able_brick.core.mesh.measure import SMALL
from able_brick.jobs.limits import CPU_SECONDS, FILE_BYTES, address_space, limit, memory_for
from able_brick.jobs.mesh_facts import write_mesh_facts
from able_brick.jobs.scene_folder import write_scene
from able_brick.jobs.sheet import sheet_of
from able_brick.warm import warm_readers


def main() -> None:
    """Wait for a folder's path on the standard input, read what its job.json names, tell progress as JSON lines."""
    warm_readers()
    lazy_imports.load()
    folder = Path(sys.stdin.readline().rstrip("\n"))
    if not folder.name:
        return
    limit("RLIMIT_AS", address_space(memory_for(_size(folder))))
    limit("RLIMIT_CPU", CPU_SECONDS)
    limit("RLIMIT_FSIZE", FILE_BYTES)
    try:
        _read(folder)
    except AbleBrickError as error:
        _tell(error=str(error), data=json.loads(json.dumps(error.data, default=str)))
    except MemoryError:
        _tell(error="The file needs more memory than one file may take; split it.", data={})
    except RecursionError:
        _tell(error="The file is nested too deeply; export it again.", data={})


def _size(folder: Path) -> int:
    """Bytes of all files that came."""
    with suppress(OSError):
        return sum(f.stat().st_size for f in folder.iterdir())
    return 0


def _read(folder: Path) -> None:
    job = json.loads((folder / "job.json").read_text())
    files: dict[str, str] = job["files"]
    by_end = {name.replace("\\", "/").rsplit("/", 1)[-1].lower(): path for name, path in files.items()}

    def beside(name: str) -> bytes | None:
        path = files.get(name) or by_end.get(name.replace("\\", "/").rsplit("/", 1)[-1].lower())
        return None if path is None else (folder / path).read_bytes()

    _tell(share=0.1, words="Reading")
    scene = read_file(job["main"], (folder / files[job["main"]]).read_bytes(), beside, weld=job["weld"])
    _tell(share=0.6, words="Handing over")
    write_scene(folder, scene)
    _tell(share=0.75, words="Checking", handed=True)
    write_mesh_facts(folder, [p.mesh for p in scene.parts], SMALL)
    sheet = sheet_of(job["main"], scene)
    (folder / "sheet.json").write_text(sheet.model_dump_json())
    _tell(done=True)
    os._exit(0)  # nothing is left to tidy up, and freeing much memory takes its time


def _tell(**what: Any) -> None:
    print(json.dumps(what), flush=True)


if __name__ == "__main__":
    main()
