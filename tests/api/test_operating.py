"""For whoever runs the server: what is left behind, what is told, what is kept, and what is installed."""

from __future__ import annotations

import importlib.metadata
import json
import logging
import os
import re
import sqlite3
import threading
import time
import tomllib
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from able_brick.core import events
from able_brick.core.errors import StorageError
from able_brick.session import work as long_work
from able_brick.session.project import Project
from able_brick.session.work import Outcome, Work
from able_brick.store import backups
from able_brick.store.backups import backups_of, folder_of
from able_brick.store.recent import recent
from tests.api.asking import arrived, step
from tests.api.client import Client
from tests.core.test_formats import BRICKS, OBJ
from tests.session.bench import Bench
from tests.thorough import by_day

ROOT = Path(__file__).parents[2]
BOX = {"kind": "box"}


@pytest.fixture(autouse=True)
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ABLE_BRICK_HOME", str(tmp_path / "home"))


# -- what is left behind -


def test_imports_leave_one_thread_and_not_one_each(client: Client) -> None:
    def waiting() -> set[threading.Thread]:
        return {t for t in threading.enumerate() if isinstance(t, threading.Timer) and t.interval > 60}

    others = waiting()  # of servers of other tests
    arrived(client, {"a.obj": OBJ})
    before = threading.active_count()
    for _ in range(by_day(3, 6)):
        found = arrived(client, {"a.obj": OBJ})
        client.delete(f"/api/imports/{found['id']}")
    assert len(waiting() - others) <= 1
    assert threading.active_count() <= before + 3, "the next process gets ready"


def files_of(work: Work) -> list[Path]:
    """What lies in the work's folder; folders may go while it is looked through."""
    walked = os.walk(work._scratch.folder) if work._scratch else ()
    return [Path(at) / name for at, folders, files in walked for name in (*folders, *files) if name != "in-use"]


