"""Project files that are named by their paths: opened, or made where nothing is touched that is there."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from able_brick.session.project import Project
from tests.api.test_projects import names, two  # noqa: F401
from tests.api.test_switching import begin


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


def sent(client: TestClient, path: Path | str, content: bytes, running: str | None = None) -> tuple[int, str]:
    form = {"path": str(path), **({} if running is None else {"running": running})}
    reply = client.post("/api/project/upload", data=form, files={"file": ("away.db", content)})
    return reply.status_code, reply.json().get("detail", "")


def test_a_project_file_that_is_sent_is_kept_where_it_is_wished_and_opened(client: TestClient, tmp_path: Path) -> None:
    away = tmp_path / "away"
    away.mkdir()
    with closing(Project(away / "third.db")) as third:
        third.create_level("Third")
    content = (away / "third.db").read_bytes()
    assert sent(client, tmp_path / "kept", content)[0] == 200
    assert client.get("/api/project").json()["path"] == str(tmp_path / "kept.db")
    assert names(client) == ["Third"]
    assert (away / "third.db").read_bytes() == content


def test_what_is_sent_takes_the_place_of_nothing_and_leaves_nothing_where_it_is_refused(
    client: TestClient, tmp_path: Path
) -> None:
    with closing(Project(tmp_path / "third.db")) as third:
        third.create_level("Third")
    content = (tmp_path / "third.db").read_bytes()
    with closing(sqlite3.connect(tmp_path / "foreign.db")) as other:
        other.execute("CREATE TABLE row (id TEXT)")
        other.commit()
    foreign = (tmp_path / "foreign.db").read_bytes()
    before = sorted(p.name for p in tmp_path.iterdir())
    second = (tmp_path / "second.db").read_bytes()
    assert "is there already" in sent(client, tmp_path / "second.db", content)[1]
    assert (tmp_path / "second.db").read_bytes() == second
    for path, what in (
        ("relative.db", content),
        (tmp_path / "no folder" / "x.db", content),
        (tmp_path, content),
        ("a\0b", content),
        (tmp_path / "text.db", b"no project at all"),
        (tmp_path / "empty.db", b""),
        (tmp_path / "strange.db", foreign),
        (tmp_path / "cut.db", content[:200]),
    ):
        status, text = sent(client, path, what)
        assert 400 <= status < 500 or status == 507, (path, text)
        assert text
    assert sorted(p.name for p in tmp_path.iterdir()) == before
    assert names(client) == ["First"]


def test_what_is_sent_while_work_runs_is_asked_about_and_not_kept_until_then(
    client: TestClient, tmp_path: Path
) -> None:
    with closing(Project(tmp_path / "third.db")) as third:
        third.create_level("Third")
    content = (tmp_path / "third.db").read_bytes()
    end = begin(client)
    assert sent(client, tmp_path / "kept.db", content)[0] == 409
    assert not (tmp_path / "kept.db").exists()
    assert sent(client, tmp_path / "kept.db", content, "stop")[0] == 200
    end.set()
    assert names(client) == ["Third"]


def test_new_levels_may_have_the_budget_that_is_wished(client: TestClient, tmp_path: Path) -> None:
    made = client.post("/api/levels", json={"name": "Tight", "budget": 9000}).json()
    budgets = {r["id"]: r["budget"] for r in client.get(f"/api/levels/{made['id']}").json()["changed"] if "budget" in r}
    assert budgets[made["id"]] == 9000
    for budget in (0, -1, 1.5, 3_000_000_000):
        assert client.post("/api/levels", json={"name": "Wrong", "budget": budget}).status_code == 422
    assert client.post(
        "/api/project/file", json={"path": str(tmp_path / "new.db"), "new": True, "budget": 7}
    ).is_success
    (level,) = client.get("/api/levels").json()
    rows = client.get(f"/api/levels/{level['id']}").json()["changed"]
    assert next(r["budget"] for r in rows if r["kind"] == "level") == 7
