"""Several projects in one server: what is meant for one never comes to another, and what runs is asked about first."""

from __future__ import annotations

import io
import json
import os
import re
import shutil
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from starlette.websockets import WebSocketDisconnect

from able_brick.api import current_project
from able_brick.api.app import create_app
from able_brick.core.errors import ClosedError, StorageError
from able_brick.session.project import Project
from able_brick.session.work import Outcome
from able_brick.steps.parse import parse_tool
from able_brick.store.recent import remember
from tests.api.asking import HOST, step
from tests.api.client import Client
from tests.core.test_formats import BRICKS, OBJ

BOX = {"kind": "box"}


@pytest.fixture(autouse=True)
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ABLE_BRICK_HOME", str(tmp_path / "home"))


@pytest.fixture
def two(tmp_path: Path) -> Iterator[Client]:
    """A server on one project, with another one beside it; the same ids and revisions in both."""
    for name in ("first", "second"):
        with closing(Project(tmp_path / f"{name}.db")) as project:
            project.create_level(name.capitalize())
        remember(tmp_path / f"{name}.db")
    app = create_app(Project(tmp_path / "first.db"))
    with Client(app, base_url="http://127.0.0.1:8484", raise_server_exceptions=False) as client:
        yield client


def key_of(client: Client) -> str:
    return str(client.get("/api/project").json()["key"])


def open_file(client: Client, path: Path, running: str | None = None) -> Any:
    return client.post("/api/project/open", json={"path": str(path.resolve()), "running": running})


def begin(client: Client, title: str = "Long work") -> threading.Event:
    """Have work that ends when it is told to, and takes a step at its end."""
    here = client.app.state.current.now  # type: ignore[attr-defined]
    end = threading.Event()

    def do(tell: Any, _room: Any) -> Outcome:
        until = time.monotonic() + 60
        while not end.is_set() and time.monotonic() < until:
            tell(0.5, "At it")
            time.sleep(0.01)
        tool = parse_tool("add_shape", {"shape": BOX, "name": "Late"})
        delta = here.project.work("level-1", tool, (), tell)
        return Outcome(delta.revision)

    here.work.begin(here.project, "level-1", title, "slim", do, recorded=True)
    return end


def names(path: Path) -> list[str]:
    with closing(Project(path)) as project:
        return sorted(r.name for r in project.snapshot.of("level-1").values())


# -- work that outlives its project -


def test_what_runs_is_asked_about_before_another_project_is_opened(two: Client, tmp_path: Path) -> None:
    end = begin(two)
    reply = open_file(two, tmp_path / "second.db")
    assert (reply.status_code, reply.json()["code"]) == (409, "work_running")
    assert reply.json()["data"] == {"running": ["Long work"], "allowed": ["wait", "stop"]}
    assert "Long work: still being worked on in first.db" in reply.json()["detail"]
    assert two.get("/api/project").json()["name"] == "first.db"
    assert step(two, "add_shape", shape=BOX, name="Meanwhile").status_code == 200
    end.set()


def test_work_that_is_waited_for_is_kept_and_steps_beside_it_as_well(two: Client, tmp_path: Path) -> None:
    end = begin(two)
    for k in range(4):
        assert step(two, "add_shape", shape=BOX, name=f"Step {k}").status_code == 200
    threading.Timer(0.3, end.set).start()
    assert open_file(two, tmp_path / "second.db", "wait").status_code == 200
    assert open_file(two, tmp_path / "first.db").status_code == 200
    assert open_file(two, tmp_path / "second.db").status_code == 200
    two.app.state.current.close()  # type: ignore[attr-defined]
    assert names(tmp_path / "first.db") == ["Late", "Step 0", "Step 1", "Step 2", "Step 3"]
    with closing(Project(tmp_path / "first.db")) as project:
        assert project.revision("level-1") == 5
        assert project.notes == []


