"""Arrays, groups that are repeated, live mirrors, single items."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.errors import AbleBrickError
from able_brick.level.evaluate import items_of
from able_brick.level.rows import Array, Group
from able_brick.session.delta import derived_items, level_delta
from able_brick.session.history import history_view
from tests.steps.lay.yard import placements
from tests.steps.test_steps import Sheet


def test_rings_go_round_and_grids_fill(sheet: Sheet) -> None:
    (ring,) = sheet.do("line_array", "placement-2", form="ring", count=6, radius=5.0).select or ()
    row = sheet.row(ring)
    assert isinstance(row, Array)
    poses = row.poses(sheet.snapshot.pieces["piece-2"])
    centre = np.array([5.0, 0.0, 0.0])
    assert np.linalg.norm(poses.positions - centre, axis=1) == pytest.approx(np.full(6, 5.0))
    gaps = np.linalg.norm(poses.positions - np.roll(poses.positions, 1, axis=0), axis=1)
    assert gaps == pytest.approx(np.full(6, 5.0))
    sheet.do("adjust_array", ring, form="ring", count=4, radius=5.0, sweep=90.0, turned=False)
    part = sheet.row(ring).poses(sheet.snapshot.pieces["piece-2"])
    assert (part.turns == part.turns[0]).all()
    sheet.do("adjust_array", ring, form="grid", count=3, rows=2, layers=4)
    grid = sheet.row(ring).poses(sheet.snapshot.pieces["piece-2"])
    assert len(np.unique(np.round(grid.positions, 9), axis=0)) == 24
    assert np.ptp(grid.positions, axis=0) == pytest.approx([0.8, 12.0, 0.4])
    sheet.do("adjust_array", ring, form="line", count=5, spacing_by="fitted", spacing=10.0)
    line = sheet.row(ring).poses(sheet.snapshot.pieces["piece-2"])
    assert np.ptp(line.positions[:, 0]) + 0.4 == pytest.approx(10.0)


def test_groups_repeat_nested_and_what_is_in_them_follows(sheet: Sheet) -> None:
    sheet.do("line_array", "placement-2", count=3, spacing=2.0)
    two = ("array-1", "placement-3")
    (group,) = sheet.do("line_array", *two, form="line", axis="z", count=4, spacing=2.0).select or ()
    assert isinstance(sheet.row(group), Group)
    assert placements(sheet) == 1 + 4 * (3 + 1)
    (outer,) = sheet.do("make_group", group).select or ()
    sheet.do("line_array", outer, count=2, spacing_by="metres", spacing=40.0)
    assert placements(sheet) == 1 + 2 * 4 * (3 + 1)
    before = items_of(sheet.snapshot, sheet.row("placement-3"))
    sheet.do("move", "placement-3", by=(0.0, 1.0, 0.0))
    after = items_of(sheet.snapshot, sheet.row("placement-3"))
    assert before is not None
    assert after is not None
    up = after.batches[0].poses.positions - before.batches[0].poses.positions
    assert up == pytest.approx(np.tile([0.0, 1.0, 0.0], (8, 1)), abs=1e-9)
    sheet.do("swap_items", outer, becomes="nothing", items=[1])
    assert placements(sheet) == 1 + 4 * (3 + 1)
    with pytest.raises(AbleBrickError, match="possible"):
        sheet.do("adjust_array", group, form="grid", count=300, rows=300)
    sheet.do("swap_items", outer, becomes="as usual", items=[1])
    with pytest.raises(AbleBrickError, match="Ask for fewer"):
        sheet.do("adjust_array", group, form="grid", axis="z", count=200, rows=200)
    made = sheet.do("make_real", outer)
    assert "made" in made.note
    sheet.do("end_array", group)
    assert placements(sheet) == 1 + 4 * 4 + 4


def test_what_stays_is_told_when_something_leaves_a_group_that_is_repeated(sheet: Sheet) -> None:
    sheet.do("move", "placement-2", by=(9.0, 0.0, 0.0))
    sheet.do("line_array", "placement-1", "placement-2", count=3)
    load = sheet.meshes.__getitem__
    gone = sheet.do("delete", "placement-2")
    now = derived_items(sheet.snapshot, "level-1", None, load)["placement-1"]
    told = level_delta(
        sheet.snapshot,
        "level-1",
        gone.edits,
        revision=1,
        history=history_view(None),
        select=None,
        note="",
        load=load,
    )
    assert [r.model_dump_json() for r in told.items["placement-1"]] == [r.model_dump_json() for r in now]


def test_a_live_mirror_shows_the_other_half(sheet: Sheet) -> None:
    sheet.do("move", "placement-3", by=(3.0, 0.0, 0.0))
    (half,) = sheet.do("live_mirror", "placement-3", through="point", point=(0.0, 0.0, 0.0)).select or ()
    shown = items_of(sheet.snapshot, sheet.row("placement-3"))
    assert shown is not None
    assert shown.count == 2
    world = sheet.vertices()["placement-3"]
    image = world[0] * (-1, 1, 1)
    assert {tuple(p) for p in np.round(image, 9)} == {tuple(p) for p in np.round(world[1], 9)}
    for batch in shown.batches:
        assert (batch.poses.sizes > 0).all()
    sheet.do("end_array", half)
    assert len(sheet.vertices()["placement-3"]) == 1


def test_single_items_of_arrays_are_swapped(sheet: Sheet) -> None:
    (row,) = sheet.do("line_array", "placement-1", count=5).select or ()
    sheet.do("swap_items", row, piece="piece-2", items=[1])
    sheet.do("swap_items", row, becomes="nothing", items=[3])
    shown = items_of(sheet.snapshot, sheet.row(row))
    assert shown is not None
    found = [shown.item(k) for k in range(5)]
    assert [f and f[0].piece.name for f in found] == ["Wall", "Post", "Wall", None, "Wall"]
    sheet.do("swap_items", row, becomes="as usual", items=[1, 3])
    one = sheet.do("make_real", row, result="one mesh")
    assert "One mesh" in one.note
    facts = sheet.snapshot.pieces[sheet.row((one.select or ())[0]).piece].facts
    assert facts.closed
    assert facts.faces == 5 * 6 - 4 * 2
