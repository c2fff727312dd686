"""Starters and tools of paths."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.errors import AbleBrickError
from able_brick.level.rows import Path
from tests.steps.lay.yard import CORNERED, SMOOTH
from tests.steps.test_steps import Sheet


@pytest.mark.parametrize(
    ("form", "length", "closed"),
    [
        ("line", 20.0, False),
        ("rectangle", 60.0, True),
        ("circle", 2 * np.pi * 8, True),
        ("arc", np.pi * 4, False),
        ("S", None, False),
    ],
)
def test_starters_have_their_measures(sheet: Sheet, form: str, length: float | None, closed: bool) -> None:
    (made,) = sheet.do("path_starter", form=form, length=20.0, width=10.0, position=(3.0, 1.0, 2.0)).select or ()
    row = sheet.row(made)
    assert isinstance(row, Path)
    assert row.closed == closed
    if length is not None:
        assert row.curve().length == pytest.approx(length, rel=1e-5)
    else:
        ends = np.subtract(row.points[-1].position, row.points[0].position)
        assert ends == pytest.approx([20.0, 0.0, 10.0])
        assert not (row.guide(upright=False).corner_turns > 1e-4).any()


def test_points_are_put_in_without_changing_the_curve(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    before = sheet.row("path-1").curve()
    sheet.do("path_points", "path-1", does="put in", at=0.37)
    after = sheet.row("path-1").curve()
    assert after.length == pytest.approx(before.length, rel=1e-9)
    assert after.span_count == before.span_count + 1
    sheet.do("path_points", "path-1", does="take out", points=[1])
    assert len(sheet.row("path-1").points) == 3
    sheet.do("path_points", "path-1", does="make sharp", points=[1])
    assert (sheet.row("path-1").guide(upright=False).corner_turns > 0.1).any()
    sheet.do("path_points", "path-1", does="make smooth", points=[1])
    assert not (sheet.row("path-1").guide(upright=False).corner_turns > 1e-3).any()
    sheet.do("path_points", "path-1", does="lean", points=[1], roll=20.0)
    assert sheet.row("path-1").points[1].roll == 20.0
    with pytest.raises(AbleBrickError, match="needs 2"):
        sheet.do("path_points", "path-1", does="take out", points=[0, 1])


def test_corners_are_rounded_to_an_exact_radius(sheet: Sheet) -> None:
    sheet.do("draw_path", points=CORNERED, smooth=False)
    sheet.do("fillet", "path-1", radius=3.0)
    row = sheet.row("path-1")
    assert row.curve().smallest_radius == pytest.approx(3.0, rel=1e-2)
    assert row.curve().length == pytest.approx(40 - 6 + np.pi * 1.5, rel=1e-5)
    sheet.do("draw_path", points=CORNERED, smooth=False)
    with pytest.raises(AbleBrickError, match=r"up to 20\.00 m"):
        sheet.do("fillet", "path-2", radius=21.0)


def test_paths_are_reversed_split_joined_and_lengthened(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    whole = sheet.row("path-1").curve().length
    sheet.do("reverse_path", "path-1")
    assert sheet.row("path-1").points[0].position == (30, 0, -4)
    assert sheet.row("path-1").curve().length == pytest.approx(whole)
    first, second = sheet.do("split_path", "path-1", point=2).select or ()
    parts = sum(sheet.row(k).curve().length for k in (first, second))
    assert parts == pytest.approx(whole)
    sheet.do("join_paths", first, second)
    assert sheet.row(first).curve().length == pytest.approx(whole)
    for length in (12.5, 40.0):
        sheet.do("set_path_length", first, length=length)
        assert sheet.row(first).curve().length == pytest.approx(length, rel=1e-9)
    made = sheet.do("path_from_edges", edge={"thing": "placement-1", "kind": "face", "index": 0, "face": 0})
    assert sheet.row((made.select or ())[0]).closed
