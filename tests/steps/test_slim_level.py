"""Slimming all of a level by how near a player comes, within a budget."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.errors import AbleBrickError
from able_brick.core.slim.viewing import pixels
from able_brick.core.walk.nearness import EYES, NEAREST, from_anywhere, from_way
from able_brick.level.rows import Piece
from able_brick.steps.draft import Draft
from able_brick.steps.nearness import nearness_of
from tests.steps.test_slim import Sheet
from tests.thorough import by_day, long
from tests.zoo import bumpy_ball


@pytest.fixture
def sheet() -> Sheet:
    """A dense ball near a player's way, another one of the same form far from it, a box that is as it must be."""
    made = Sheet()
    made.do("add_shape", shape={"kind": "box", "width": 1.0}, position=(0, 0, -3))
    for at in ((4, 0, 3), (8, 0, 3)):
        near = made.row("piece-2").id if at[0] == 8 else made.keep(bumpy_ball(32), "Near")
        made.do("place_piece", near, position=at)
    far = made.keep(bumpy_ball(33), "Far")
    made.do("place_piece", far, position=(5, 0, 60))
    made.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (12, 0, 0)}], smooth=False)
    return made


def piece(sheet: Sheet, name: str) -> Piece:
    return next(p for p in sheet.snapshot.pieces.values() if p.name == name)


def total(sheet: Sheet) -> int:
    """Triangles of the level with the first rungs."""
    near, far = (p.ladder.rungs[0].triangles for p in (piece(sheet, "Near"), piece(sheet, "Far")) if p.ladder)
    return 2 * near + far + 12


def test_distances_are_from_eyes_to_boxes() -> None:
    low, high = np.array([[2.0, 0, 5], [0, 4, 0], [-1, -9, -1]]), np.array([[3.0, 3, 6], [1, 5, 1], [1, -6, 1]])
    way = np.array([[0.0, 0, 0], [2.5, 0, 0]])
    assert from_way(way, low, high) == pytest.approx([5.0, 4 - EYES, EYES + 6], abs=1e-9)
    assert from_anywhere(low, high) == pytest.approx([NEAREST, 4 - EYES, 6])


@long
def test_what_stands_far_from_the_way_has_fewer_triangles_and_shows_no_more(sheet: Sheet) -> None:
    planned = sheet.do("slim_level", budget=10**6, pixels=2.0, way="path-1", only_plan=True)
    assert not planned.edits
    first, *lines = planned.note.split("\n")
    assert len(lines) == 3
    change = sheet.do("slim_level", budget=10**6, pixels=2.0, way="path-1")
    near, far = piece(sheet, "Near"), piece(sheet, "Far")
    assert near.ladder is not None and far.ladder is not None
    draft = Draft(sheet.snapshot, "level-1", sheet.load)
    away = nearness_of(draft, (near, far), "path-1")
    assert (away[near.id].uses, away[far.id].uses) == (2, 1)
    assert away[far.id].distance > 10 * away[near.id].distance
    assert near.ladder.rungs[0].triangles > 2 * far.ladder.rungs[0].triangles
    for row, ladder in ((near, near.ladder), (far, far.ladder)):
        for k, rung in enumerate(ladder.rungs):
            assert pixels(rung.largest, away[row.id].distance * (1, 3, 9)[k]) <= 2.0 * (1 + 1e-9)
    assert first.startswith(change.note.split("; ")[-1].split(" tris")[0])
    assert sheet.snapshot.pieces[near.id].mesh == near.ladder.source


def test_the_budget_holds_and_the_near_keeps_more(sheet: Sheet) -> None:
    sheet.do("slim_level", budget=3000, pixels=0.2, way="path-1")
    assert 2900 < total(sheet) <= 3000
    near, far = piece(sheet, "Near").ladder, piece(sheet, "Far").ladder
    assert near is not None and far is not None
    assert near.rungs[0].triangles > 1.5 * far.rungs[0].triangles


@pytest.mark.parametrize("budget", by_day([3000, 20_000], [3000, 9000, 20_000]))
def test_what_is_bent_counts_as_it_stands(sheet: Sheet, budget: int) -> None:
    """A rail of long quads, divided wherever its course bends, has many times the triangles of its piece."""
    sheet.do(
        "add_shape",
        shape={"kind": "cylinder", "radius": 0.3, "height": 4.0, "sides": 48},
        position=(0, 0, 30),
    )
    rail = max(sheet.snapshot.pieces, key=lambda k: int(k.split("-")[1]))
    bow = [{"position": p} for p in ((0, 0, 90), (9, 0, 96), (18, 0, 88), (27, 0, 97))]
    sheet.do("draw_path", points=bow, smooth=True)
    path = next(t.id for t in sheet.snapshot.of("level-1").values() if t.kind == "path" and t.id != "path-1")
    sheet.do("lay_course", path, piece=rail, bend=True)
    before = sheet.summary().triangles
    of_rail = sheet.snapshot.pieces[rail].facts.triangles
    assert before > 2 * bumpy_ball(32).triangle_count + bumpy_ball(33).triangle_count + 9 * of_rail
    planned = sheet.do("slim_level", budget=budget, pixels=0.2, way="path-1", only_plan=True).note
    change = sheet.do("slim_level", budget=budget, pixels=0.2, way="path-1", result="first rungs")
    told_before, told_after = (int(n.replace("\u202f", "")) for n in planned.split(" tris")[0].split(" → "))
    assert told_before == before
    after = sheet.summary().triangles
    assert after == told_after, "what is planned is what comes"
    assert after <= budget or "over the budget" in change.note
    if budget > 3000:
        assert after <= budget


def test_first_rungs_take_the_place_of_pieces(sheet: Sheet) -> None:
    sheet.do("slim_level", budget=3000, pixels=0.2, way="path-1", result="first rungs")
    assert sheet.summary().triangles <= 3000
    near = piece(sheet, "Near")
    assert near.slim is not None and near.ladder is not None
    assert near.ladder.source == near.mesh
    assert len(near.ladder.rungs) == 2


def test_what_cannot_be_reached_is_told_and_a_way_that_is_gone_is_refused(sheet: Sheet) -> None:
    change = sheet.do("slim_level", budget=1, only_plan=True)
    assert "over the budget" in change.note
    with pytest.raises(AbleBrickError, match="not in the level"):
        sheet.do("slim_level", way="path-9")
    with pytest.raises(AbleBrickError, match="Nothing stands"):
        Sheet().do("slim_level")


def test_a_shared_budget_leaves_more_to_what_is_near(sheet: Sheet) -> None:
    both = [piece(sheet, n).id for n in ("Near", "Far")]
    sheet.do("share_budget", *both, target="count", triangles=2400, weigh="by nearness", way="path-1")
    near, far = (sheet.snapshot.pieces[p].facts.triangles for p in both)
    assert 2 * near + far <= 2400
    assert near > 1.5 * far
