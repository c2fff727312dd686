"""Large levels: what is shown for many, read when it is wanted, and kept once."""

from __future__ import annotations

import sqlite3

import numpy as np
import pytest

from able_brick.core.cache import BUDGET
from able_brick.core.errors import GeometryError, HistoryError, SelectionError, StorageError
from able_brick.level.amounts import forms_in, items_in
from able_brick.level.evaluate import Summary, items_of, summary
from able_brick.level.rows import Placement
from able_brick.level.snapshot import Snapshot
from able_brick.level.texts import Texts
from able_brick.level.things import Things
from able_brick.steps import checks
from able_brick.steps.parse import parse_tool
from able_brick.store.entry import Entry, packed, unpacked
from tests.session.bench import Bench
from tests.thorough import long
from tests.zoo import ZOO

MANY = 2500


def test_a_preview_of_many_copies_shows_them_all_by_one_placement(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"}, position=(0.1, 0.2, 0.3))
    project, level = bench.project, bench.level
    tool = parse_tool("duplicate", {"distance": 1.7, "count": MANY, "axis": "z"})
    shown = project.preview(level, tool, ("placement-1",), project.revision(level))
    made = project.step(level, tool, ("placement-1",), project.revision(level))
    assert len(shown.changed) < 4 and len(made.changed) > MANY
    assert shown.summary == made.summary
    assert shown.note == made.note
    ((key, (run,)),) = shown.items.items()
    assert key in {r.id for r in shown.changed}
    rows = [r for r in made.changed if isinstance(r, Placement)]
    assert np.array_equal(np.array(run.rows), [(*r.position, *r.turn, *r.size) for r in rows])
    again = project.preview(
        level,
        parse_tool("duplicate", {"distance": 1.7, "count": 600, "axis": "z"}),
        (),
        project.revision(level),
        adjust_last=True,
    )
    assert again.summary.placements == 601
    assert len(again.removed) == MANY - 1


@long
def test_a_preview_counts_copies_in_a_group_that_is_repeated(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("make_group", "placement-1", name="Row")
    bench.do("line_array", "group-1", count=3, spacing_by="metres", spacing=4000.0)
    project, level = bench.project, bench.level
    tool = parse_tool("duplicate", {"distance": 1.7, "count": 600, "axis": "z"})
    shown = project.preview(level, tool, ("placement-1",), project.revision(level))
    made = project.step(level, tool, ("placement-1",), project.revision(level))
    assert shown.summary == made.summary
    assert made.summary.placements == 3 * 601


def test_a_long_step_is_undone_after_a_restart_and_one_that_is_damaged_is_told(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("duplicate", "placement-1", distance=1.1, count=MANY)
    state = bench.state()
    bench.reopen()
    bench.undo()
    assert len(bench.project.snapshot.of(bench.level)) == 1
    bench.redo()
    assert bench.state() == state
    path = bench.project.path
    bench.project.close()
    with sqlite3.connect(path) as file:
        (edits,) = file.execute("SELECT edits FROM journal WHERE place = 2").fetchone()
        assert len(edits) > 2**14
        file.execute("UPDATE journal SET edits = ? WHERE place = 2", (edits[:2000] + bytes(64) + edits[2064:],))
    bench.reopen()
    with pytest.raises(StorageError, match="Step 2 of the history"):
        bench.undo()
    assert bench.state() == state
    bench.do("move", "placement-7", by=(1, 0, 0))
    bench.undo()
    assert bench.state()[0] == state[0]


def test_edits_are_packed_and_unpacked_unchanged(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("delete", "placement-1")
    state = bench.project._ledger.now.states[bench.level]
    assert state.last is not None
    edits = state.last.edits
    entry = Entry(1, bench.level, 1, "delete", {}, (), "", adjustable=True, packed=packed(edits, Texts()))
    assert unpacked(entry) == edits


def test_many_rows_like_one_are_rows_with_other_values() -> None:
    one = Placement(id="placement-1", level="level-1", name="Post", piece="piece-1", turn=(0, 1, 0, 0))
    values = [{"id": f"placement-{k}", "name": f"Post {k}", "position": (0.5 * k, 1.0, 2.0)} for k in range(2, 9)]
    made = list(one.like(values))
    assert made == [one.changed(**v) for v in values]
    assert [Placement.model_validate_json(r.model_dump_json()) for r in made] == made
    with pytest.raises(GeometryError, match="position"):
        list(one.like([{"position": (float("nan"), 0.0, 0.0)}]))
    with pytest.raises(GeometryError, match="10 000 km"):
        one.changed(position=(1e8, 0, 0))


def test_what_a_file_held_is_not_kept_with_the_step_that_brought_it_in(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    mesh = bench.project.snapshot.pieces["piece-1"].mesh
    piece = {"name": "Post", "mesh": mesh, "materials": (), "stands": [("Post", (1, 2, 3), (0, 0, 0, 1), (1, 1, 1))]}
    delta = bench.do("import_pieces", file="posts.glb", pieces=[piece], place=True)
    assert delta.history.last is not None
    assert delta.history.last.params == {"file": "posts.glb", "place": True}
    state = bench.state()
    bench.undo()
    bench.reopen()
    bench.redo()
    assert bench.state()[0] == state[0]


def test_a_level_shows_no_more_items_than_it_may(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(checks, "MOST_SHOWN", 1000)
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("duplicate", "placement-1", distance=2.0, count=9)
    everything = [f"placement-{k}" for k in range(1, 11)]
    bench.do("make_group", *everything, name="Row")
    bench.do("line_array", "group-1", count=100, spacing_by="metres", spacing=3.0, axis="z")
    assert items_in(bench.project.snapshot.context(bench.level)) == bench.state()[2].placements == 1000
    for tool, selection, params in (
        ("adjust_array", "group-1", {"count": 101, "spacing_by": "metres", "spacing": 3.0, "axis": "z"}),
        ("place_piece", "piece-1", {}),
        ("duplicate", "placement-1", {"distance": 5.0, "axis": "y"}),
    ):
        with pytest.raises(SelectionError, match=r"would show 1.* items; 1.000 are possible"):
            bench.do(tool, selection, **params)
    monkeypatch.setattr(checks, "MOST_SHOWN", 10)
    # where there are more already, what makes none, or fewer, is done
    bench.do("move", "placement-1", by=(0.0, 0.1, 0.0))
    bench.do("adjust_array", "group-1", count=50, spacing_by="metres", spacing=3.0, axis="z")
    with pytest.raises(SelectionError, match=r"1.000 items"):
        bench.do("adjust_array", "group-1", count=100, spacing_by="metres", spacing=3.0, axis="z")
    with pytest.raises(HistoryError, match=r"1.000 items"):
        bench.undo()


def test_a_course_of_a_shorter_piece_shows_no_more_items_either(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(checks, "MOST_SHOWN", 60)
    bench.do("add_shape", shape={"kind": "box", "width": 2.0})
    bench.do("draw_path", points=[{"position": (0, 0, 9)}, {"position": (40, 0, 9)}])
    bench.do("lay_course", "path-1", piece="piece-1")
    with pytest.raises(SelectionError, match=r"would show 81 items; 60 are possible"):
        bench.do("set_dimensions", "piece-1", shape={"kind": "box", "width": 0.5, "height": 0.3, "depth": 0.3})
    bench.do("set_dimensions", "piece-1", shape={"kind": "box", "width": 1.0, "depth": 0.3})
    assert items_in(bench.project.snapshot.context(bench.level)) == 41


def test_nor_does_a_course_along_a_shorter_side_of_its_piece(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 0.5, "depth": 0.5})
    bench.do("draw_path", points=[{"position": (0, 0, 9)}, {"position": (40, 0, 9)}])
    bench.do("lay_course", "path-1", piece="piece-1", running="x")
    quarter = {
        "place": "typed",
        "point": (0.0, 0.0, 0.0),
        "axes": "turned",
        "turn": (0, 90, 0),
        "outcome": "numbers stay",
    }
    monkeypatch.setattr(checks, "MOST_SHOWN", 60)
    with pytest.raises(SelectionError, match=r"would show 81 items; 60 are possible"):
        bench.do("set_pivot", "piece-1", **quarter)
    monkeypatch.setattr(checks, "MOST_SHOWN", 100)
    bench.do("set_pivot", "piece-1", **quarter)
    assert items_in(bench.project.snapshot.context(bench.level)) == 81


def test_courses_have_no_more_forms_than_a_level_may(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(checks, "MOST_FORMS", 12)
    bench.do("add_shape", shape={"kind": "box", "width": 2.0})
    bow = [{"position": p} for p in ((0, 0, 0), (14, 0, 6), (30, 0, -4))]
    bench.do("draw_path", points=bow, smooth=True)
    with pytest.raises(SelectionError, match="items that are each bent otherwise; 12 are possible"):
        bench.do("lay_course", "path-1", piece="piece-1", bend=True)
    (course,) = bench.do("lay_course", "path-1", piece="piece-1").select or ()
    with pytest.raises(SelectionError, match="bent otherwise"):
        bench.do("adjust_course", course, piece="piece-1", bend=True)
    # an even bend has one form, however long it is
    monkeypatch.setattr(checks, "MOST_FORMS", 60)
    straight = bench.do("draw_path", points=[{"position": (0, 0, 40)}, {"position": (200, 0, 40)}]).select or ()
    bench.do("lay_course", *straight, piece="piece-1", bend=True)
    # where there are more already, what makes none, or fewer, is done
    bench.do("adjust_course", course, piece="piece-1", bend=True)
    monkeypatch.setattr(checks, "MOST_FORMS", 3)
    bench.do("move", "placement-1", by=(0.0, 0.1, 0.0))
    bench.do("set_dimensions", "piece-1", shape={"kind": "box", "width": 4.0})
    with pytest.raises(SelectionError, match="bent otherwise"):
        bench.do("set_dimensions", "piece-1", shape={"kind": "box", "width": 1.0})


def test_forms_are_counted_once_in_groups_that_are_repeated_and_between_two_paths(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box", "width": 2.0})
    bow = [{"position": p} for p in ((0, 0, 0), (14, 0, 6), (30, 0, -4))]
    bench.do("draw_path", points=bow, smooth=True)
    bench.do("lay_course", "path-1", piece="piece-1", bend=True)

    def forms() -> tuple[int, int]:
        """As they are counted, and by the meshes that all items of the level are drawn with."""
        context = bench.project.snapshot.context(bench.level)
        shown = [s for c in context.things.runs_and_paths if (s := items_of(bench.project.snapshot, c)) is not None]
        deformers = (b.drawable.deformer for s in shown for b in s.batches)
        return forms_in(context), len({d.key for d in deformers if d is not None})

    once = forms()
    assert once[0] == once[1] == 17
    bench.do("make_group", "path-1", name="Bow")
    bench.do("line_array", "group-1", count=5, spacing_by="metres", spacing=50.0, axis="z")
    assert bench.state()[2].placements == 1 + 5 * 17
    assert forms() == once
    bench.do("draw_path", points=[{"position": (x, 3 + x / 9, z - 1)} for x, _, z in (p["position"] for p in bow)])
    bench.do("lay_course", "path-1", piece="piece-1", bend=True, between="path-2")
    added = forms()
    assert added[0] == added[1] > once[0]


def test_items_are_counted_as_they_are_shown(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("draw_path", points=[{"position": (0, 0, 9)}, {"position": (20, 0, 9)}])
    bench.do("lay_course", "path-1", piece="piece-1")
    bench.do("line_array", "placement-1", count=4)
    bench.do("make_group", "array-1", "path-1", name="All")
    bench.do("live_mirror", "group-1", through="point", point=(0.0, 0.0, -5.0))
    bench.do("make_group", "group-1", name="Over")
    bench.do("line_array", "group-2", count=3, spacing_by="metres", spacing=90.0)
    context = bench.project.snapshot.context(bench.level)
    assert items_in(context) == bench.state()[2].placements == 6 * (4 + 10)


def test_counts_are_reckoned_anew_only_where_something_of_them_changes(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("duplicate", "placement-1", distance=2.0, count=4)

    def told() -> Summary:
        snapshot = bench.project.snapshot
        anew = Snapshot(snapshot.pieces, snapshot.levels, {k: Things(t) for k, t in snapshot.things.items()})
        now = summary(snapshot, bench.level, bench.project.meshes.get)
        assert now == summary(anew, bench.level, bench.project.meshes.get)
        return now

    first = told()
    bench.do("move", "placement-1", by=(0.0, 0.1, 0.0))
    assert told() is first
    for tool, selection, params in (
        ("rename", ["placement-2"], {"name": "Post"}),
        ("duplicate", ["placement-1"], {"distance": 2.0, "axis": "z"}),
        ("delete", ["placement-1"], {}),
        ("level_settings", [], {"budget": 20}),
        ("make_group", ["placement-2", "placement-3"], {"name": "Pair"}),
        ("line_array", ["group-1"], {"count": 3, "spacing_by": "metres", "spacing": 30.0}),
        ("set_dimensions", ["piece-1"], {"shape": {"kind": "box", "along_x": 3}}),
    ):
        before = told()
        bench.do(tool, *selection, **params)
        assert told() is not before, tool
        bench.undo()
        assert told() == before, tool
        bench.redo()
        told()


def test_what_had_to_go_is_found_again(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.do("add_shape", shape={"kind": "box", "along_x": 3})
    points = [{"position": (0, 0, 9)}, {"position": (9, 0, 9)}, {"position": (9, 0, 20)}]
    bench.do("draw_path", points=points)
    bench.do("lay_course", "path-1", piece="piece-1", bend=True)
    shelf = bench.project.meshes
    own = bench.rows()["piece-1"].mesh
    bent = {run.mesh for runs in bench.state()[1].values() for run in runs if run.mesh is not None}
    assert bent
    before = {key: bench.project.view_glb(key) for key in (own, *bent)}
    kept = shelf.get(own)
    monkeypatch.setattr(BUDGET, "most", 0)
    for k in range(3):  # whatever is kept now lets go of all that may go
        shelf.remember({f"{k}": ZOO["box"]()})
    assert BUDGET.bytes < 10_000
    monkeypatch.undo()
    assert shelf.get(own) is not kept
    assert shelf.get(own).content_hash == kept.content_hash == own
    assert {key: bench.project.view_glb(key) for key in (own, *bent)} == before
    assert bench.state()[2].placements > 1
