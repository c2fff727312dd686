"""Levels as wholes: duplicated, deleted, brought back; beside others that share their pieces."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.errors import HistoryError, InputError, UnknownIdError
from able_brick.session.project import Project
from tests.session.bench import Bench

BEND = [{"position": (0, 0, 0)}, {"position": (8, 0, 0)}, {"position": (12, 0, 5)}]


def furnished(bench: Bench) -> None:
    """Groups nested, mirrored and sized unevenly, locked; a path with its course; an array; a measure."""
    bench.do("add_shape", shape={"kind": "wedge", "width": 2.0, "height": 1.0, "depth": 1.0})
    bench.do("place_piece", "piece-1", position=(4, 0, 1), turn=(0, 30, 0))
    bench.do("set_pose", "placement-2", size=(-1, 2, 0.5))
    bench.do("make_group", "placement-1", "placement-2", name="Inner")
    bench.do("place_piece", "piece-1", position=(0, 0, 9))
    bench.do("make_group", "group-1", "placement-3", name="Outer")
    bench.do("draw_path", points=BEND)
    bench.do("lay_course", "path-1", piece="piece-1")
    bench.do("place_piece", "piece-1", position=(20, 0, 0))
    bench.do("line_array", "placement-4", count=5)
    bench.do("keep_measure", start=(0, 0, 0), end=(3, 0, 4))
    bench.do("set_marks", "group-2", lock=True)


def test_a_copy_stands_as_its_level_and_is_changed_on_its_own(bench: Bench) -> None:
    furnished(bench)
    copy = bench.project.duplicate_level(bench.level, "Trial 2")
    ours, theirs = bench.vertices(), bench.vertices(copy.id)
    assert len(theirs) == len(ours)
    assert not set(ours) & set(theirs)
    for a, b in zip(ours.values(), theirs.values(), strict=True):
        np.testing.assert_array_equal(a, b)
    rows = bench.rows(copy.id)
    names = {r.name: r for r in rows.values() if r.kind in ("group", "path", "course", "measure")}
    assert rows[names["Inner"].group].name == "Outer"
    assert names["Outer"].locked
    assert names["Wedge course"].path == names["Path"].id
    assert bench.project.view(copy.id).history.last is None
    bench.do("move", names["Path"].id, level=copy.id, by=(0, 0, 7))
    np.testing.assert_array_equal(bench.vertices()["course-1"], ours["course-1"])
    bench.whole()


def test_a_deleted_level_comes_back_with_its_history(bench: Bench) -> None:
    other = bench.other()
    furnished(bench)
    before, revision = bench.state(), bench.project.revision(bench.level)
    bench.project.delete_level(bench.level)
    assert list(bench.project.snapshot.levels) == [other]
    assert [g.row.name for g in bench.project.removed] == ["Trial"]
    with pytest.raises(UnknownIdError, match="There is no level"):
        bench.do("draw_path", points=BEND)
    bench.project.restore_level(bench.level)
    assert bench.state() == before
    assert bench.project.revision(bench.level) == revision + 1
    bench.undo()
    bench.redo()
    assert bench.state() == before
    bench.whole()
    with pytest.raises(UnknownIdError, match="cannot be brought back"):
        bench.project.restore_level(bench.level)


def test_a_deleted_level_is_gone_after_a_restart_and_its_journal_too(bench: Bench) -> None:
    other = bench.other()
    furnished(bench)
    bench.project.delete_level(bench.level)
    bench.level = other
    bench.whole()
    assert bench.project.removed == []
    # no number is given twice
    made = bench.do("add_shape", shape={"kind": "box"}).changed
    assert {r.id for r in made} == {"piece-2", "placement-5"}


def test_the_only_level_stays(bench: Bench) -> None:
    with pytest.raises(HistoryError, match="Trial is the only level; make another one first"):
        bench.project.delete_level(bench.level)
    assert bench.project.snapshot.level(bench.level).name == "Trial"


def test_pieces_that_changed_meanwhile_are_told_by_name(bench: Bench) -> None:
    other = bench.other()
    bench.do("add_shape", shape={"kind": "box"}, name="Crate")
    bench.do("add_shape", shape={"kind": "box"}, name="Post", position=(4, 0, 0))
    bench.do("place_piece", "piece-1", level=other)
    stood = bench.vertices()
    bench.project.delete_level(bench.level)
    # what stands nowhere any more may be deleted
    bench.do("delete", "piece-2", level=other)
    with pytest.raises(HistoryError, match=r"Post was deleted from the shelf since\. Undo that first"):
        bench.project.restore_level(bench.level)
    bench.undo(other)
    bench.do("set_pivot", "piece-1", place="typed", point=(0.5, 0, 0.5), level=other)
    with pytest.raises(HistoryError, match=r"The pivot of Crate was moved since\. Set it back first"):
        bench.project.restore_level(bench.level)
    bench.undo(other)
    bench.project.restore_level(bench.level)
    for name, points in bench.vertices().items():
        np.testing.assert_array_equal(points, stood[name])
    bench.whole()


def test_steps_that_reached_into_a_deleted_level_are_still_undone(bench: Bench) -> None:
    other = bench.other()
    bench.do("add_shape", shape={"kind": "box"}, name="Crate")
    bench.do("place_piece", "piece-1", level=other, position=(3, 0, 0))
    # the pivot moves for all placements, also in the other level
    bench.do("set_pivot", "piece-1", place="typed", point=(0.5, 0, 0.5))
    bench.project.delete_level(other)
    bench.undo()
    assert bench.rows()["piece-1"].pivot == (0.0, 0.0, 0.0)
    bench.redo()
    bench.adjust("set_pivot", place="typed", point=(-0.5, 0, 0.5))
    bench.undo()
    bench.redo()
    bench.whole()


def test_levels_have_names_that_can_be_shown(bench: Bench) -> None:
    for name in ("", "  ", "a\x00b"):
        with pytest.raises(InputError):
            bench.project.duplicate_level(bench.level, name)
    assert len(bench.project.snapshot.levels) == 1


def test_a_level_that_goes_when_the_disk_is_full_stays(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.other()
    furnished(bench)
    before = bench.state()

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("able_brick.session.project.write_rows", full)
    with pytest.raises(OSError, match="No space"):
        bench.project.delete_level(bench.level)
    monkeypatch.undo()
    assert bench.state() == before
    assert bench.project.removed == []
    assert isinstance(bench.project, Project)
    bench.whole()
