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
import select
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

from able_brick.core.errors import AbleBrickError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.level.elements import Elements
from able_brick.level.recipe import Recipe
from able_brick.level.rows import RungTarget, Surface
from able_brick.session.project import Project
from able_brick.steps.import_pieces import Imported, ImportPieces
from able_brick.steps.parse import parse_tool
from able_brick.store import wal_recovery
from tests.zoo import bumpy_ball

SCENES = (
    *("steps", "undo", "accept", "creation", "upgrade"),
    *("shape", "ladders", "courses", "levels", "switching", "batch"),
)
#: What stands at the beginning of a scene that changes what is there.
FURNITURE: dict[str, tuple[tuple[str, dict[str, Any], tuple[str, ...]], ...]] = {
    "shape": (("add_shape", {"shape": {"kind": "box", "along_x": 3, "along_z": 3}}, ()),),
    "ladders": (("add_shape", {"shape": {"kind": "sphere"}}, ()),),
    "courses": (
        ("add_shape", {"shape": {"kind": "box"}}, ()),
        ("draw_path", {"points": [{"position": (0, 0, 0)}, {"position": (9, 0, 0)}]}, ()),
        ("lay_course", {"piece": "piece-1", "bend": True}, ("path-1",)),
    ),
}
HALF = Recipe(name="Half", rungs=(RungTarget(kind="share", value=50.0),))
ProgressCallback = Callable[[Any], None]


def digest(project: Project) -> str:
    """All that stands in a project, in few letters."""
    h = hashlib.sha256()
    for level in project.snapshot.levels:
        view = project.view(level)
        h.update(view.model_dump_json(exclude={"select", "note"}).encode())
    return h.hexdigest()[:16]


def furnish(path: Path, scene: str) -> None:
    """Have a project in which there is something to change."""
    with closing(Project(path)) as project:
        level = next(iter(project.snapshot.levels), None) or project.create_level("Trial").id
        for tool, params, selection in () if project.snapshot.pieces else FURNITURE.get(scene, ()):
            project.step(level, parse_tool(tool, params), selection, project.revision(level))


def changed(project: Project, level: str, scene: str, chance: random.Random) -> None:
    """One change of what is there. Raises AbleBrickError where that cannot be."""
    revision = project.revision(level)

    def do(tool: str, *selection: str, **params: Any) -> None:
        project.step(level, parse_tool(tool, params), selection, revision)

    if chance.random() < 0.3:
        (project.undo if chance.random() < 0.6 else project.redo)(level, revision)
    elif scene == "shape":
        piece = project.snapshot.pieces["piece-1"]
        some = Elements.of(piece.source, [chance.randrange(piece.facts.faces)])
        tool, params = chance.choice((("extrude", {"depth": 0.1}), ("inset", {"width": 0.01}), ("poke", {})))
        do(tool, "piece-1", elements=some.model_dump(), **params)
    elif scene == "ladders":
        do("make_ladder", "piece-1", rungs=[{"kind": "share", "value": chance.uniform(5, 60)}])
    else:
        at = {"position": (9 + chance.random(), 0, chance.random())}
        do("edit_path", "path-1", points=[{"position": (0, 0, 0)}, at, {"position": (9, 0, 9)}], smooth=False)


def of_levels(project: Project, chance: random.Random, tell: ProgressCallback) -> None:
    """Make, copy, delete and bring back levels, the first of which stays."""
    others = list(project.snapshot.levels)[1:]
    tell("levels")
    if project.removed and chance.random() < 0.4:
        project.restore_level(project.removed[-1].row.id)
    elif others and chance.random() < 0.5:
        project.delete_level(chance.choice(others))
    else:
        project.duplicate_level(next(iter(project.snapshot.levels)), f"Copy {len(others)}")


def switch(path: Path, seed: int, tell: ProgressCallback) -> None:
    """Take a step in one project after the other, each opened anew."""
    chance = random.Random(seed)  # noqa: S311
    while True:
        for one in (path, path.with_name("other.db")):
            with closing(Project(one)) as project:
                level = next(iter(project.snapshot.levels), None) or project.create_level("Trial").id
                for _ in range(chance.randrange(1, 4)):
                    shape = {"kind": "box", "width": round(chance.uniform(0.1, 9), 3)}
                    step = parse_tool("add_shape", {"shape": shape})
                    project.step(level, step, (), project.revision(level))
                    tell([one.name, project.revision(level), digest(project)])


def work(path: Path, scene: str, seed: int, tell: ProgressCallback) -> None:
    """Change a project for as long as one is let."""
    chance = random.Random(seed)  # noqa: S311
    project = Project(path)
    level = next(iter(project.snapshot.levels), None) or project.create_level("Trial").id
    tell([project.revision(level), digest(project)])
    while True:
        if scene in FURNITURE:
            with contextlib.suppress(AbleBrickError):
                changed(project, level, scene, chance)
            tell([project.revision(level), digest(project)])
            continue
        if scene == "levels" and chance.random() < 0.6:
            with contextlib.suppress(AbleBrickError):
                of_levels(project, chance, tell)
            tell([project.revision(level), digest(project)])
            continue
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


