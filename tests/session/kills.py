"""The power fails while a project is worked on: `python -m tests.session.kills --kills 200` tries it that often.

Every process that is killed tells each change when it has been acknowledged, and what then stood in the project. What
was acknowledged last must stand in the file afterwards; at most the one change whose reply was not sent may stand there
as well. Files whose making or upgrading was cut off must open.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import json
import os
import random
import shutil
import signal
import sqlite3
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

from able_brick.core.errors import AbleBrickError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.level.rows import Surface
from able_brick.session.project import Project
from able_brick.steps.import_pieces import Imported, ImportPieces
from able_brick.steps.parse import parse_tool
from able_brick.store import leftover

SCENES = ("steps", "undo", "accept", "creation", "upgrade")
Tell = Callable[[Any], None]


def digest(project: Project) -> str:
    """All that stands in a project, in few letters."""
    h = hashlib.sha256()
    for level in project.snapshot.levels:
        view = project.view(level)
        h.update(view.model_dump_json(exclude={"select", "note"}).encode())
    return h.hexdigest()[:16]


def work(path: Path, scene: str, seed: int, tell: Tell) -> None:
    """Change a project for as long as one is let."""
    chance = random.Random(seed)  # noqa: S311
    project = Project(path)
    level = next(iter(project.snapshot.levels), None) or project.create_level("Trial").id
    tell([project.revision(level), digest(project)])
    while True:
        revision = project.revision(level)
        with contextlib.suppress(AbleBrickError):
            kind = chance.random()
            if scene == "undo" and kind < 0.7:
                (project.undo if kind < 0.4 else project.redo)(level, revision)
            elif scene == "accept" and kind < 0.5:
                accept(project, level, revision, chance)
            else:
                shape = {"kind": "box", "width": round(chance.uniform(0.1, 9), 3)}
                project.step(level, parse_tool("add_shape", {"shape": shape}), (), revision)
        tell([project.revision(level), digest(project)])


def accept(project: Project, level: str, revision: int, chance: random.Random) -> None:
    """Take in a file of three large meshes."""
    meshes: dict[str, PolyMesh] = {}
    for _ in range(3):
        mesh = box(chance.uniform(1, 9), 1.0, 1.0, divisions=(40, 20, 20))
        meshes[mesh.content_hash] = mesh
    stone = Surface(name="Stone", colour=(0.5, 0.5, 0.5, 1.0))
    rows = tuple(Imported(name="Block", mesh=key, materials=(stone,)) for key in meshes)
    project.step(level, ImportPieces(file="blocks.glb", pieces=rows), (), revision, meshes=meshes)


def killed(act: Callable[[Tell], None], after: float) -> list[Any]:
    """What a process told before it was killed, so many seconds after it began."""
    out, into = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(out)
        try:
            act(lambda what: os.write(into, json.dumps(what).encode() + b"\n") and None)  # type: ignore[func-returns-value]
        finally:
            os._exit(0)
    os.close(into)
    time.sleep(after)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    with os.fdopen(out, "rb") as pipe:
        return [json.loads(line) for line in pipe.read().splitlines(keepends=True) if line.endswith(b"\n")]


def old_project(path: Path) -> str:
    """A project as the version before made it; what stands in it."""
    with closing(Project(path)) as project:
        level = project.create_level("Trial").id
        for _ in range(5):
            project.step(level, parse_tool("add_shape", {"shape": {"kind": "box"}}), (), project.revision(level))
        found = digest(project)
    with closing(sqlite3.connect(path)) as db:
        db.execute("alter table journal drop column users")
        db.execute("update alembic_version set version_num = 'a002'")
        db.execute("delete from meta where key = ?", (leftover.STAMP,))
        db.commit()
    return found


def trial(folder: Path, path: Path, scene: str, seed: int) -> tuple[int, bool]:
    """Kill once, and check. How many changes had been acknowledged, and whether one more stood in the file."""
    chance = random.Random(seed)  # noqa: S311
    wanted = ""
    if scene == "creation":
        path = folder / f"made-{seed}.db"
    elif scene == "upgrade":
        path = folder / f"old-{seed}.db"
        wanted = old_project(path)
    quick = scene in ("creation", "upgrade")
    told = killed(lambda tell: work(path, scene, seed, tell), chance.uniform(0.0, 0.12 if quick else 0.3))
    with closing(Project(path)) as project:
        assert project.read_only is None, project.read_only
        assert project.notes == [], project.notes
        now = digest(project)
        for level in project.snapshot.levels:
            for piece in project.snapshot.pieces.values():
                project.meshes.get(piece.mesh)
            revision = project.revision(level)
            if told:
                assert revision in (told[-1][0], told[-1][0] + 1), (revision, told[-1])
                assert revision != told[-1][0] or now == told[-1][1], "what was acknowledged stands there"
            elif scene == "upgrade":
                assert now == wanted or revision > 5, "what stood there before stands there"
        more = bool(told and project.snapshot.levels and now != told[-1][1])
    if quick:
        for left in folder.glob(f"*{path.name}*"):
            left.unlink()
    return len(told), more


def kill_often(folder: Path, kills: int, seed: int = 0) -> Counter[str]:
    """Kill so often, in all scenes in turn; what came of it, counted. Raises AssertionError for a loss."""
    done: Counter[str] = Counter()
    path = folder / "long.db"
    for k in range(kills):
        scene = SCENES[k % len(SCENES)]
        told, more = trial(folder, path, scene, seed + k)
        done[scene] += 1
        done["acknowledged"] += told
        done["one more"] += more
        done["before the first reply"] += told == 0
        if path.exists() and path.stat().st_size > 30 * 2**20:
            path.unlink()
    return done


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--kills", type=int, default=200)
    words.add_argument("--seed", type=int, default=int(time.time()))
    asked = words.parse_args()
    folder = Path(tempfile.mkdtemp())
    began = time.perf_counter()
    try:
        done = kill_often(folder, asked.kills, asked.seed)
    finally:
        print(f"seed {asked.seed}")
    shutil.rmtree(folder)
    print(f"{asked.kills} kills in {time.perf_counter() - began:.0f} s, nothing lost, every file opened: {dict(done)}")


if __name__ == "__main__":
    main()
