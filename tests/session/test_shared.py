"""Two levels that share a kit: what one of them does never breaks or moves the other."""

from __future__ import annotations

import sqlite3
from functools import partial
from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import AbleBrickError, HistoryError, SelectionError
from tests.session.bench import Bench

BOX = {"kind": "box", "width": 2.0, "height": 1.0, "depth": 1.0}


@pytest.fixture
def other(bench: Bench) -> str:
    """A box is drawn in the first level; the second level's id."""
    bench.do("add_shape", shape=BOX, name="Wall")
    return bench.other()


def refused(bench: Bench, match: str, kind: type[AbleBrickError], act: Any) -> None:
    """The act is refused in such words, and nothing changes, now or after a restart."""
    before = {key: bench.state(key) for key in bench.project.snapshot.levels}
    with pytest.raises(kind, match=match):
        act()
    assert {key: bench.state(key) for key in bench.project.snapshot.levels} == before
    bench.whole()


def test_a_piece_that_another_level_uses_is_not_undone_away(bench: Bench, other: str) -> None:
    bench.do("place_piece", "piece-1", level=other)
    refused(bench, r"Wall is still used 1 time \(Wall in Other\)", HistoryError, bench.undo)
    bench.undo(other)
    bench.undo()
    bench.whole()


def test_what_shows_a_deleted_piece_does_not_come_back(bench: Bench, other: str) -> None:
    bench.do("place_piece", "piece-1", level=other)
    bench.undo(other)
    bench.do("delete", "piece-1", "placement-1")
    gone = "Wall shows a piece that is not there.*Wall was taken away in Trial"
    refused(bench, gone, HistoryError, lambda: bench.redo(other))
    bench.undo()
    bench.redo(other)
    bench.do("delete", "placement-2", level=other)
    bench.do("delete", "piece-1", "placement-1")
    refused(bench, "taken away in Trial; bring it back there first", HistoryError, lambda: bench.undo(other))
    bench.undo()
    bench.undo(other)
    bench.whole()


@pytest.mark.parametrize("tool", ["make_independent", "duplicate_piece", "duplicate"])
def test_a_copy_that_another_level_uses_is_not_undone_away(bench: Bench, other: str, tool: str) -> None:
    bench.do("place_piece", "piece-1", position=(5, 0, 0))
    select = "piece-1" if tool == "duplicate_piece" else "placement-1"
    bench.do(tool, select, **({"linked": False} if tool == "duplicate" else {}))
    bench.do("place_piece", "piece-2", level=other)
    refused(bench, "in Other", HistoryError, bench.undo)


def test_a_step_made_again_keeps_the_ids_that_others_use(bench: Bench, other: str) -> None:
    bench.do("place_piece", "piece-1", level=other)
    bench.do("add_shape", shape=BOX, level=other)
    bench.adjust("add_shape", shape={**BOX, "width": 5.0}, name="Long wall")
    assert set(bench.rows()) == {"level-1", "piece-1", "piece-2", "placement-1"}
    assert bench.rows(other)["placement-2"].piece == "piece-1"
    assert bench.rows(other)["piece-1"].facts.high[0] == 2.5
    bench.whole()


def test_a_step_is_not_made_again_without_what_others_use(bench: Bench, other: str) -> None:
    bench.do("duplicate", "placement-1", linked=False)
    bench.do("place_piece", "piece-2", level=other)
    refused(bench, "in Other", SelectionError, lambda: bench.adjust("duplicate", linked=True))


def test_ids_are_never_given_twice(bench: Bench, other: str) -> None:
    bench.do("duplicate", "placement-1", count=3)
    bench.adjust("duplicate", count=1)
    bench.do("place_piece", "piece-1", level=other)
    bench.undo(other)
    made = bench.do("place_piece", "piece-1", level=other).select or []
    assert made == ["placement-6"], "neither those that were made and dropped, nor the one that was undone"


