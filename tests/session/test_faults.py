"""Whatever fails while something is written leaves file and memory as they were: each statement in turn, a full disk,
a lock of another program, and what is raised between two writes."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import event

from able_brick.core.errors import AbleBrickError, StorageError
from able_brick.core.files.scene import Instance, Material, Scene, ScenePart
from able_brick.level.recipe import Recipe
from able_brick.session.importing import pieces_of
from able_brick.steps.import_pieces import ImportPieces
from able_brick.steps.parse import parse_tool
from able_brick.store.tables import TABLES
from tests.core.test_formats import BRICKS
from tests.session.bench import Bench
from tests.zoo import ZOO


def in_file(path: Path) -> dict[str, list[Any]]:
    """All that is stored, table by table."""
    with closing(sqlite3.connect(path)) as db:
        return {t: sorted(db.execute(f'select * from "{t}"').fetchall(), key=repr) for t in sorted(TABLES.tables)}


def bring_in(bench: Bench) -> None:
    scene = Scene(
        (ScenePart("Ball", ZOO["ball"](), (Material("Stone", texture=BRICKS),)),), (Instance(0, "B", np.eye(4)),)
    )
    pieces, meshes, textures = pieces_of(scene)
    tool = ImportPieces(file="ball.glb", pieces=pieces, groups=(), place=True)
    revision = bench.project.revision(bench.level)
    bench.project.step(bench.level, tool, (), revision, meshes=meshes, textures=textures)


def work(bench: Bench) -> None:
    bench.project.work(bench.level, parse_tool("slim", {"share": 50.0}), ("piece-1",), lambda _s, _w: None)


CHANGES: dict[str, Callable[[Bench], Any]] = {
    "a step": lambda b: b.do("add_shape", shape={"kind": "wedge"}),
    "a step on what is shared": lambda b: b.do("rename", "piece-1", name="Wall"),
    "a file that comes in": bring_in,
    "adjusting": lambda b: b.adjust("add_shape", shape={"kind": "cylinder"}),
    "undo": lambda b: b.undo(),
    "redo": lambda b: b.redo(),
    "long work": work,
    "a new level": lambda b: b.project.create_level("New"),
    "a copied level": lambda b: b.project.duplicate_level(b.level, "Copy"),
    "a deleted level": lambda b: b.project.delete_level(b.level),
    "a level that comes back": lambda b: b.project.restore_level("level-3"),
    "a recipe": lambda b: b.project.recipes.keep(Recipe.model_validate({"name": "H", "rungs": [{"value": 5}]})),
    "a picture of the shelf": lambda b: b.project.pictures.keep_thumbnail(
        b.rows()["piece-1"].mesh + "00000000", BRICKS.data
    ),
}


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    """Two levels, another one that was deleted, and steps that can be undone and made again."""
    made = Bench(tmp_path / "trial.db")
    made.other()
    made.do("add_shape", shape={"kind": "box"})
    made.project.delete_level(made.project.duplicate_level(made.level, "Gone").id)
    made.do("add_shape", shape={"kind": "box", "width": 3.0})
    made.do("add_shape", shape={"kind": "wedge"})
    made.undo()
    return made


def memory(bench: Bench) -> Any:
    now = bench.project._ledger.now
    return now.snapshot, now.states, dict(bench.project._ledger.removed)


@contextmanager
def failing(bench: Bench, at: int, error: Exception) -> Iterator[list[str]]:
    """The statement of that number fails, be it the commit; what had been sent until then."""
    sent: list[str] = []
    engine = bench.project._file._engine

    def before(_conn: Any, _cursor: Any, statement: str, *_: Any) -> None:
        if statement.startswith("SELECT"):
            return
        sent.append(statement)
        if len(sent) - 1 == at:
            raise error

    def commit(_conn: Any) -> None:
        sent.append("COMMIT")
        if len(sent) - 1 == at:
            raise error

    event.listen(engine, "before_cursor_execute", before)
    event.listen(engine, "commit", commit)
    try:
        yield sent
    finally:
        event.remove(engine, "before_cursor_execute", before)
        event.remove(engine, "commit", commit)


ERRORS: dict[str, Callable[[], Exception]] = {
    "full": lambda: sqlite3.OperationalError("database or disk is full"),
    "broken": lambda: sqlite3.OperationalError("disk I/O error"),
    "no disk": lambda: OSError(28, "No space left on device"),
    "anything": lambda: RuntimeError("something between two writes"),
}


@pytest.mark.parametrize("what", CHANGES)
def test_whichever_statement_fails_nothing_has_changed(bench: Bench, what: str) -> None:
    before, stood = in_file(bench.path), memory(bench)
    at = 0
    while True:
        error = list(ERRORS.values())[at % len(ERRORS)]()
        try:
            with failing(bench, at, error) as sent:
                CHANGES[what](bench)
        except (AbleBrickError, sqlite3.Error, OSError, RuntimeError):
            assert len(sent) == at + 1, "nothing is sent after what failed"
        else:
            break
        assert in_file(bench.path) == before, f"statement {at}: {sent[-1]}"
        now = memory(bench)
        assert now[0] is stood[0] and now[1] is stood[1] and now[2] == stood[2], f"statement {at}: {sent[-1]}"
        at += 1
    assert at >= 3, "begin, a write or more, and the commit"
    assert sent[-1] == "COMMIT"
    assert in_file(bench.path) != before, "then it is done"
    bench.reopen()
    assert bench.project.read_only is None


@pytest.mark.parametrize("what", [w for w in CHANGES if w not in ("a picture of the shelf", "a recipe")])
def test_a_file_that_may_not_grow_stays_as_it_was(bench: Bench, what: str) -> None:
    before, stood = in_file(bench.path), memory(bench)
    with bench.project._file.writing() as connection:
        pages = connection.exec_driver_sql("pragma page_count").scalar()

    def bound(connection: Any, _record: Any, _proxy: Any) -> None:
        connection.execute(f"pragma max_page_count = {pages}")

    event.listen(bench.project._file._engine, "checkout", bound)
    refused = 0
    for _ in range(40):
        try:
            CHANGES[what](bench)
        except AbleBrickError as error:
            refused += isinstance(error, StorageError) and "full" in str(error)
            break
        before, stood = in_file(bench.path), memory(bench)
    assert in_file(bench.path) == before
    assert memory(bench)[0] is stood[0]
    if what == "a file that comes in":
        assert refused, "a mesh needs room"
    bench.whole()


def test_a_lock_of_another_program_is_waited_for_and_told(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    before, stood = in_file(bench.path), memory(bench)

    def impatient(connection: Any, _record: Any, _proxy: Any) -> None:
        connection.execute("pragma busy_timeout = 50")

    event.listen(bench.project._file._engine, "checkout", impatient)
    with closing(sqlite3.connect(bench.path, isolation_level=None)) as other:
        other.execute("begin immediate")
        with pytest.raises(StorageError, match="locked"):
            bench.do("add_shape", shape={"kind": "box"})
        assert bench.project.view(bench.level).summary.placements == 2, "who looks does not wait"
        other.execute("rollback")
    assert in_file(bench.path) == before
    assert memory(bench)[0] is stood[0]
    bench.do("add_shape", shape={"kind": "box"})


def test_every_change_is_on_the_disk_before_it_is_acknowledged(bench: Bench) -> None:
    """As the open connection has it, also after others were opened."""
    for _ in range(2):
        with bench.project._file.writing() as connection:
            asked = ("synchronous", "journal_mode", "foreign_keys")
            assert [connection.exec_driver_sql(f"pragma {p}").scalar() for p in asked] == [2, "wal", 1]
        bench.project._file._engine.dispose()


def test_undo_twice_a_step_a_restart_and_nothing_to_make_again(bench: Bench) -> None:
    bench.redo()
    state = bench.state()
    bench.undo()
    bench.undo()
    bench.reopen()
    bench.redo()
    bench.redo()
    assert bench.state()[0] == state[0], "made again after a restart"
    bench.undo()
    bench.undo()
    bench.do("place_piece", "piece-1")
    bench.reopen()
    with pytest.raises(AbleBrickError, match="nothing to redo"):
        bench.redo()
    bench.undo()
    bench.redo()
    bench.whole()
    with closing(sqlite3.connect(bench.path)) as db:
        assert db.execute("select count(*) from journal where place > 2").fetchone() == (0,)
