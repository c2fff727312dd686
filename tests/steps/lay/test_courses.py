"""Courses: rhythm, corners, joints, findings, and what they are told as."""

from __future__ import annotations

import contextlib

import numpy as np
import pytest

from able_brick.core.errors import AbleBrickError, InputError, SelectionError
from able_brick.core.text import millimetres
from able_brick.level.drawn import drawn, glb_of
from able_brick.level.evaluate import items_of, shown_items
from able_brick.level.rows import Group
from tests.steps.lay.yard import CORNERED, SMOOTH, placements, places_of
from tests.steps.test_steps import Sheet
from tests.thorough import by_day


def test_a_wall_round_a_corner_has_posts_a_gate_and_a_gap_and_follows(sheet: Sheet) -> None:
    sheet.do("draw_path", points=CORNERED, smooth=False)
    laid = sheet.do(
        "lay_course", "path-1", piece="piece-1", first="piece-2", last="piece-2", corner="piece-2", bend=True
    )
    assert "ends closed exactly" in laid.note
    (course,) = laid.select or ()
    before = items_of(sheet.snapshot, sheet.row(course))
    assert before is not None
    sheet.do("swap_items", course, piece="piece-3", items=[2])
    sheet.do("swap_items", course, becomes="nothing", items=[4])
    row = sheet.row(course)
    assert row.pieces == ("piece-1", "piece-2", "piece-3")
    shown = items_of(sheet.snapshot, row)
    assert shown is not None
    assert shown.item(4) is None
    look, _ = shown.item(2) or pytest.fail("the gate is not there")
    assert look.piece.id == "piece-3"
    sheet.do("path_points", "path-1", does="put in", at=1.5)
    points = [p.model_dump() for p in sheet.row("path-1").points]
    points[2]["position"] = (26.0, 0.0, 10.0)
    sheet.do("edit_path", "path-1", points=points, smooth=False)
    now = items_of(sheet.snapshot, sheet.row(course))
    assert now is not None
    assert now.count != shown.count
    assert (now.item(2) or pytest.fail("the gate went"))[0].piece.id == "piece-3"
    sheet.do("swap_items", course, becomes="as usual", items=[2])
    assert sheet.row(course).pieces == ("piece-1", "piece-2")


def test_courses_follow_their_piece_and_count_truly(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    (course,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=True).select or ()
    shown = items_of(sheet.snapshot, sheet.row(course))
    assert shown is not None
    meshes = [b.drawable.mesh(sheet.meshes.__getitem__).triangle_count * len(b.numbers) for b in shown.batches]
    lone = sheet.summary().triangles - 12 * 2 - sheet.snapshot.pieces["piece-3"].facts.triangles
    assert lone == sum(meshes)
    sheet.do("set_dimensions", "piece-1", shape={"kind": "box", "width": 2.0, "height": 3.0, "depth": 0.6})
    after = items_of(sheet.snapshot, sheet.row(course))
    assert after is not None
    assert after.count == pytest.approx(2 * shown.count, abs=1)


def test_what_is_drawn_stands_where_the_items_are(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    (course,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=True).select or ()
    shown = shown_items(sheet.snapshot, sheet.row(course))
    assert shown is not None
    views = drawn(shown, sheet.meshes.__getitem__)
    numbers = sorted(int(n) for v in views for n in v.numbers)
    assert numbers == list(range(shown.count))
    for view in views:
        if view.mesh is not None:
            assert glb_of(view.mesh, sheet.meshes.__getitem__)
        if view.box is not None:
            assert (view.box[0] <= view.box[1]).all()
    again = drawn(shown, sheet.meshes.__getitem__)
    assert [v.mesh for v in again] == [v.mesh for v in views], "the same is called the same"


@pytest.mark.parametrize("bend", [False, True])
def test_made_real_stands_where_it_was_seen(sheet: Sheet, bend: bool) -> None:
    sheet.do("draw_path", points=SMOOTH)
    (course,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=bend).select or ()
    before = sheet.vertices() if not bend else None
    seen = placements(sheet)
    change = sheet.do("make_real", course)
    (made,) = change.select or ()
    assert course not in sheet.snapshot.of("level-1")
    if bend:
        assert "closed" in change.note
        piece = sheet.snapshot.pieces[sheet.row(made).piece]
        assert piece.facts.closed
    else:
        assert isinstance(sheet.row(made), Group)
        assert placements(sheet) == seen
        assert before is not None
        now = sheet.vertices()
        each = np.concatenate([v for k, v in now.items() if sheet.row(k).group == made])
        assert np.sort(each.reshape(-1, 3), axis=0) == pytest.approx(np.sort(before[course].reshape(-1, 3), axis=0))
    pieces = sheet.do("lay_course", "path-1", piece="piece-1", bend=True)
    real = sheet.do("make_real", (pieces.select or ())[0], result="placements")
    assert isinstance(sheet.row((real.select or ())[0]), Group)


def test_joints_are_shared_and_given_back(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("lay_course", "path-1", piece="piece-1", bend=True)
    sheet.do("lay_course", "path-1", piece="piece-2", bend=True, up=3.0, stations="course-1")
    one, two = (items_of(sheet.snapshot, sheet.row(f"course-{k}")) for k in (1, 2))
    assert one is not None
    assert two is not None
    assert one.count == two.count
    with pytest.raises(AbleBrickError, match="its own"):
        sheet.do("adjust_course", "course-1", piece="piece-1", stations="course-2")
    sheet.do("delete", "course-1")
    assert sheet.row("course-2").stations is None


def test_findings_say_where_and_the_remedy_mends(sheet: Sheet) -> None:
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 12.0}, name="Deep")
    points = [{"position": p} for p in ((0, 0, 0), (12, 0, 0), (14, 0, 12))]
    sheet.do("draw_path", points=points)
    sheet.do("lay_course", "path-1", piece="piece-4", bend=True, running="x", corner_angle=180)
    tight = [f for f in sheet.summary().findings if f.code == "tight"]
    assert tight
    assert tight[0].place is not None
    remedy = tight[0].remedy
    assert remedy is not None
    assert "Ease the corner to" in remedy.title
    sheet.do(remedy.tool, *remedy.selection, **remedy.params)
    assert not [f for f in sheet.summary().findings if f.code == "tight"]
    sheet.do("draw_path", points=[{"position": (0, 0, 30)}, {"position": (5.3, 0, 30)}])
    sheet.do("lay_course", "path-2", piece="piece-1")
    (stretch,) = [f for f in sheet.summary().findings if f.code == "stretch"]
    remedy = stretch.remedy
    assert remedy is not None
    sheet.do(remedy.tool, *remedy.selection, **remedy.params)
    assert not [f for f in sheet.summary().findings if f.code == "stretch"]


def test_what_bends_does_not_reach_beyond_its_path(sheet: Sheet) -> None:
    sheet.do("draw_path", points=[{"position": p} for p in ((0, 0, 0), (2.5, 0, 0), (2.5, 0, 2.5))], smooth=False)
    for params in ({"fit": "spacing", "spacing": 3.0}, {"fit": "number", "number": 1}):
        sheet.do("lay_course", "path-1", piece="piece-1", corner_angle=45.0, **params)
        with pytest.raises(AbleBrickError, match=r"4\.00 m long, and what it is to bend along 2\.50 m\. Fill"):
            sheet.do("lay_course", "path-1", piece="piece-1", corner_angle=45.0, bend=True, **params)
    sheet.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (10, 0, 0)}])
    params = {"piece": "piece-2", "pattern": ["piece-1"], "fit": "spacing", "spacing": 3.0}
    sheet.do("lay_course", "path-2", **params)
    with pytest.raises(AbleBrickError, match=r"reach 1\.20 m beyond"):
        sheet.do("lay_course", "path-2", bend=True, **params)
    # nor does a path become too short for what bends along it
    sheet.do("lay_course", "path-2", piece="piece-1", fit="spacing", spacing=3.0, bend=True)
    with pytest.raises(AbleBrickError, match=r"bend along 3\.00 m"):
        sheet.do("set_path_length", "path-2", length=3.0)


