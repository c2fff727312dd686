"""The project file: what crashes, links, other programs and damage do to it, and what is said then."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from alembic.config import Config
from alembic.script import ScriptDirectory

from able_brick.core.errors import StorageError
from able_brick.session.project import Project
from able_brick.store import database, making, migrations, wal_recovery
from able_brick.store.scratch import Scratch, remove_abandoned
from tests.session.bench import Bench

BOX = {"kind": "box"}


def frozen(bench: Bench, to: Path) -> Path:
    """The file with its log as a killed server would leave them."""
    to.mkdir(exist_ok=True)
    path = to / bench.path.name
    shutil.copyfile(bench.path, path)
    shutil.copyfile(wal_recovery.log_of(bench.path), wal_recovery.log_of(path))
    return path


def names(path: Path) -> list[str]:
    with closing(Project(path)) as project:
        return sorted(r.name for level in project.snapshot.levels for r in project.snapshot.of(level).values())


def run(path: Path, *commands: str) -> None:
    with closing(sqlite3.connect(path)) as db:
        for command in commands:
            db.execute(command)
        db.commit()


# -- making and upgrading -


@pytest.mark.parametrize("tables", range(1, 7))
def test_a_file_whose_making_was_cut_off_opens(tmp_path: Path, tables: int) -> None:
    """Earlier versions made their tables one by one, each at once."""
    made = tmp_path / "made.db"
    Project(made).close()
    half = tmp_path / "half.db"
    with closing(sqlite3.connect(made)) as source, closing(sqlite3.connect(half)) as db:
        order = ("meta", "level_state", "row", "journal", "journal_mesh", "mesh")
        for name in order[:tables]:
            (sql,) = source.execute("select sql from sqlite_master where name = ?", (name,)).fetchone()
            db.execute(sql)
        db.execute("create table alembic_version (version_num varchar(32) not null primary key)")
        db.commit()
    with closing(Project(half)) as project:
        level = project.create_level("Trial").id
    with closing(Project(half)) as project:
        assert project.snapshot.level(level).name == "Trial"


def old_file(bench: Bench) -> Path:
    """The project as the version before left it."""
    bench.do("add_shape", shape=BOX, name="Kept")
    bench.project.close()
    run(
        bench.path,
        "alter table journal drop column users",
        "update alembic_version set version_num = 'a002'",
        f"delete from meta where key = '{wal_recovery.STAMP}'",
    )
    return bench.path


def test_an_upgrade_keeps_the_old_file_until_the_new_one_has_opened(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = old_file(bench)
    kept = path.with_name(f"{path.name}.before-upgrade")

    def broken(*_: object) -> None:
        raise StorageError("not today")

    with monkeypatch.context() as patch:
        patch.setattr("able_brick.session.opening.load_snapshot", broken)
        with pytest.raises(StorageError, match="not today"):
            Project(path)
    assert kept.exists()
    with closing(sqlite3.connect(kept)) as db:
        assert db.execute("select version_num from alembic_version").fetchone() == ("a002",)
        assert db.execute("select count(*) from row where kind = 'placement'").fetchone() == (1,)
    assert names(path) == ["Kept"]
    assert not kept.exists()
    bench.project = Project(path)
    bench.undo()
    bench.redo()
    bench.whole()


def test_an_upgrade_is_done_whole_or_not_at_all(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    path = old_file(bench)
    versions = Path(migrations.__file__).parent / "versions"
    code = (versions / "a003_users_of_entries.py").read_text()
    assert "add_column" in code
    stamp = database._stamp

    def cut_off(engine: Any) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(database, "_stamp", cut_off)
        with pytest.raises(StorageError, match="No space left"):
            Project(path)
    assert stamp is database._stamp
    assert names(path) == ["Kept"]


def test_the_versions_are_those_that_there_are() -> None:
    config = Config()
    config.set_main_option("script_location", str(Path(migrations.__file__).parent))
    scripts = ScriptDirectory.from_config(config)
    assert [s.revision for s in reversed(list(scripts.walk_revisions()))] == list(migrations.VERSIONS)


# -- one owner -


@pytest.mark.parametrize("how", ["symbolic", "hard", "same"])
def test_links_lead_to_the_same_lock(bench: Bench, tmp_path: Path, how: str) -> None:
    link = tmp_path / "link.db"
    if how == "symbolic":
        link.symlink_to(bench.path)
    elif how == "hard":
        link.hardlink_to(bench.path)
    else:
        link = bench.path
    with pytest.raises(StorageError, match="already open here"):
        Project(link)
    bench.do("add_shape", shape=BOX)
    bench.whole()


def test_a_process_that_is_just_being_started_holds_no_lock(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Until it has begun it has all handles of the one that starts it, as copies of them are here."""
    shared: list[int] = []
    flock = fcntl.flock

    def with_a_copy(handle: int, how: int) -> None:
        flock(handle, how)
        if how & fcntl.LOCK_EX:
            shared.append(os.dup(handle))

    monkeypatch.setattr(fcntl, "flock", with_a_copy)
    path = tmp_path / "trial.db"
    for _ in range(3):
        with closing(Project(path)) as project, pytest.raises(StorageError, match="already open"):
            Project(project.path)
    assert len(shared) == 4, "once to make it, and at each opening"
    for handle in shared:
        os.close(handle)