@pytest.mark.parametrize("outcome", ["pieces stay", "numbers stay"])
def test_a_pivot_is_not_undone_under_things_placed_by_it(bench: Bench, other: str, outcome: str) -> None:
    bench.do("set_pivot", "piece-1", anchor={"x": "low", "y": "low", "z": "low"}, outcome=outcome)
    bench.do("place_piece", "piece-1", level=other, position=(3, 0, 0))
    stood = bench.vertices(other)["placement-2"]
    for act in (bench.undo, lambda: bench.adjust("set_pivot", anchor={"x": "high", "y": "low", "z": "low"})):
        refused(bench, "Wall in Other was placed after “Set pivot” and would move", HistoryError, act)
    bench.undo(other)
    bench.undo()
    bench.redo(other)
    refused(bench, "placed after “Set pivot”", HistoryError, bench.redo)
    bench.undo(other)
    bench.redo()
    bench.redo(other)
    assert np.array_equal(bench.vertices(other)["placement-2"], stood)


def test_a_pivot_is_undone_under_things_that_were_there(bench: Bench, other: str) -> None:
    bench.do("place_piece", "piece-1", level=other, position=(3, 0, 0))
    for outcome, point in (("pieces stay", (0.3, 0.2, 0.1)), ("numbers stay", (0.4, 0.2, 0.1))):
        before = {key: bench.vertices(key) for key in (bench.level, other)}
        bench.do("set_pivot", "piece-1", place="typed", point=point, outcome=outcome)
        bench.undo()
        for key, stood in before.items():
            for thing, points in stood.items():
                assert np.array_equal(bench.vertices(key)[thing], points)
        bench.redo()


def test_a_baked_size_is_not_undone_under_things_placed_since(bench: Bench, other: str) -> None:
    bench.do("set_pose", "placement-1", size=(2, 1, 1))
    bench.do("bake_size", "placement-1", result="same piece")
    bench.do("place_piece", "piece-1", level=other)
    refused(bench, "placed after “Bake size”", HistoryError, bench.undo)


def test_baking_a_mirroring_size_leaves_other_levels_where_they_stand(bench: Bench, other: str) -> None:
    bench.do("set_pivot", "piece-1", place="typed", point=(0.3, 0.1, 0.2))
    for spacing in ("lengths", "metres"):
        (made,) = bench.do("place_piece", "piece-1", level=other, turn=(0, 30, 0)).select or []
        bench.do("line_array", made, level=other, count=4, spacing_by=spacing, spacing=3.0)
    bench.do("set_pose", "placement-1", size=(-1, 2, 1))
    before = {key: bench.vertices(key) for key in (bench.level, other)}
    bench.do("bake_size", "placement-1", result="same piece")
    for key, stood in before.items():
        for thing, points in stood.items():
            now = bench.vertices(key)[thing]
            assert np.abs(np.sort(now, axis=1) - np.sort(points, axis=1)).max() < 1e-9, thing
    bench.whole()


LOCKED: list[tuple[str, tuple[str, ...], dict[str, Any]]] = [
    ("set_pivot", ("piece-1",), {"place": "typed", "point": (1, 0, 0), "outcome": "numbers stay"}),
    ("set_dimensions", ("piece-1",), {"shape": {**BOX, "width": 3.0}}),
    ("bake_size", ("placement-1",), {"result": "same piece"}),
    ("replace_piece", ("piece-1",), {"by": "piece-2"}),
    ("slim", ("piece-1",), {"target": "count", "triangles": 8, "result": "same piece"}),
]


@pytest.mark.parametrize(("tool", "select", "params"), LOCKED)
@pytest.mark.parametrize("how", ["itself", "its group"])
def test_locks_hold_against_other_levels(
    bench: Bench, other: str, tool: str, select: tuple[str, ...], params: dict[str, Any], how: str
) -> None:
    bench.do("add_shape", shape={"kind": "cylinder"}, level=other, name="Drum")
    bench.do("place_piece", "piece-1", level=other)
    bench.do("set_pose", "placement-1", size=(2, 1, 1))
    lock = "placement-3"
    if how == "its group":
        (lock,) = bench.do("make_group", "placement-3", level=other).select or []
    bench.do("set_marks", lock, lock=True, level=other)
    name = "Wall" if how == "itself" else "Group"
    refused(bench, f"{name} in Other is locked", SelectionError, lambda: bench.do(tool, *select, **params))
    bench.do("set_marks", lock, lock=False, level=other)
    bench.do(tool, *select, **params)
    bench.do("set_marks", lock, lock=True, level=other)
    refused(bench, "in Other|changed since, in another level", HistoryError, bench.undo)


