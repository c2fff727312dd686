"""Steps of two levels that share a kit, one after the other without a look between: what cannot conflict is taken."""

from __future__ import annotations

from typing import Any

import pytest

from able_brick.core.errors import HistoryError, StaleRevisionError
from able_brick.session.delta import Delta
from able_brick.steps.parse import parse_tool
from tests.session.bench import Bench

BOX = {"kind": "box", "width": 2.0, "height": 1.0, "depth": 1.0}


@pytest.fixture
def other(bench: Bench) -> str:
    """A wall and a post stand in both levels, the wall also in a group and along a path; the second level's id."""
    other = bench.other()
    bench.do("add_shape", shape=BOX, name="Wall")
    bench.do("add_shape", shape={**BOX, "width": 0.3}, name="Post")
    for level in (bench.level, other):
        bench.do("place_piece", "piece-1", position=(5, 0, 0), level=level)
        bench.do("place_piece", "piece-2", position=(9, 0, 0), level=level)
    bench.do("make_group", "placement-5", level=other)
    bench.do("place_piece", "piece-1", position=(5, 0, 8), level=other)
    bench.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (9, 0, 0)}], level=other)
    bench.do("lay_course", "path-1", piece="piece-1", level=other)
    return other


def at(bench: Bench, level: str, revision: int, tool: str, *selection: str, **params: Any) -> Delta:
    """A step by whoever last saw that revision."""
    return bench.project.step(level, parse_tool(tool, params), selection, revision)


def test_what_has_nothing_to_do_with_a_piece_goes_on_beside_its_change(bench: Bench, other: str) -> None:
    seen = bench.project.revision(other)
    for width in (2.5, 3.0):
        bench.do("set_dimensions", "piece-1", shape={**BOX, "width": width})
    assert bench.project.revision(other) == seen + 2, "tabs are told of each"
    delta = at(bench, other, seen, "move", "placement-6", by=(0, 0, 1))
    assert delta.revision == seen + 3
    for after, step in enumerate((("place_piece", "piece-2"), ("add_shape",))):
        bench.do("set_dimensions", "piece-1", shape={**BOX, "width": 4.0 + after})
        at(bench, other, delta.revision + 2 * after, *step)
    bench.whole()


@pytest.mark.parametrize(
    ("tool", "selection", "params"),
    [
        ("move", ["placement-7"], {"by": (0, 0, 1)}),
        ("set_dimensions", ["piece-1"], {"shape": {**BOX, "width": 9.0}}),
        ("place_piece", ["piece-1"], {}),
        ("replace_piece", ["placement-6"], {"by": "piece-1", "where": "selected"}),
        ("move", ["group-1"], {"by": (0, 0, 1)}),
        ("reverse_path", ["path-1"], {}),
        ("duplicate", ["placement-6", "course-1"], {}),
        ("dock", ["placement-6"], {"grip": {"thing": "placement-7", "kind": "vertex", "index": 0}}),
    ],
)
def test_what_has_to_do_with_it_is_refused(
    bench: Bench, other: str, tool: str, selection: list[str], params: dict[str, Any]
) -> None:
    seen = bench.project.revision(other)
    bench.do("set_dimensions", "piece-1", shape={**BOX, "width": 2.5})
    before = bench.state(other)
    with pytest.raises(StaleRevisionError):
        at(bench, other, seen, tool, *selection, **params)
    assert bench.state(other) == before


def test_what_the_level_itself_has_done_makes_old_ones_stale(bench: Bench, other: str) -> None:
    seen = bench.project.revision(other)
    bench.do("move", "placement-6", by=(0, 0, 1), level=other)
    bench.do("set_dimensions", "piece-1", shape={**BOX, "width": 2.5})
    for revision in (seen, seen + 3, -1):
        with pytest.raises(StaleRevisionError):
            at(bench, other, revision, "move", "placement-6", by=(0, 0, 1))
    at(bench, other, seen + 1, "move", "placement-6", by=(0, 0, 1))


def test_pieces_that_stay_where_they_stand_change_other_levels(bench: Bench, other: str) -> None:
    seen = bench.project.revision(other)
    bench.do("set_pivot", "piece-1", place="typed", point=(0.5, 0, 0))
    with pytest.raises(StaleRevisionError):
        at(bench, other, seen, "move", "placement-6", by=(0, 0, 1))


def test_undo_goes_on_beside_the_change_of_a_piece(bench: Bench, other: str) -> None:
    bench.do("move", "placement-6", by=(0, 0, 1), level=other)
    seen = bench.project.revision(other)
    bench.do("set_dimensions", "piece-1", shape={**BOX, "width": 2.5})
    assert bench.project.undo(other, seen).revision == seen + 2
    with pytest.raises(StaleRevisionError):
        bench.project.redo(other, seen)
    # what the level did to the piece itself is found changed
    bench.do("set_dimensions", "piece-2", shape={**BOX, "width": 0.5}, level=other)
    seen = bench.project.revision(other)
    bench.do("set_dimensions", "piece-2", shape={**BOX, "width": 0.7})
    with pytest.raises(HistoryError):
        bench.project.undo(other, seen)
    bench.whole()


def test_after_a_start_only_the_revision_that_stands_counts(bench: Bench, other: str) -> None:
    seen = bench.project.revision(other)
    bench.do("set_dimensions", "piece-1", shape={**BOX, "width": 2.5})
    bench.reopen()
    with pytest.raises(StaleRevisionError):
        at(bench, other, seen, "move", "placement-6", by=(0, 0, 1))
    bench.do("set_dimensions", "piece-1", shape={**BOX, "width": 3.5})
    bench.project.delete_level(other)
    bench.project.restore_level(other)
    for revision in range(seen, seen + 3):
        with pytest.raises(StaleRevisionError):
            at(bench, other, revision, "move", "placement-6", by=(0, 0, 1))


def test_previews_and_settings_of_the_last_step_go_on_as_well(bench: Bench, other: str) -> None:
    bench.do("move", "placement-6", by=(0, 0, 1), level=other)
    seen = bench.project.revision(other)
    bench.do("set_dimensions", "piece-1", shape={**BOX, "width": 2.5})
    more, wrong = parse_tool("move", {"by": (0, 0, 2)}), parse_tool("duplicate", {})
    assert bench.project.preview(other, more, ("placement-6",), seen).revision == seen
    with pytest.raises(StaleRevisionError):
        bench.project.preview(other, wrong, ("placement-7",), seen)
    assert bench.project.adjust_last(other, more, seen).revision == seen + 2
