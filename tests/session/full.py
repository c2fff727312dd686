"""The disk is full: `python -m tests.session.full`. Files may not grow beyond a few bytes more than they have, at many
such limits, while steps are taken, files come in and go out, folders are slimmed, projects backed up and upgraded.

What fails must be told in words and leave what stood before; what is acknowledged must stand in the file.
"""

from __future__ import annotations

import io
import json
import os
import resource
import shutil
import sqlite3
import tempfile
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

from able_brick.core.errors import AbleBrickError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.scene import ScenePart
from able_brick.jobs.imports import Imports
from able_brick.jobs.slim_file import FileJob, slim_file
from able_brick.level.recipe import Recipe
from able_brick.level.rows import RungTarget
from able_brick.session.importing import Taking, take_in
from able_brick.session.project import Project
from able_brick.session.shipping import export
from able_brick.steps.parse import parse_tool
from able_brick.store.backups import backups_of, folder_of
from tests.session.kills import digest, old_project
from tests.thorough import by_day
from tests.zoo import bumpy_ball

#: Bytes that files may grow by.
LIMITS = by_day((0, 40_000, 400_000, 20_000_000), (0, 4096, 40_000, 150_000, 400_000, 1_200_000, 20_000_000))
HALF = Recipe(name="Half", rungs=(RungTarget(kind="share", value=50.0),))
GLB = write_glb([ScenePart("Ball", bumpy_ball(60))])
DONE: Counter[str] = Counter()


@contextmanager
def bounded(most: int) -> Iterator[None]:
    """No file may grow beyond so many bytes."""
    hard = resource.getrlimit(resource.RLIMIT_FSIZE)[1]
    resource.setrlimit(resource.RLIMIT_FSIZE, (most, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (hard, hard))


def tried(what: str, act: Callable[[], Any]) -> bool:
    """Whether it went well; if not, it was told in words."""
    try:
        act()
    except AbleBrickError:
        DONE[f"{what} told"] += 1
        return False
    except OSError as error:  # told by whoever asked, in words
        if error.errno not in (27, 28):
            raise
        DONE[f"{what} told"] += 1
        return False
    DONE[f"{what} done"] += 1
    return True


def steps_and_imports(folder: Path) -> None:
    path = folder / "project.db"
    imports = Imports()
    with closing(Project(path)) as project:
        level = project.create_level("Lock").id
        project.step(level, parse_tool("add_shape", {"shape": {"kind": "box"}}), (), 0)
    for k, room in enumerate(LIMITS):
        with closing(Project(path)) as project:
            before = digest(project)
            log = path.with_name("project.db-wal")
            most = max(path.stat().st_size, log.stat().st_size if log.exists() else 0) + room

            def step(project: Project = project, k: int = k) -> None:
                shape = {"kind": "box", "width": 1.0 + k, "along_x": 60, "along_z": 60}
                project.step(level, parse_tool("add_shape", {"shape": shape}), (), project.revision(level))

            incoming = imports.take({"ball.glb": io.BytesIO(GLB)})
            while imports.wait(incoming.id, 1.0, 1.0).state == "reading":
                pass

            def accept(project: Project = project, key: str = incoming.id) -> None:
                take_in(project, imports, key, level, project.revision(level), Taking(), place=True)

            for what, act in (
                ("step", step),
                ("import", accept),
                ("undo", lambda p=project: p.undo(level, p.revision(level))),
            ):
                with bounded(most):
                    went = tried(what, act)
                now = digest(project)
                assert went or now == before, f"{what} at {room}: memory"
                before = now
            imports.discard(incoming.id)
        with closing(Project(path)) as project:
            assert project.read_only is None and digest(project) == before, f"at {room}: file"
            for piece in project.snapshot.pieces.values():
                project.meshes.get(piece.mesh)
    imports.close()


def exports_and_backups(folder: Path) -> None:
    path = folder / "project.db"
    with closing(Project(path)) as project:
        level = next(iter(project.snapshot.levels))
        whole = digest(project)
        for most in LIMITS:
            room = folder / f"room-{most}"
            room.mkdir()
            with bounded(most):
                went = tried("export", lambda room=room: export(project, level, lambda: room, lambda _s, _w: None))
                before = backups_of(project.id)
                backed = tried("backup", project.back_up)
                copied = tried("copy", lambda room=room: project.save_copy(room / "copy.db"))
            assert went or not [p for p in room.glob("*.glb") if p.stat().st_size > most]
            assert len(backups_of(project.id)) == len(before) + backed
            assert not list(folder_of(project.id).glob(".*.making")), "no half of it"
            if copied:
                with closing(Project(room / "copy.db")) as copy:
                    assert digest(copy) == whole
            assert digest(project) == whole
        for backup in backups_of(project.id):
            with closing(sqlite3.connect(folder_of(project.id) / backup.name)) as db:
                assert db.execute("pragma integrity_check").fetchone() == ("ok",)


def folders(folder: Path) -> None:
    (folder / "in").mkdir()
    (folder / "in" / "ball.glb").write_bytes(GLB)
    job = FileJob(str(folder / "in"), "ball.glb", str(folder / "out"), HALF.model_dump_json(), "{name}_{rung}{ext}")
    for most in LIMITS:
        (folder / "out").mkdir(exist_ok=True)
        with bounded(most):
            report = slim_file(job)
        written = folder / "out" / "ball_1.glb"
        DONE[f"slim {'done' if report['ok'] else 'told'}"] += 1
        assert report["ok"] or report["reason"]
        assert report["ok"] or not written.exists(), "no half of it"
        if report["ok"]:
            shutil.rmtree(folder / "out")


def upgrades(folder: Path) -> None:
    for most in LIMITS:
        path = folder / f"old-{most}.db"
        wanted = old_project(path)
        before = path.read_bytes()
        opened: list[Project] = []
        with bounded(most):
            went = tried("upgrade", lambda path=path, opened=opened: opened.append(Project(path)))
        for project in opened:
            with suppress(AbleBrickError):
                assert project.read_only is not None or digest(project) == wanted
            project.close()
        if not went:
            kept = path.with_name(f"{path.name}.before-upgrade")
            assert path.read_bytes() == before or kept.exists() or most > 0
        with closing(Project(path)) as project:
            assert project.read_only is None and digest(project) == wanted, f"upgrade at {most}"


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    os.environ["ABLE_BRICK_HOME"] = str(folder / "home")
    for part in (steps_and_imports, exports_and_backups, folders, upgrades):
        part(folder)
    shutil.rmtree(folder)
    print(json.dumps(dict(sorted(DONE.items()))))


if __name__ == "__main__":
    main()