def test_changes_under_another_name_are_not_passed_over(bench: Bench, tmp_path: Path) -> None:
    bench.do("add_shape", shape=BOX, name="Kept")
    path = frozen(bench, tmp_path / "there")
    link = path.with_name("link.db")
    link.hardlink_to(path)
    with pytest.raises(StorageError, match=r"another name, trial\.db, under which it was open last"):
        Project(link)
    assert names(path) == ["Kept"]
    assert names(link) == ["Kept"]


def test_a_symbolic_link_finds_the_changes_of_its_file(bench: Bench, tmp_path: Path) -> None:
    bench.do("add_shape", shape=BOX, name="Kept")
    path = frozen(bench, tmp_path / "there")
    link = tmp_path / "link.db"
    link.symlink_to(path)
    assert names(link) == ["Kept"]


def test_a_lock_of_another_program_is_told_as_that(bench: Bench) -> None:
    bench.project.close()
    with closing(sqlite3.connect(bench.path)) as other:
        other.execute("pragma locking_mode = exclusive")
        other.execute("begin exclusive")
        with pytest.raises(StorageError, match="in use by another program"):
            Project(bench.path)
    bench.project = Project(bench.path)


# -- changes that were left beside -


def test_changes_of_a_killed_server_are_taken_up(bench: Bench, tmp_path: Path) -> None:
    bench.do("add_shape", shape=BOX, name="Kept")
    path = frozen(bench, tmp_path / "there")
    assert wal_recovery.holds_changes(path)
    with closing(Project(path)) as project:
        assert project.notes == []
    assert names(path) == ["Kept"]


def test_changes_of_a_killed_server_are_taken_up_by_a_moved_file(bench: Bench, tmp_path: Path) -> None:
    bench.do("add_shape", shape=BOX, name="Kept")
    path = frozen(bench, tmp_path / "there")
    moved = path.with_name("moved.db")
    path.rename(moved)
    wal_recovery.log_of(path).rename(wal_recovery.log_of(moved))
    assert names(moved) == ["Kept"]


@pytest.mark.parametrize("what", ["another project", "an older copy of it", "one without a stamp", "nothing"])
def test_changes_of_another_file_are_put_aside(bench: Bench, tmp_path: Path, what: str) -> None:
    bench.do("add_shape", shape=BOX, name="Older")
    bench.reopen()
    copy = tmp_path / "older.db"
    making.copy_database(bench.path, copy)
    bench.reopen()
    for _ in range(30):
        bench.do("add_shape", shape=BOX, name="Newer")
    path = frozen(bench, tmp_path / "there")
    path.unlink()
    wanted = ["Fresh"]
    if what == "an older copy of it":
        shutil.copyfile(copy, path)
        wanted = ["Older"]
    elif what != "nothing":
        fresh = Bench(tmp_path / "fresh.db")
        fresh.do("add_shape", shape=BOX, name="Fresh")
        fresh.project.close()
        if what == "one without a stamp":
            run(fresh.path, f"delete from meta where key = '{wal_recovery.STAMP}'")
        shutil.copyfile(fresh.path, path)
    else:
        wanted = []
    with closing(Project(path)) as project:
        assert "put aside as trial.db-wal.aside-1" in project.notes[0]
    assert names(path) == wanted
    assert wal_recovery.log_of(path).with_name("trial.db-wal.aside-1").stat().st_size > 1000


# -- sentences -


def refused(path: Path, match: str) -> None:
    before = path.read_bytes() if path.is_file() else b""
    with pytest.raises(StorageError, match=match):
        Project(path)
    assert (path.read_bytes() if path.is_file() else b"") == before