def test_a_path_that_turns_back_is_told_of_what_stands_on_it(sheet: Sheet) -> None:
    sheet.do("draw_path", points=[{"position": p} for p in ((0, 0, 0), (20, 0, 0), (0, 0, 0.5))], smooth=False)
    for bend in (False, True):
        (laid,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=bend, corner_angle=180.0).select or ()
        (told,) = [f for f in sheet.summary().findings if f.thing == laid and f.label.startswith("turns")]
        assert told.label == "turns 179°"
        assert told.place == pytest.approx((20, 0, 0))


def test_next_to_nothing_is_told_as_people_write_it(sheet: Sheet) -> None:
    sheet.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (0.0034, 0, 0)}])
    note = sheet.do("lay_course", "path-1", piece="piece-1").note
    assert "stretch to 0.085 % of the length" in note
    (told,) = sheet.summary().findings
    assert "stretched to 0.085 % of the length on 3.4 mm; 4.00 m or 8.00 m would fit" in told.text
    assert [millimetres(v) for v in (0.22, 0.0083, 0.00000123, 12.5, 0.0)] == [
        "220 mm",
        "8.3 mm",
        "0.0012 mm",
        "12.50 m",
        "0 mm",
    ]


@pytest.mark.parametrize("length", by_day([0.001, 1.0], [0.001, 1.0, 1e5]))
@pytest.mark.parametrize("bend", [False, True])
def test_paths_of_any_length_are_laid_or_refused(sheet: Sheet, length: float, bend: bool) -> None:
    for points in (
        [(0, 0, 0), (length, 0, 0)],
        [(0, 0, 0), (length, 0, 0), (length, 0, length), (0, 0, length / 2)],
        [(0, 0, 0), (length, 0, 0), (length / 2, 0, 0)],
    ):
        for smooth in (False, True):
            path = sheet.do("draw_path", points=[{"position": p} for p in points], smooth=smooth)
            with contextlib.suppress(AbleBrickError):
                sheet.do("lay_course", (path.select or ())[0], piece="piece-1", bend=bend)
            assert all(np.isfinite(v).all() for v in places_of(sheet)), "what was laid can be shown"


def test_a_drawn_course_is_a_path_with_a_course_laid_along_it(sheet: Sheet) -> None:
    piece = next(iter(sheet.snapshot.pieces))
    points = [{"position": p} for p in ((0.0, 0.0, 0.0), (8.0, 0.0, 0.0), (14.0, 0.0, 6.0))]
    for stand in (piece, sheet.do("place_piece", piece).select[0]):
        (course,) = sheet.do("draw_course", stand, points=points, bend=True, gap=0.1).select or ()
        path = sheet.row(course).path
        (again,) = sheet.do("draw_path", points=points).select or ()
        (laid,) = sheet.do("lay_course", again, piece=piece, bend=True, gap=0.1).select or ()
        apart_from_names = {"id", "name", "path"}
        one, other = (sheet.row(r).model_dump(exclude=apart_from_names) for r in (course, laid))
        assert one == other
        one, other = (sheet.row(r).model_dump(exclude={"id", "name"}) for r in (path, again))
        assert one == other
    with pytest.raises(SelectionError, match="Select a piece on the shelf or a placement"):
        sheet.do("draw_course", again, points=points)
    with pytest.raises(InputError):
        sheet.do("draw_course", piece, points=points[:1])