def test_work_that_is_stopped_leaves_nothing_and_takes_nothing_along(two: Client, tmp_path: Path) -> None:
    begin(two)
    assert step(two, "add_shape", shape=BOX, name="Kept").status_code == 200
    assert open_file(two, tmp_path / "second.db", "stop").status_code == 200
    assert two.get("/api/work").json() == [], "another project has work of its own"
    two.app.state.current.close()  # type: ignore[attr-defined]
    assert names(tmp_path / "first.db") == ["Kept"]


def test_who_waits_too_long_is_told_and_nothing_has_changed(
    two: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(current_project, "MOST_WAITING", 0.2)
    end = begin(two)
    reply = open_file(two, tmp_path / "second.db", "wait")
    assert reply.json()["code"] == "work_running"
    assert two.get("/api/project").json()["name"] == "first.db"
    end.set()
    monkeypatch.setattr(current_project, "MOST_WAITING", 20.0)
    assert open_file(two, tmp_path / "second.db", "wait").status_code == 200


def test_a_project_that_cannot_be_opened_leaves_the_other_at_work(two: Client, tmp_path: Path) -> None:
    (tmp_path / "letter.db").write_text("Dear artist")
    remember(tmp_path / "letter.db")
    assert open_file(two, tmp_path / "letter.db").status_code == 507
    end = begin(two)
    assert step(two, "add_shape", shape=BOX).status_code == 200
    end.set()


def test_a_closed_project_is_never_written_nor_read(tmp_path: Path) -> None:
    project = Project(tmp_path / "closed.db")
    level = project.create_level("Lock").id
    project.step(level, parse_tool("add_shape", {"shape": BOX}), (), 0)
    project.close()
    before = (tmp_path / "closed.db").read_bytes()
    acts: dict[str, Callable[[], object]] = {
        "step": lambda: project.step(level, parse_tool("add_shape", {"shape": BOX}), (), 1),
        "undo": lambda: project.undo(level, 1),
        "level": lambda: project.create_level("More"),
        "recipe": lambda: project.recipes.drop("x"),
        "mesh": lambda: project.meshes.get("00" * 20),
        "picture": lambda: project.pictures.thumbnail("00"),
        "backup": project.back_up,
        "copy": lambda: project.save_copy(tmp_path / "copy.db"),
    }
    for name, act in acts.items():
        with pytest.raises(ClosedError, match="was closed"):
            raise AssertionError(f"{name} was done: {act()}")
    assert (tmp_path / "closed.db").read_bytes() == before
    assert sorted(p.name for p in tmp_path.iterdir() if p.name != "home") == ["closed.db"], "no log, no copy"


def test_a_file_is_not_given_back_while_it_is_used(tmp_path: Path) -> None:
    project = Project(tmp_path / "used.db")
    inside, leave = threading.Event(), threading.Event()

    def use() -> None:
        with project._file.reading() as connection:
            inside.set()
            leave.wait(30)
            connection.exec_driver_sql("select 1")

    user = threading.Thread(target=use)
    user.start()
    inside.wait()
    closing_it = threading.Thread(target=project.close)
    closing_it.start()
    assert not second_server_opens(tmp_path / "used.db")
    with pytest.raises(ClosedError), project._file.reading():
        pass
    leave.set()
    user.join()
    closing_it.join()
    assert second_server_opens(tmp_path / "used.db")


def second_server_opens(path: Path) -> bool:
    code = "import sys; from pathlib import Path; from able_brick.session.project import Project; "
    code += "Project(Path(sys.argv[1])).close()"
    done = subprocess.run([sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=False)
    assert done.returncode == 0 or "already open in another Able Brick" in done.stderr, done.stderr
    return done.returncode == 0


@pytest.mark.parametrize(
    "meddle",
    [
        "update meta set value = '{\"now\": \"another opening\"}' where key = 'stamp'",
        "insert into journal (level, place, tool, params, selection, note, adjustable, format, edits) "
        "values ('level-1', 9, 'move', '{}', '[]', '', 0, 1, x'00')",
    ],
)
def test_a_commit_looks_whether_it_builds_on_the_newest_entry(tmp_path: Path, meddle: str) -> None:
    with closing(Project(tmp_path / "p.db")) as project:
        level = project.create_level("Lock").id
        project.step(level, parse_tool("add_shape", {"shape": BOX}), (), 0)
        with closing(sqlite3.connect(tmp_path / "p.db")) as other:
            other.execute(meddle)
            other.commit()
        for act in (
            lambda: project.step(level, parse_tool("add_shape", {"shape": BOX}), (), 1),
            lambda: project.undo(level, 1),
            lambda: project.create_level("More"),
        ):
            with pytest.raises(StorageError, match="changed by another program"):
                act()
        assert project.revision(level) == 1
        project.save_copy(tmp_path / "copy.db")


def test_a_file_that_was_moved_away_is_not_taken_for_the_one_in_its_place(tmp_path: Path) -> None:
    path = tmp_path / "p.db"
    project = Project(path)
    project.create_level("Lock")
    shutil.move(path, tmp_path / "moved.db")
    with closing(sqlite3.connect(path)) as other:
        other.execute("create table foreign_table (id integer)")
    before = path.read_bytes()
    project._file._engine.dispose()  # whoever comes next has to connect anew
    with pytest.raises(StorageError, match="moved, or replaced"):
        project.create_level("More")
    with pytest.raises(StorageError, match="replaced by another file"):
        Project(path)
    assert path.read_bytes() == before
    project.close()


# -- hard links -


def test_a_refused_hard_link_leaves_the_locks_of_the_database(two: Client, tmp_path: Path) -> None:
    assert step(two, "add_shape", shape=BOX, name="Acknowledged").status_code == 200
    link = tmp_path / "link.db"
    os.link(tmp_path / "first.db", link)
    remember(link)
    reply = open_file(two, link)
    assert reply.status_code in (200, 507), "the same file, by another name"
    assert two.get("/api/project").json()["name"] == "first.db"
    # another program that opens and closes the file would delete the log, were the locks gone
    code = "import sqlite3, sys; db = sqlite3.connect(sys.argv[1]); "
    code += "db.execute('select count(*) from row').fetchone(); db.close()"
    subprocess.run([sys.executable, "-c", code, str(tmp_path / "first.db")], check=True)
    assert (tmp_path / "first.db-wal").exists()
    copy = tmp_path / "killed"
    copy.mkdir()
    for end in ("", "-wal"):
        shutil.copyfile(tmp_path / f"first.db{end}", copy / f"first.db{end}")
    assert names(copy / "first.db") == ["Acknowledged"]


# -- requests and events carry their project -


def test_every_route_of_a_project_refuses_what_is_meant_for_another(two: Client, tmp_path: Path) -> None:
    old = key_of(two)
    assert open_file(two, tmp_path / "second.db").status_code == 200
    paths = two.get("/api/openapi.json").json()["paths"]
    inside = {p: list(v) for p, v in paths.items() if p.startswith("/api/projects/{project}/")}
    assert len(inside) > 35
    outside = sorted(p for p in paths if p not in inside)
    assert outside == [
        "/api/health",
        "/api/project",
        "/api/project/demo",
        "/api/project/file",
        "/api/project/open",
        "/api/project/recent",
        "/api/project/upload",
        "/api/rules",
        "/api/shapes",
        "/api/tools",
    ]
    for path, methods in inside.items():
        for method in methods:
            url = re.sub(r"\{\w+\}", "x", path.replace("{project}", old))
            reply = two.request(method.upper(), url, json={})
            assert (reply.status_code, reply.json()["code"]) == (409, "other_project"), (method, path)
            assert reply.json()["data"]["open"] == key_of(two)
            assert reply.json()["data"]["name"] == "second.db"


def test_a_step_that_is_meant_for_another_project_is_not_taken(two: Client, tmp_path: Path) -> None:
    old = key_of(two)
    assert open_file(two, tmp_path / "second.db").status_code == 200
    body = {"tool": "add_shape", "params": {"shape": BOX}, "selection": [], "revision": 0}
    reply = two.post(f"/api/projects/{old}/levels/level-1/steps", json=body)
    assert reply.json()["code"] == "other_project"
    assert "another project than the one that is open, second.db" in reply.json()["detail"]
    assert two.get("/api/levels/level-1").json()["revision"] == 0
    for key in ("", "x", "..", old.split(".")[0], f"{old}x", "%2e%2e", "a" * 300):
        assert two.post(f"/api/projects/{key}/levels/level-1/steps", json=body).status_code in (404, 409), key
    # a copy by hand is the same project in another opening
    two.app.state.current.now.project.save_copy(tmp_path / "by page.db")  # type: ignore[attr-defined]
    assert open_file(two, tmp_path / "first.db").status_code == 200
    assert key_of(two) != old
    anew = two.post(f"/api/projects/{old}/levels/level-1/steps", json=body)
    assert "first.db was opened anew since" in anew.json()["detail"]


def test_tabs_are_told_of_another_project_and_of_no_change_in_it(two: Client, tmp_path: Path) -> None:
    old = key_of(two)
    live = f"/api/projects/{old}/levels/level-1/live"
    with two.websocket_connect(live, headers=HOST) as tab:
        assert open_file(two, tmp_path / "second.db").status_code == 200
        told = json.loads(tab.receive_text())
        assert (told["page"], told["open"], told["name"]) == ("other", key_of(two), "second.db")
        assert step(two, "add_shape", shape=BOX).status_code == 200
        with two.websocket_connect("/api/levels/level-1/live", headers=HOST) as other:
            assert step(two, "add_shape", shape=BOX).status_code == 200
            assert json.loads(other.receive_text())["revision"] == 2
        two.app.state.current.now.hub.end({"open": "nothing more"})  # type: ignore[attr-defined]
    with two.websocket_connect(live, headers=HOST) as tab:
        assert json.loads(tab.receive_text())["name"] == "second.db"
        with pytest.raises(WebSocketDisconnect) as left:
            tab.receive_text()
        assert left.value.code == 4409


def test_imports_work_and_pictures_belong_to_their_project(two: Client, tmp_path: Path) -> None:
    step(two, "add_shape", shape=BOX)
    mesh = next(r["mesh"] for r in two.get("/api/levels/level-1").json()["changed"] if r["kind"] == "piece")
    assert two.put(f"/api/thumbnails/{mesh}00000000", content=BRICKS.data).status_code == 204
    sent = two.post("/api/imports", files=[("files", ("a.obj", io.BytesIO(OBJ)))]).json()
    begin(two).set()
    while any(j["state"] != "done" for j in two.get("/api/work").json()):
        time.sleep(0.01)
    assert open_file(two, tmp_path / "second.db", "wait").status_code == 200
    assert two.get("/api/work").json() == []
    assert two.get(f"/api/imports/{sent['id']}").status_code == 404
    assert two.get(f"/api/thumbnails/{mesh}00000000").status_code == 204
    assert two.get(f"/api/meshes/{mesh}.glb").status_code == 404
    taken = {"level": "level-1", "revision": 0}
    assert two.post(f"/api/imports/{sent['id']}/accept", json=taken).status_code == 404
    again = two.post("/api/imports", files=[("files", ("b.obj", io.BytesIO(OBJ)))]).json()
    assert again["id"] == sent["id"], "the numbers begin anew"


def test_a_request_that_has_begun_is_served_to_its_end(two: Client, tmp_path: Path) -> None:
    here = two.app.state.current.now  # type: ignore[attr-defined]
    here.enter()
    assert open_file(two, tmp_path / "second.db").status_code == 200
    assert here.project.view("level-1").revision == 0, "it is not closed under it"
    with pytest.raises(StorageError, match="already open here"):
        Project(tmp_path / "first.db")
    here.leave()
    assert open_file(two, tmp_path / "first.db").status_code == 200