def test_what_is_no_project_is_refused_in_words(tmp_path: Path) -> None:
    refused(tmp_path, "is a folder; give the name")
    refused(Path("/dev/null"), "not an ordinary file")
    refused(Path(), "is a folder|No file name is given")
    os.mkfifo(tmp_path / "pipe")
    refused(tmp_path / "pipe", "not an ordinary file")
    (tmp_path / "loop").symlink_to(tmp_path / "loop")
    refused(tmp_path / "loop", "link that leads to itself|cannot be opened")
    refused(tmp_path / "pipe" / "inside.db", "cannot be opened")
    letter = tmp_path / "letter.db"
    letter.write_bytes(b"Dear artist, this is no project file at all. " * 100)
    refused(letter, "is not a database")
    run(tmp_path / "other.db", "create table invoices (id integer)")
    refused(tmp_path / "other.db", "database of another program")


def test_a_file_of_a_newer_version_is_refused_in_words(bench: Bench) -> None:
    bench.project.close()
    run(bench.path, "update alembic_version set version_num = 'b042'")
    with pytest.raises(StorageError, match=r"made by a newer Able Brick.*b042"):
        Project(bench.path)
    run(bench.path, f"update alembic_version set version_num = '{migrations.HEAD}'")
    bench.project = Project(bench.path)


def test_an_empty_file_becomes_a_project(tmp_path: Path) -> None:
    (tmp_path / "empty.db").touch()
    with closing(Project(tmp_path / "empty.db")) as project:
        project.create_level("Trial")


def read_only(project: Project, bench: Bench, tmp_path: Path, *, history: bool) -> None:
    """All can be looked at, nothing can be changed, and the copy is a project again."""
    bench.project = project
    assert project.read_only
    bench.check()
    for act in (lambda: bench.do("add_shape", shape=BOX), lambda: project.create_level("New")):
        with pytest.raises(StorageError, match="save a copy"):
            act()
    state = bench.state()
    copy = tmp_path / "copy.db"
    project.save_copy(copy)
    with pytest.raises(StorageError, match="exists already"):
        project.save_copy(copy)
    project.close()
    bench.path, bench.project = copy, Project(copy)
    assert bench.project.read_only is None
    assert bench.state() == state
    bench.whole()
    assert (bench.project.view(bench.level).history.last is not None) == history
    bench.do("add_shape", shape=BOX)