def killed(act: Callable[[ProgressCallback], None], after: float, *, settled: bool = True) -> list[Any]:
    """What a process told before it was killed, so many seconds after it told something first, where `settled`; else
    after it began."""
    out, into = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(out)
        try:
            act(lambda what: os.write(into, json.dumps(what).encode() + b"\n") and None)  # type: ignore[func-returns-value]
        finally:
            os._exit(0)
    os.close(into)
    if settled:
        select.select([out], [], [], 60.0)
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
        for table, column in (
            *(("journal", "users"), ("journal", "params_format"), ("row", "crc"), ("mesh", "crc"), ("mesh", "rule")),
            *(("recipe", "format"), ("thumbnail", "used")),
        ):
            db.execute(f"alter table {table} drop column {column}")
        db.execute("update alembic_version set version_num = 'a002'")
        db.execute("delete from meta where key = ?", (wal_recovery.STAMP,))
        db.commit()
    return found


def trial(folder: Path, path: Path, scene: str, seed: int) -> tuple[int, bool]:
    """Kill once, and check. How many changes had been acknowledged, and whether one more stood in the file."""
    chance = random.Random(seed)  # noqa: S311
    if scene == "switching":
        return switched(folder, seed, chance)
    if scene == "batch":
        return slimmed(folder, seed, chance)
    if scene in FURNITURE or scene == "levels":
        path = folder / f"{scene}.db"
        furnish(path, scene)
    wanted = ""
    if scene == "creation":
        path = folder / f"made-{seed}.db"
    elif scene == "upgrade":
        path = folder / f"old-{seed}.db"
        wanted = old_project(path)
    quick = scene in ("creation", "upgrade")
    after = chance.uniform(0.0, 0.3)
    heard = killed(lambda tell: work(path, scene, seed, tell), after, settled=not quick)
    told = [t for t in heard if t != "levels"]
    # of what is done to levels as wholes, the one that had begun may have been done; revisions do not tell
    begun = bool(heard) and heard[-1] == "levels"
    with closing(Project(path)) as project:
        assert project.read_only is None, project.read_only
        assert project.notes == [], project.notes
        now = digest(project)
        for level in list(project.snapshot.levels)[: 1 if scene == "levels" else None]:
            for piece in project.snapshot.pieces.values():
                project.meshes.get(piece.mesh)
            revision = project.revision(level)
            if told:
                assert revision in (told[-1][0], told[-1][0] + 1), (revision, told[-1])
                assert begun or revision != told[-1][0] or now == told[-1][1], "what was acknowledged stands there"
            elif scene == "upgrade":
                assert now == wanted or revision > 5, "what stood there before stands there"
        more = bool(told and project.snapshot.levels and now != told[-1][1])
    if quick:
        for left in folder.glob(f"*{path.name}*"):
            left.unlink()
    return len(told), more


def switched(folder: Path, seed: int, chance: random.Random) -> tuple[int, bool]:
    """Kill while two projects are opened by turns: in each of them stands what was acknowledged of it."""
    path = folder / "one.db"
    told = killed(lambda tell: switch(path, seed, tell), chance.uniform(0.05, 0.6))
    more = False
    for one in (path, path.with_name("other.db")):
        last = next((t for t in reversed(told) if t[0] == one.name), None)
        if last is None:
            continue
        with closing(Project(one)) as project:
            assert project.read_only is None and project.notes == [], project.notes
            revision = project.revision(next(iter(project.snapshot.levels)))
            assert revision in (last[1], last[1] + 1), (one.name, revision, last)
            assert revision != last[1] or digest(project) == last[2], "what was acknowledged stands there"
            more = more or revision != last[1]
    return len(told), more


def slimmed(folder: Path, seed: int, chance: random.Random) -> tuple[int, bool]:
    """Kill all processes while a folder is slimmed; then it goes on, and everything is there once and whole."""
    source, target = folder / f"models-{seed}", folder / f"slim-{seed}"
    source.mkdir()
    for k in range(6):
        (source / f"ball {k}.glb").write_bytes(write_glb([ScenePart("Ball", bumpy_ball(8 + k))]))
    code = "import sys; from pathlib import Path; from tests.session.kills import HALF; "
    code += "from able_brick.jobs.batch import run_batch; "
    code += "run_batch(Path(sys.argv[1]), Path(sys.argv[2]), HALF, jobs=1) if __name__ == '__main__' else None"
    quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "start_new_session": True}
    begun = subprocess.Popen([sys.executable, "-c", code, str(source), str(target)], **quiet)
    time.sleep(chance.uniform(1.0, 8.0))
    with contextlib.suppress(ProcessLookupError):
        os.killpg(begun.pid, signal.SIGKILL)
    begun.wait()
    before = len(list(target.glob("*_1.glb")))
    done = subprocess.run([sys.executable, "-c", code, str(source), str(target)], capture_output=True, check=False)
    assert done.returncode == 0, done.stderr[-500:]
    report = json.loads((target / "report.json").read_text())
    assert [r["ok"] for r in report] == [True] * 6, report
    for k in range(6):
        assert read_file("x.glb", (target / f"ball {k}_1.glb").read_bytes()).parts
    shutil.rmtree(source)
    shutil.rmtree(target)
    return before, False


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