def test_a_pivot_under_which_pieces_stay_may_move_under_a_lock(bench: Bench, other: str) -> None:
    bench.do("place_piece", "piece-1", level=other)
    bench.do("set_marks", "placement-2", lock=True, level=other)
    before = bench.vertices(other)["placement-2"]
    bench.do("set_pivot", "piece-1", place="typed", point=(1, 0, 0))
    assert np.allclose(bench.vertices(other)["placement-2"], before)


def test_locks_hold_for_what_follows(bench: Bench) -> None:
    bench.do("add_shape", shape=BOX)
    bench.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (9, 0, 2)}])
    bench.do("lay_course", "path-1", piece="piece-1")
    bench.do("set_marks", "course-1", lock=True)
    for tool, params in (
        ("delete", {}),
        ("move", {"by": (1, 0, 0)}),
        ("edit_path", {"points": [{"position": (0, 0, 0)}, {"position": (19, 0, 2)}]}),
    ):
        act = partial(bench.do, tool, "path-1", **params)
        refused(bench, "course is locked", SelectionError, act)
    bench.do("make_group", "placement-1")
    bench.do("set_marks", "group-1", lock=True)
    refused(bench, "Group is locked", SelectionError, lambda: bench.do("place_piece", "piece-1", group="group-1"))


@pytest.mark.parametrize("kind", ["piece", "path", "group"])
def test_a_file_with_rows_that_point_at_nothing_opens_and_has_a_way_out(bench: Bench, kind: str) -> None:
    bench.do("add_shape", shape=BOX)
    bench.do("place_piece", "piece-1", position=(4, 0, 0))
    bench.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (9, 0, 2)}])
    bench.do("lay_course", "path-1", piece="piece-1")
    bench.do("make_group", "placement-1")
    bench.project.close()
    with sqlite3.connect(bench.path) as db:
        db.execute("delete from row where kind = ?", (kind,))
    db.close()
    bench.project = type(bench.project)(bench.path)
    findings = bench.project.view(bench.level).summary.findings
    assert {f.code for f in findings} == {f"missing_{kind}"}
    bench.check()
    for f in findings:
        if kind == "group":
            assert bench.project.view(bench.level).summary.placements == 2 + sum(
                len(r.rows) for r in bench.state()[1]["course-1"]
            )
            bench.do("put_into_group", f.thing, into=None)
        else:
            with pytest.raises(AbleBrickError):
                bench.do("duplicate", f.thing if kind == "piece" and f.thing != "course-1" else "placement-99")
            bench.do("delete", f.thing)
    assert not bench.project.view(bench.level).summary.findings
    bench.whole()


def test_groups_that_are_in_each_other_are_told_and_lose_nothing(bench: Bench) -> None:
    bench.do("add_shape", shape=BOX)
    bench.do("make_group", "placement-1")
    bench.do("make_group", "group-1")
    bench.project.close()
    with sqlite3.connect(bench.path) as db:
        text = """update row set crc = null, payload = json_set(payload, '$.group', 'group-1') where id = 'group-2'"""
        db.execute(text)
    db.close()
    bench.project = type(bench.project)(bench.path)
    bench.check()
    assert bench.project.view(bench.level).summary.placements == 1
    assert {f.code for f in bench.project.view(bench.level).summary.findings} == {"missing_group"}
    bench.do("put_into_group", "group-1", "group-2", into=None)
    assert not bench.project.view(bench.level).summary.findings


def test_groups_of_all_members_of_a_group_stay(bench: Bench) -> None:
    bench.do("add_shape", shape=BOX)
    bench.do("place_piece", "piece-1", position=(4, 0, 0))
    bench.do("make_group", "placement-1", "placement-2", name="Outer")
    bench.do("make_group", "placement-1", "placement-2", name="Inner")
    rows = bench.rows()
    assert rows["group-2"].group == "group-1"
    assert {rows[p].group for p in ("placement-1", "placement-2")} == {"group-2"}
    bench.whole()
    bench.do("put_into_group", "placement-1", "placement-2", into="group-1")
    rows = bench.rows()
    assert "group-2" not in rows
    assert {rows[p].group for p in ("placement-1", "placement-2")} == {"group-1"}
    bench.whole()


def test_deep_nests_are_refused_before_they_break_anything(bench: Bench) -> None:
    bench.do("add_shape", shape=BOX)
    for _ in range(64):
        bench.do("make_group", "placement-1")
    with pytest.raises(SelectionError, match="nested 65 deep; 64 are possible"):
        bench.do("make_group", "placement-1")
    bench.whole()
