"""Steps, journal, undo, adjusting, previews, two levels, restarts."""

from __future__ import annotations

import sqlite3
import threading
from pathlib import Path
from typing import Any

import pytest

from able_brick.core.errors import (
    AbleBrickError,
    GeometryError,
    HistoryError,
    StaleRevisionError,
    StorageError,
    UnknownIdError,
)
from able_brick.session.delta import Delta
from able_brick.session.project import Project
from able_brick.steps.parse import parse_tool
from able_brick.store.mesh_codec import decode, encode
from tests.session.bench import Bench
from tests.zoo import ZOO

STEPS: list[tuple[str, tuple[str, ...], dict[str, Any]]] = [
    ("add_shape", (), {"shape": {"kind": "box", "width": 4.0}, "name": "Wall"}),
    ("add_shape", (), {"shape": {"kind": "cylinder", "sides": 8}, "position": (3.3, 0.0, 1.2)}),
    ("add_shape", (), {"shape": {"kind": "plane"}}),
    ("move", ("placement-2",), {"by": (0.1, 0.2, 0.3)}),
    ("turn", ("placement-1", "placement-2"), {"angle": 37.0, "about_what": "middle"}),
    ("set_pose", ("placement-1",), {"size": (1.0, 2.0, 1.0)}),
    ("set_pivot", ("placement-1",), {"anchor": {"x": "low", "y": "low", "z": "high"}}),
    ("snap_to_grid", ("placement-1", "placement-2"), {}),
    ("duplicate", ("placement-1",), {"distance": 3.2, "count": 3}),
    ("duplicate", ("placement-2",), {"linked": False}),
    ("line_array", ("placement-3",), {"count": 5}),
    ("adjust_array", ("array-1",), {"count": 7, "spacing_by": "metres", "spacing": 2.5}),
    ("draw_path", (), {"points": [{"position": (0, 0, 0)}, {"position": (9, 0, 2)}, {"position": (15, 1, 9)}]}),
    ("lay_course", ("path-1",), {"piece": "piece-1"}),
    ("adjust_course", ("course-1",), {"fit": "number", "number": 4}),
    ("edit_path", ("path-1",), {"points": [{"position": (0, 0, 0)}, {"position": (30, 0, 0)}], "smooth": False}),
    ("set_pivot", ("piece-1",), {"place": "centre of mass", "outcome": "numbers stay"}),
    ("place_piece", ("piece-2",), {"position": (5, 0, 5), "turn": (0, 45, 0)}),
    ("rename", ("course-1",), {"name": "Quay"}),
    ("slim", ("piece-2",), {"target": "count", "triangles": 10, "result": "same piece"}),
    ("level_settings", (), {"step": 0.25, "budget": 100}),
    ("delete", ("placement-1", "path-1"), {}),
]


def test_every_step_is_undone_and_redone_across_restarts(bench: Bench) -> None:
    states = [bench.state()]
    for tool, selection, params in STEPS:
        bench.do(tool, *selection, **params)
        states.append(bench.state())
    for k in range(len(STEPS) - 1, -1, -1):
        if k % 5 == 0:
            bench.reopen()
        bench.undo()
        assert bench.state() == states[k], STEPS[k]
    with pytest.raises(HistoryError, match="nothing to undo"):
        bench.undo()
    bench.reopen()
    for k in range(len(STEPS)):
        bench.redo()
        assert bench.state() == states[k + 1], STEPS[k]
    with pytest.raises(HistoryError, match="nothing to redo"):
        bench.redo()