def test_a_file_that_cannot_be_written_is_opened_for_looking(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.do("add_shape", shape=BOX)
    path = frozen(bench, tmp_path / "there")
    bench.project.close()
    bench.path = path
    really = os.open

    def guarded(name: Any, flags: int, *rest: Any, **more: Any) -> int:
        if Path(name) == path and flags & os.O_RDWR:
            raise PermissionError(1, "Operation not permitted")
        return really(name, flags, *rest, **more)

    before = path.read_bytes()
    monkeypatch.setattr(os, "open", guarded)
    project = Project(path)
    assert "cannot be written to (Operation not permitted)" in str(project.read_only)
    read_only(project, bench, tmp_path, history=True)
    assert path.read_bytes() == before


def test_damaged_pages_leave_the_rows_that_can_be_read(bench: Bench, tmp_path: Path) -> None:
    bench.do("add_shape", shape=BOX)
    for _ in range(300):
        bench.do("place_piece", "piece-1")
    bench.project.close()
    with closing(sqlite3.connect(bench.path)) as db:
        db.execute("vacuum")
        page = db.execute("pragma page_size").fetchone()[0]
        (root,) = db.execute("select rootpage from sqlite_master where name = 'row'").fetchone()
    data = bytearray(bench.path.read_bytes())
    inner = data[(root - 1) * page : root * page]
    cells = int.from_bytes(inner[3:5], "big")
    middle = 12 + cells // 2 * 2
    child = int.from_bytes(inner[int.from_bytes(inner[middle : middle + 2], "big") :][:4], "big")
    at = (child - 1) * page
    data[at : at + page] = b"\xff" * page
    bench.path.write_bytes(data)
    project = Project(bench.path)
    assert "is damaged" in str(project.read_only)
    count = len(project.snapshot.of(bench.level))
    assert 0 < count < 301
    project.close()
    bench.project = Project(bench.path)
    state = bench.state()
    bench.project.save_copy(tmp_path / "copy.db")
    bench.project.close()
    bench.project = Project(tmp_path / "copy.db")
    assert bench.state() == state
    assert bytes(data) == bench.path.read_bytes()


@pytest.mark.parametrize("broken", ["edits = x'00'", "params = '['", "selection = '7'", "format = 9"])
def test_a_history_that_cannot_be_read_leaves_the_rows(bench: Bench, tmp_path: Path, broken: str) -> None:
    bench.do("add_shape", shape=BOX)
    bench.project.close()
    run(bench.path, f"update journal set {broken}")
    project = Project(bench.path)
    assert "history of Trial cannot be read" in str(project.read_only) or "format 9" in str(project.read_only)
    read_only(project, bench, tmp_path, history=False)


def test_a_broken_step_further_back_ends_the_history_there(bench: Bench) -> None:
    for _ in range(3):
        bench.do("add_shape", shape=BOX)
    bench.project.close()
    run(bench.path, "update journal set edits = x'00' where place = 1")
    bench.project = Project(bench.path)
    bench.undo()
    delta = bench.undo()
    assert delta.history.last is None
    bench.do("add_shape", shape=BOX)
    bench.whole()


@pytest.mark.parametrize(
    "command",
    [
        "delete from level_state",
        "delete from meta",
        "update meta set value = '[' where key = 'counters'",
        "update meta set value = '{\"piece\": 0}' where key = 'counters'",
        "delete from row where kind = 'level'",
        "update row set id = 'wall', crc = null, payload = json_set(payload, '$.id', 'wall') where kind = 'placement'",
        "update row set id = 'x-²', crc = null, payload = json_set(payload, '$.id', 'x-²') where kind = 'placement'",
    ],
)
def test_missing_rows_and_odd_ids_open(bench: Bench, command: str) -> None:
    bench.do("add_shape", shape=BOX)
    bench.project.close()
    with closing(sqlite3.connect(bench.path)) as db:
        db.execute("pragma foreign_keys = off")
        db.execute(command)
        db.commit()
    bench.project = Project(bench.path)
    assert bench.project.view(bench.level).summary.placements == 1
    made = bench.do("add_shape", shape=BOX).changed
    assert len({r.id for r in made}) == 2
    assert bench.project.view(bench.level).summary.placements == 2
    bench.whole()


# -- temporary folders -


def test_folders_of_killed_servers_are_removed_and_others_are_kept(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    mine, dead = Scratch(), Scratch()
    (dead.folder / "mesh-0").write_bytes(b"left")
    fcntl.flock(dead._lock, fcntl.LOCK_UN)
    (tmp_path / "able-brick-making").mkdir()
    (tmp_path / "letters").mkdir()
    assert remove_abandoned() == 1
    assert mine.folder.exists()
    assert not dead.folder.exists()
    os.utime(tmp_path / "able-brick-making", (0, 0))
    assert remove_abandoned() == 1
    mine.close()
    assert [p.name for p in tmp_path.iterdir()] == ["letters"]


def test_a_copy_of_a_project_in_use_is_whole(bench: Bench, tmp_path: Path) -> None:
    bench.do("add_shape", shape=BOX)
    bench.project.save_copy(tmp_path / "copy.db")
    with closing(Project(tmp_path / "copy.db")) as copy:
        assert copy.snapshot == bench.project.snapshot
        assert json.loads(copy.view_bytes(bench.level)[0]) == json.loads(bench.project.view_bytes(bench.level)[0])


MAKER = """
import sys
from pathlib import Path
from able_brick.core.errors import StorageError
from able_brick.session.project import Project
try:
    project = Project(Path(sys.argv[1]))
    project.create_level("Trial")
    project.close()
    print("made")
except StorageError as error:
    print(error)
"""


def test_many_who_make_a_project_at_once_make_one(tmp_path: Path) -> None:
    path = tmp_path / "new.db"
    words = [sys.executable, "-c", MAKER, str(path)]
    makers = [subprocess.Popen(words, stdout=subprocess.PIPE, text=True) for _ in range(4)]
    told = [m.communicate()[0].strip() for m in makers]
    assert "made" in told
    assert all(t == "made" or "already open" in t or "in use" in t for t in told), told
    with closing(Project(path)) as project:
        assert len(project.snapshot.levels) == told.count("made")
    assert [p.name for p in tmp_path.iterdir()] == ["new.db"]


def test_what_a_killed_maker_left_is_removed(tmp_path: Path) -> None:
    for name in (".new.db.making-dead", ".new.db.making-dead-wal"):
        (tmp_path / name).write_bytes(b"half")
        os.utime(tmp_path / name, (0, 0))
    Project(tmp_path / "new.db").close()
    assert [p.name for p in tmp_path.iterdir()] == ["new.db"]
