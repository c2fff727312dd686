"""Levels and projects over the API: several projects opened one after the other, rules, the list of recent ones."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from able_brick.api.app import create_app
from able_brick.core.files.read import MODELS
from able_brick.session.project import Project
from able_brick.store.recent import MOST, recent, remember
from tests.api.asking import step
from tests.api.client import Client as TestClient


@pytest.fixture(autouse=True)
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("ABLE_BRICK_HOME", str(tmp_path / "home"))
    return tmp_path / "home"


@pytest.fixture
def two(tmp_path: Path) -> Iterator[TestClient]:
    """A server on one project, with another one beside it that was open before."""
    for name in ("first", "second"):
        project = Project(tmp_path / f"{name}.db")
        project.create_level(name.capitalize())
        project.close()
        remember(tmp_path / f"{name}.db")

    def build_demo(path: Path) -> None:
        made = Project(path)
        made.create_level("Merrow Lock")
        made.close()

    app = create_app(Project(tmp_path / "first.db"), build_demo=build_demo)
    with TestClient(app, base_url="http://127.0.0.1:8484", raise_server_exceptions=False) as client:
        yield client


def names(client: TestClient) -> list[str]:
    return [level["name"] for level in client.get("/api/levels").json()]


def test_another_project_is_opened_and_the_first_one_again(two: TestClient, tmp_path: Path) -> None:
    assert names(two) == ["First"]
    listed = two.get("/api/project/recent").json()
    assert [(r["name"], r["here"]) for r in listed] == [("second.db", False), ("first.db", True)]
    assert step(two, "add_shape", shape={"kind": "box"}).status_code == 200
    reply = two.post("/api/project/open", json={"path": listed[0]["path"]})
    assert reply.status_code == 200
    assert reply.json()["name"] == "second.db"
    assert names(two) == ["Second"]
    assert step(two, "add_shape", shape={"kind": "cylinder"}).status_code == 200
    assert two.get("/api/project/recent").json()[0]["here"]
    assert two.post("/api/project/open", json={"path": listed[1]["path"]}).status_code == 200
    rows = two.get("/api/levels/level-1").json()["changed"]
    assert [r["name"] for r in rows if r["kind"] == "piece"] == ["Box"]


def test_only_recent_projects_are_opened(two: TestClient, tmp_path: Path) -> None:
    secret = tmp_path / "secret.db"
    secret.write_bytes(b"no project")
    for path in (str(secret), "/etc/passwd", "../../x", "\x00", ""):
        reply = two.post("/api/project/open", json={"path": path})
        assert reply.status_code in (404, 422), path
        assert reply.headers["content-type"].startswith("application/problem+json")
    # one that cannot be read is refused, and the open one stays
    remember(secret)
    reply = two.post("/api/project/open", json={"path": str(secret.resolve())})
    assert reply.status_code >= 400
    assert names(two) == ["First"]
    assert step(two, "add_shape", shape={"kind": "box"}).status_code == 200


def test_the_demo_is_built_beside_the_project_once(two: TestClient, tmp_path: Path) -> None:
    assert two.get("/api/project").json()["has_demo"] is True
    assert two.post("/api/project/demo").json()["name"] == "merrow-lock.db"
    assert names(two) == ["Merrow Lock"]
    assert (tmp_path / "merrow-lock.db").exists()
    assert two.post("/api/project/demo").status_code == 200


def test_a_server_without_a_demo_says_so(client: TestClient) -> None:
    assert client.get("/api/project").json()["has_demo"] is False
    assert client.post("/api/project/demo").status_code == 404


def test_levels_are_listed_with_what_stands_in_them_and_those_that_may_come_back(client: TestClient) -> None:
    step(client, "add_shape", shape={"kind": "box"})
    copy = client.post("/api/levels/level-1/duplicate", json={"name": "Trial 2"})
    assert copy.status_code == 201
    assert copy.json() == {"id": "level-2", "name": "Trial 2", "revision": 0, "items": 1, "deleted": False}
    assert client.delete("/api/levels/level-2").status_code == 204
    assert [(r["id"], r["deleted"]) for r in client.get("/api/levels").json()] == [
        ("level-1", False),
        ("level-2", True),
    ]
    assert client.get("/api/levels/level-2").status_code == 404
    assert client.post("/api/levels/level-2/restore").json()["items"] == 1
    refused = client.delete("/api/levels/level-9")
    assert refused.status_code == 404
    assert client.delete("/api/levels/level-2").status_code == 204
    last = client.delete("/api/levels/level-1")
    assert last.status_code == 409
    assert "only level" in last.json()["detail"]


def test_tabs_of_a_deleted_level_are_told(client: TestClient) -> None:
    client.post("/api/levels", json={"name": "Other"})
    with client.websocket_connect("/api/levels/level-1/live", headers={"host": "127.0.0.1:8484"}) as socket:
        assert client.delete("/api/levels/level-1").status_code == 204
        assert socket.receive_text() == "{}"


def test_the_rules_say_what_pages_show(client: TestClient) -> None:
    rules: dict[str, Any] = client.get("/api/rules").json()
    assert rules["models"] == list(MODELS)
    assert {u["value"]: u["metres"] for u in rules["units"]}["ft"] == 0.3048
    assert [s["label"] for s in rules["surfaces"]][:2] == ["Stone", "Pale stone"]
    words = {k["kind"]: k["words"] for k in rules["kinds"]}
    for tool in client.get("/api/tools").json():
        assert set(tool["need"]["kinds"]) <= set(words)
        for kind in tool["need"]["kinds"]:
            assert words[kind] in tool["asks"]


@pytest.mark.parametrize("text", ["", "{", "[1, 2]", '[{"path": 3}]', '{"path": "x"}', "\x00", "9" * 200_000])
def test_a_hostile_list_of_recent_projects_counts_as_none(home: Path, tmp_path: Path, text: str) -> None:
    home.mkdir()
    (home / "recent.json").write_text(text)
    assert recent() == []
    project = tmp_path / "p.db"
    project.touch()
    remember(project)
    assert [r.path for r in recent()] == [str(project.resolve())]


def test_the_list_is_short_and_forgets_what_is_gone(tmp_path: Path, home: Path) -> None:
    files = [tmp_path / f"{k}.db" for k in range(MOST + 5)]
    for file in files:
        file.touch()
        remember(file)
    assert len(recent()) == MOST
    files[-1].unlink()
    assert recent()[0].path == str(files[-2].resolve())
    assert len(json.loads((home / "recent.json").read_text())) == MOST
    # where it cannot be written, nothing is said
    (home / "recent.json").unlink()
    home.rmdir()
    home.touch()
    remember(files[0])
    assert recent() == []