def test_written_files_go_by_number_and_by_bytes_with_their_folders(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    work = Work()

    def run(size: int, fails: bool = False) -> Any:
        def do(_tell: Any, room: Any) -> Outcome:
            (room() / "level.glb").write_bytes(b"x" * size)
            if fails:
                raise StorageError("not today")
            return Outcome(file=room() / "level.glb")

        job = work.begin(bench.project, bench.level, "Export", "export", do)
        while not work.wait(job.id, 1.0, 1.0).ended:
            pass
        return job

    try:
        for _ in range(20):
            run(10)
        run(10, fails=True)
        until = time.monotonic() + 5
        while len(files_of(work)) > 2 * long_work._MOST_FILES and time.monotonic() < until:
            time.sleep(0.01)
        assert len([p for p in files_of(work) if p.is_file()]) == long_work._MOST_FILES
        assert len([p for p in files_of(work) if p.is_dir()]) == long_work._MOST_FILES
        monkeypatch.setattr(long_work, "_MOST_BYTES", 1000)
        big = run(990)
        while len(files_of(work)) > 4 and time.monotonic() < until:
            time.sleep(0.01)
        assert big.file is not None and big.file.exists(), "the newest stays"
        assert sum(p.stat().st_size for p in files_of(work) if p.is_file()) <= 1000
        gone = work.all()[0]
        assert gone.file is None, "what is gone is not offered"
    finally:
        work.close()


def test_thumbnails_are_bounded_by_bytes_and_the_least_used_go(client: Client) -> None:
    meshes = []
    for width in range(1, 6):
        rows = step(client, "add_shape", shape={"kind": "box", "width": width}).json()["changed"]
        meshes.append(next(r["mesh"] for r in rows if r["kind"] == "piece"))
    shelf = client.app.state.current.now.project.pictures  # type: ignore[attr-defined]
    shelf.most_bytes = 4 * len(BRICKS.data)
    for mesh in meshes[:4]:
        assert client.put(f"/api/thumbnails/{mesh}00000000", content=BRICKS.data).status_code == 204
    with shelf._transaction() as connection:
        connection.exec_driver_sql("update thumbnail set used = used - 100")
    assert client.get(f"/api/thumbnails/{meshes[0]}00000000").status_code == 200, "this one is used"
    assert client.put(f"/api/thumbnails/{meshes[4]}00000000", content=BRICKS.data).status_code == 204
    there = [client.get(f"/api/thumbnails/{m}00000000").status_code == 200 for m in meshes]
    assert there[0] and there[4] and sum(there) == 3
    for key in ("ff" * 20 + "00000000", meshes[0], meshes[0] + "0", "zz" * 24, meshes[0] + "000000000"):
        assert client.put(f"/api/thumbnails/{key}", content=BRICKS.data).status_code in (404, 422)


def test_what_takes_long_is_refused_as_a_preview(client: Client) -> None:
    step(client, "add_shape", shape=BOX)
    tools = {t["tool"]: t for t in client.get("/api/tools").json()}
    long = [name for name, t in tools.items() if not t["previews"]]
    assert {"slim", "slim_level", "make_ladder", "share_budget"} <= set(long)
    for name in long:
        body = {"tool": name, "params": {}, "selection": ["piece-1"], "revision": 1}
        reply = client.post("/api/levels/level-1/preview", json=body)
        assert reply.status_code == 422, name
    body = {"tool": "slim_level", "params": {}, "selection": [], "revision": 1}
    assert "takes long" in client.post("/api/levels/level-1/preview", json=body).json()["detail"]


@pytest.mark.parametrize("folder", ["\0", "/models/\0x", "~nobody-of-that-name/models", "\ud800", "relative"])
def test_folders_that_cannot_be_named_are_refused(client: Client, tmp_path: Path, folder: str) -> None:
    recipe = {"name": "Half", "rungs": [{"kind": "share", "value": 50}]}
    for field, other in (("source", "target"), ("target", "source")):
        body = {field: folder, other: str(tmp_path), "recipe": recipe}
        reply = client.post("/api/batches", content=json.dumps(body), headers={"content-type": "application/json"})
        assert reply.status_code == 422, reply.text
        assert reply.json()["code"] == "input"


# -- what is told -


@pytest.fixture
def lines(tmp_path: Path) -> Iterator[Any]:
    root, ours = logging.getLogger(), logging.getLogger("able_brick")
    before = root.handlers[:], root.level, ours.level
    file = tmp_path / "server.log"
    events.set_up("info", str(file))

    def read() -> list[dict[str, Any]]:
        return [json.loads(line) for line in file.read_text().splitlines()]

    yield read
    for handler in root.handlers[:]:
        root.removeHandler(handler)
        handler.close()
    root.handlers[:], root.level = before[0], before[1]
    ours.setLevel(before[2])


def test_each_change_and_each_refusal_is_a_line_without_contents(client: Client, lines: Any) -> None:
    step(client, "add_shape", shape=BOX, name="A secret name")
    step(client, "move", revision=77, by=(1, 0, 0))
    client.get("/api/levels/level-1")
    arrived(client, {"secret.obj": OBJ})
    told = lines()
    assert [line["event"] for line in told] == ["step", "refusal", "request", "import"]
    first = told[0]
    assert (first["tool"], first["revision"], first["status"], first["level"]) == ("add_shape", 1, 200, "info")
    assert first["project"] == client.get("/api/project").json()["key"].split(".")[0]
    assert first["path"] == "/levels/level-1/steps" and first["ms"] > 0
    assert re.fullmatch(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z", first["time"])
    assert (told[1]["code"], told[1]["status"]) == ("stale_revision", 409)
    assert "secret" not in json.dumps(told)


def test_work_tells_how_it_ended_and_what_is_slow_is_a_warning(
    client: Client, lines: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    step(client, "add_shape", shape={"kind": "cylinder"})
    body = {"tool": "slim", "params": {"share": 50.0}, "selection": ["piece-1"], "revision": 1}
    job = client.post("/api/levels/level-1/work", json=body).json()
    while job["state"] in ("waiting", "working"):
        job = client.get(f"/api/work/{job['id']}").json()
    until = time.monotonic() + 5
    while not (ended := [line for line in lines() if line["event"] == "work"]):
        assert time.monotonic() < until
    assert (ended[0]["state"], ended[0]["tool"], ended[0]["level_id"]) == ("done", "slim", "level-1")
    monkeypatch.setattr(events, "SLOW", 0.0)
    step(client, "rename", "piece-1", name="Post")
    slow = lines()[-1]
    assert (slow["event"], slow["level"], slow["slow"]) == ("step", "warning", True)


def test_a_log_that_cannot_be_written_is_told_at_the_start(tmp_path: Path) -> None:
    from typer.testing import CliRunner

    from able_brick.cli import app

    asked = ["serve", "--db", str(tmp_path / "p.db"), "--log-file", str(tmp_path / "none" / "x.log")]
    done = CliRunner().invoke(app, asked)
    assert done.exit_code == 2 and "cannot be written to" in done.output
    assert not (tmp_path / "p.db").exists()


def test_the_server_tells_how_it_is(client: Client) -> None:
    told = client.get("/api/health").json()
    assert told["uptime"] > 0 and told["memory"] > 10**7 and told["threads"] > 0
    assert 0 <= told["kept"] <= told["most_kept"]
    assert (told["working"], told["imports"], told["tabs"]) == (0, 0, 0)
    assert told["writable"] and told["last_backup"] is None
    assert told["project"] == client.get("/api/project").json()["key"]
    client.post("/api/backups")
    assert abs(client.get("/api/health").json()["last_backup"] - time.time()) < 60


# -- what is kept -


def test_a_project_is_backed_up_once_a_day_when_it_has_changed(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    keeper = bench.project.backups
    bench.do("add_shape", shape=BOX, name="Kept")
    made = keeper.look()
    assert made is not None and made.bytes > 0
    bench.do("add_shape", shape=BOX)
    assert keeper.look() is None, "not twice a day"
    monkeypatch.setattr(backups, "DAY", 0.0)
    assert keeper.look() is not None
    assert keeper.look() is None, "nothing has changed since"
    bench.reopen()
    assert bench.project.backups.look() is None, "nor by opening it"
    bench.undo()
    assert bench.project.backups.look() is not None
    assert len(backups_of(bench.project.id)) == 3
    with closing(sqlite3.connect(folder_of(bench.project.id) / made.name)) as db:
        assert db.execute("select count(*) from row where kind = 'placement'").fetchone() == (1,)


def test_backups_go_by_number_and_by_bytes_and_the_newest_stays(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    for _ in range(backups.MOST + 3):
        bench.project.back_up()
    assert len(backups_of(bench.project.id)) == backups.MOST
    (folder_of(bench.project.id) / "my own notes.txt").write_text("keep me")
    monkeypatch.setattr(backups, "MOST_BYTES", 1)
    bench.project.back_up()
    assert len(backups_of(bench.project.id)) == 1
    assert (folder_of(bench.project.id) / "my own notes.txt").exists()


def test_a_backup_that_cannot_be_written_is_told_and_leaves_no_half(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(_file: Any, to: Path) -> None:
        to.write_bytes(b"half")
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("able_brick.store.database.ProjectFile.copy_to", full)
    with pytest.raises(StorageError, match="No space left"):
        bench.project.back_up()
    assert bench.project.backups.look() is None
    assert "No space left" in str(bench.project.backups.trouble)
    assert list(folder_of(bench.project.id).iterdir()) == []
    bench.do("add_shape", shape=BOX)


def test_a_backup_is_brought_back_as_a_project_of_its_own(client: Client, tmp_path: Path) -> None:
    step(client, "add_shape", shape=BOX, name="Before")
    own = client.get("/api/project").json()
    made = client.post("/api/backups").json()
    step(client, "add_shape", shape=BOX, name="After")
    listed = client.get("/api/backups").json()
    assert [b["name"] for b in listed["backups"]] == [made["name"]]
    assert listed["folder"] == str(folder_of(own["key"].split(".")[0]))
    paths = [client.post(f"/api/backups/{made['name']}").json()["path"] for _ in range(2)]
    assert len(set(paths)) == 2, "no file is written over"
    assert paths[0] in {r.path for r in recent()}
    assert client.get("/api/project").json() == own, "the project stays as it is"
    assert client.post("/api/project/open", json={"path": paths[0]}).status_code == 200
    names = {r["name"] for r in client.get("/api/levels/level-1").json()["changed"] if r["kind"] == "placement"}
    assert names == {"Before"}
    assert client.get("/api/project").json()["key"].split(".")[0] != own["key"].split(".")[0]
    for name in ("none.db", "..%2f..%2fapi.db", "2026-01-01 00-00-00.db"):
        assert client.post(f"/api/backups/{name}").status_code == 404


def test_the_copy_from_before_an_upgrade_is_among_the_backups(tmp_path: Path) -> None:
    from tests.session.test_formats import old_file

    path = old_file("a003", tmp_path / "old.db")
    before = path.read_bytes()
    with closing(Project(path)) as project:
        (kept,) = backups_of(project.id)
        assert (folder_of(project.id) / kept.name).stat().st_size == pytest.approx(len(before), rel=0.2)
        brought = backups.bring_back(project.id, kept.name, path)
    with closing(Project(brought)) as again:
        assert again.read_only is None and len(again.snapshot.pieces) == len(project.snapshot.pieces)


# -- what is installed -


def names_in(text: str) -> set[str]:
    return {
        re.split(r"[=<>\[; ]", line.strip())[0].lower().replace("_", "-")
        for line in text.splitlines()
        if line.strip() and not line.startswith(("-", "#"))
    }


def test_the_package_asks_for_what_it_imports_and_the_locks_have_it() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    asked = names_in("\n".join(project["dependencies"]))
    wanted = names_in((ROOT / "requirements.in").read_text()) - {"setuptools"}
    assert asked == wanted
    assert names_in("\n".join(project["optional-dependencies"]["dev"])) == names_in(
        (ROOT / "requirements-dev.in").read_text()
    )
    assert wanted <= names_in((ROOT / "requirements.lock").read_text())
    imported = set()
    for file in (ROOT / "able_brick").rglob("*.py"):
        imported |= set(re.findall(r"^\s*(?:from|import) (\w+)", file.read_text(), re.M))
    owners = importlib.metadata.packages_distributions()
    ours = {"able_brick"}
    found = {d.lower().replace("_", "-") for name in imported - ours for d in owners.get(name, ())}
    # what comes with the web framework is its own
    assert found - asked <= {"starlette", "click"}, "something is imported that is not asked for"
    for line in (ROOT / "requirements.lock").read_text().splitlines():
        name, version = line.split("==")
        assert importlib.metadata.version(name) == version, "what is installed is what is locked"


def test_only_pythons_that_were_tried_are_declared() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    assert project["requires-python"] == ">=3.11"
    assert [c for c in project.get("classifiers", []) if "Python :: 3." in c] == [
        "Programming Language :: Python :: 3.11"
    ]


def test_a_reading_process_starts_where_the_system_has_no_limits(monkeypatch: pytest.MonkeyPatch) -> None:
    import resource

    from able_brick.jobs import limits

    def none(*_: Any) -> Any:
        raise ValueError("current limit exceeds maximum limit")

    monkeypatch.setattr(resource, "setrlimit", none)
    limits.limit("RLIMIT_AS", 10)
    monkeypatch.delattr(resource, "RLIMIT_AS")
    limits.limit("RLIMIT_AS", 10)
    monkeypatch.setattr(limits.sys, "platform", "darwin")
    with limits.limited(10):
        pass
