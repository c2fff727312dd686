"""Project files that are named by their paths: opened, or made where nothing is touched that is there."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from able_brick.session.project import Project
from tests.api.test_projects import names, two  # noqa: F401


@pytest.fixture
def client(two: TestClient) -> TestClient:  # noqa: F811
    return two


def asked(client: TestClient, path: Path | str, *, new: bool) -> tuple[int, str]:
    reply = client.post("/api/project/file", json={"path": str(path), "new": new})
    return reply.status_code, reply.json().get("detail", "")


def test_a_new_project_is_made_and_opened(client: TestClient, tmp_path: Path) -> None:
    assert asked(client, tmp_path / "Quay trial", new=True)[0] == 200
    assert client.get("/api/project").json()["path"] == str(tmp_path / "Quay trial.db")
    assert names(client) == ["First level"]
    assert client.get("/api/project/recent").json()[0]["name"] == "Quay trial.db"


def test_a_project_that_nobody_has_opened_before_is_opened_by_its_path(client: TestClient, tmp_path: Path) -> None:
    (tmp_path / "away").mkdir()
    with closing(Project(tmp_path / "away" / "third.db")) as third:
        third.create_level("Third")
    assert asked(client, tmp_path / "away" / "third.db", new=False)[0] == 200
    assert names(client) == ["Third"]


def test_what_is_there_is_never_made_anew(client: TestClient, tmp_path: Path) -> None:
    note = tmp_path / "notes.txt"
    note.write_text("mine")
    (tmp_path / "hanging.db").symlink_to(tmp_path / "nowhere.db")
    for path in (note, tmp_path / "second.db", tmp_path / "second", tmp_path / "hanging.db"):
        status, text = asked(client, path, new=True)
        assert status == 422, path
        assert "is there already" in text
    assert note.read_text() == "mine"
    assert not (tmp_path / "nowhere.db").exists()
    assert names(client) == ["First"]


def test_paths_that_lead_to_no_project_are_refused_and_stay_as_they_are(client: TestClient, tmp_path: Path) -> None:
    foreign = tmp_path / "foreign.db"
    with closing(sqlite3.connect(foreign)) as other:
        other.execute("CREATE TABLE row (id TEXT)")
        other.commit()
    text = tmp_path / "text.db"
    text.write_bytes(b"no project at all")
    before = foreign.read_bytes()
    wrong = (tmp_path, tmp_path / "nothing.db", "relative.db", "../../x", "a\0b", "~nobody-at-all/x.db", "x" * 4000)
    for path in (*wrong, foreign, text, "/etc/passwd"):
        reply = client.post("/api/project/file", json={"path": str(path)})
        assert 400 <= reply.status_code < 500 or reply.json()["code"] == "storage", path
        assert reply.headers["content-type"].startswith("application/problem+json")
    assert foreign.read_bytes() == before
    assert text.read_bytes() == b"no project at all"
    assert sorted(p.name for p in tmp_path.glob("nothing*")) == []
    for path in (tmp_path / "no folder" / "x.db", "relative", "a\0b", "/" + "y" * 300, tmp_path):
        assert asked(client, path, new=True)[0] == 422, path
    assert names(client) == ["First"]