def test_adjusting_is_one_journal_entry_and_keeps_ids(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box", "width": 1.0})
    first = bench.do("duplicate", "placement-1", distance=2.0, count=2)
    again = bench.adjust("duplicate", distance=5.0, count=3)
    assert first.select == ["placement-2", "placement-3"]
    assert again.select == ["placement-2", "placement-3", "placement-4"]
    rows, _, _ = bench.state()
    assert rows["placement-4"].position == (15.0, 0.0, 0.0)
    fewer = bench.adjust("duplicate", distance=5.0, count=1)
    assert fewer.removed == ["placement-3", "placement-4"] or set(fewer.removed) == {"placement-3", "placement-4"}
    bench.undo()
    assert set(bench.state()[0]) == {"level-1", "piece-1", "placement-1"}
    bench.redo()
    assert bench.state()[0]["placement-2"].position == (5.0, 0.0, 0.0)
    with pytest.raises(HistoryError, match="last step is duplicate, not move"):
        bench.adjust("move", by=(1, 0, 0))


def test_previews_change_nothing_but_serve_their_meshes(bench: Bench) -> None:
    before = bench.state()
    revision = bench.project.revision(bench.level)
    delta = bench.project.preview(
        bench.level, parse_tool("add_shape", {"shape": {"kind": "box", "width": 9.0}}), (), revision
    )
    assert bench.state() == before
    piece = next(r for r in delta.changed if r.kind == "piece")
    assert bench.project.meshes.view_glb(piece.mesh)[:4] == b"glTF"
    assert bench.project.revision(bench.level) == revision
    bench.do("add_shape", shape={"kind": "box", "width": 1.0})
    revision = bench.project.revision(bench.level)
    tool = parse_tool("add_shape", {"shape": {"kind": "box", "width": 3.0}})
    shown = bench.project.preview(bench.level, tool, (), revision, adjust_last=True)
    assert next(r for r in shown.changed if r.kind == "piece").facts.high[0] == 1.5
    assert bench.state()[0]["piece-1"].facts.high[0] == 0.5


def test_a_failed_step_changes_nothing(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    before, revision = bench.state(), bench.project.revision(bench.level)
    for tool, selection, params in (
        ("duplicate", ("placement-1",), {"distance": 0.0}),
        ("duplicate", ("placement-1",), {"count": 100_001}),
        ("duplicate", (), {}),
        ("move", ("placement-99",), {}),
        ("delete", ("piece-1",), {}),
        ("add_shape", (), {"shape": {"kind": "box", "width": -1.0}}),
        ("draw_path", (), {"points": [{"position": (0, 0, 0)}, {"position": (0, 0, 0)}]}),
        ("set_pose", ("placement-1",), {"size": (0.0, 1.0, 1.0)}),
        ("lay_course", ("placement-1",), {"piece": "piece-1"}),
    ):
        with pytest.raises(AbleBrickError):
            bench.do(tool, *selection, **params)
        assert bench.state() == before
        assert bench.project.revision(bench.level) == revision


def test_a_stale_revision_is_refused_and_nothing_is_lost_between_two_writers(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    with pytest.raises(StaleRevisionError, match="changed meanwhile"):
        bench.project.step(bench.level, parse_tool("add_shape", {"shape": {"kind": "box"}}), (), 0)
    done: list[int] = []

    def write() -> None:
        for _ in range(10):
            while True:
                try:
                    bench.do("add_shape", shape={"kind": "plane"})
                    done.append(1)
                    break
                except StaleRevisionError:
                    continue

    writers = [threading.Thread(target=write) for _ in range(2)]
    for w in writers:
        w.start()
    for w in writers:
        w.join()
    assert len(done) == 20
    rows, _, _ = bench.state()
    assert sum(r.kind == "placement" for r in rows.values()) == 21


def test_a_pivot_moves_in_every_level_and_undo_sees_changes_elsewhere(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box", "width": 2.0})
    other = bench.project.create_level("Other").id
    bench.do("place_piece", "piece-1", level=other, position=(7.0, 0.0, 0.0))
    heard: list[Delta] = []
    bench.project.listen(lambda _, make: heard.append(make()))
    bench.do("set_pivot", "piece-1", anchor={"x": "low", "y": "low", "z": "low"})
    assert {d.level for d in heard} == {bench.level, other}
    moved = {r.id: r for r in bench.project.view(other).changed}["placement-2"]
    assert moved.position == (6.0, 0.0, -0.5)
    bench.do("rename", "piece-1", level=other, name="Renamed there")
    with pytest.raises(HistoryError, match="changed since, in another level"):
        bench.undo()
    bench.undo(other)
    bench.undo()
    assert {r.id: r for r in bench.project.view(other).changed}["placement-2"].position == (7.0, 0.0, 0.0)


def test_new_steps_forget_what_was_undone_and_its_meshes(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box", "width": 1.0})
    made = bench.do("add_shape", shape={"kind": "cylinder", "sides": 9})
    mesh = next(r for r in made.changed if r.kind == "piece").mesh
    bench.undo()
    bench.reopen()
    assert bench.project.meshes.get(mesh).face_count == 11
    bench.do("add_shape", shape={"kind": "plane"})
    bench.reopen()
    with pytest.raises(UnknownIdError, match="no mesh"):
        bench.project.meshes.get(mesh)


def test_only_one_program_opens_a_file_and_other_files_are_refused(bench: Bench, tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="already open"):
        Project(bench.path)
    other = tmp_path / "letter.db"
    other.write_bytes(b"Dear artist, this is no project file at all. " * 100)
    with pytest.raises(StorageError, match="not a project file"):
        Project(other)


def test_a_file_of_another_version_is_refused_in_words_and_left_alone(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.project.close()
    with sqlite3.connect(bench.path) as db:
        db.execute("update row set crc = null")
        db.execute("update row set payload = replace(payload, '\"position\"', '\"place\"') where kind = 'placement'")
    db.close()
    with pytest.raises(StorageError, match=r"cannot read \(placement\.place"):
        Project(bench.path)
    with sqlite3.connect(bench.path) as db:
        db.execute("update row set crc = null")
        db.execute("update row set payload = replace(payload, '\"place\"', '\"position\"') where kind = 'placement'")
    db.close()
    bench.project = Project(bench.path)
    assert len(bench.state()[0]) == 3


@pytest.mark.parametrize("name", ZOO)
def test_meshes_are_stored_without_loss(name: str) -> None:
    mesh = ZOO[name]()
    assert decode(encode(mesh)).content_hash == mesh.content_hash
    with pytest.raises(StorageError, match="format 99"):
        decode(encode(mesh), 99)


def test_absurd_courses_are_refused_where_they_arise(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box", "width": 0.002, "height": 0.002, "depth": 0.002})
    bench.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (5000, 0, 0)}])
    with pytest.raises(GeometryError, match="Ask for fewer"):
        bench.do("lay_course", "path-1", piece="piece-1")
