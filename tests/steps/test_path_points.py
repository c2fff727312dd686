"""Several points of a path moved, turned and sized together; starters to either side."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import AbleBrickError
from able_brick.level.rows import Path
from tests.steps.test_steps import Sheet, item_vertices

POINTS = [
    {"position": (0, 0, 0)},
    {"position": (6, 1, 2), "handle_in": (-1, 0, -1), "handle_out": (1, 0.5, 1)},
    {"position": (11, 0, -3), "sharp": True},
    {"position": (17, 2, 4)},
]
far = st.floats(-30, 30)


def drawn() -> Sheet:
    sheet = Sheet()
    sheet.do("draw_path", points=POINTS, smooth=True)
    return sheet


def path(sheet: Sheet) -> Path:
    row = sheet.row("path-1")
    assert isinstance(row, Path)
    return row


def places(sheet: Sheet) -> np.ndarray:
    return np.array([p.position for p in path(sheet).points])


@settings(max_examples=20, deadline=None)
@given(st.tuples(far, far, far), st.sampled_from("xyz"), st.floats(-170, 170), st.floats(0.2, 5))
def test_points_go_there_and_back(by: tuple[float, float, float], axis: str, angle: float, factor: float) -> None:
    sheet = drawn()
    before, handles = places(sheet), np.array([path(sheet).points[1].handle_in, path(sheet).points[1].handle_out])
    chosen = (1, 2)
    sheet.do("path_points", "path-1", does="move", points=chosen, by=by)
    assert places(sheet)[[1, 2]] == pytest.approx(before[[1, 2]] + by, abs=1e-9)
    assert np.array_equal(places(sheet)[[0, 3]], before[[0, 3]])
    sheet.do("path_points", "path-1", does="turn", points=chosen, axis=axis, angle=angle)
    sheet.do("path_points", "path-1", does="size", points=chosen, factor=factor)
    now = places(sheet)[[1, 2]]
    assert np.linalg.norm(now[1] - now[0]) == pytest.approx(factor * np.linalg.norm(before[2] - before[1]), rel=1e-9)
    own = path(sheet).points[1].handle_out
    assert np.linalg.norm(own or ()) == pytest.approx(factor * np.linalg.norm(handles[1]), rel=1e-9)
    sheet.do("path_points", "path-1", does="size", points=chosen, factor=1 / factor)
    sheet.do("path_points", "path-1", does="turn", points=chosen, axis=axis, angle=-angle)
    sheet.do("path_points", "path-1", does="move", points=chosen, by=[-v for v in by])
    assert places(sheet) == pytest.approx(before, abs=1e-8)
    again = path(sheet).points[1]
    assert np.array([again.handle_in, again.handle_out]) == pytest.approx(handles, abs=1e-8)


def test_points_that_are_not_there_are_refused() -> None:
    sheet = drawn()
    with pytest.raises(AbleBrickError, match="no point 9"):
        sheet.do("path_points", "path-1", does="turn", points=(8,), angle=10)


@given(st.floats(1, 40), st.floats(0.5, 20), st.booleans())
@settings(max_examples=15, deadline=None)
def test_an_s_ends_to_the_side_that_it_is_given(length: float, width: float, left: bool) -> None:
    sheet = Sheet()
    sheet.do("path_starter", form="S", length=length, width=-width if left else width)
    curve = path(sheet).curve()
    ends = curve.points(np.array([0.0, float(curve.span_count)]))
    assert ends[1] - ends[0] == pytest.approx([length, 0, -width if left else width], abs=1e-6)
    # it begins and ends level with its length
    assert np.abs(curve.tangents(np.array([0.0, curve.span_count - 1e-9]))[:, 2]).max() < 1e-3


def test_a_starter_without_width_is_refused() -> None:
    with pytest.raises(AbleBrickError, match="width"):
        Sheet().do("path_starter", form="rectangle", length=4, width=0)


def standing(sheet: Sheet) -> np.ndarray:
    """World vertices of all items of a course."""
    return np.concatenate(item_vertices(sheet.snapshot, sheet.row("course-1"), sheet.meshes.__getitem__))


@given(
    st.lists(st.tuples(st.floats(4, 12), st.floats(-1.5, 1.5), st.floats(-5, 5)), min_size=2, max_size=4),
    st.lists(st.sampled_from([0.0, 0.0, 15.0, -30.0]), min_size=5, max_size=5),
    st.booleans(),
    st.booleans(),
    st.sampled_from(["upright", "following"]),
    st.floats(0.05, 0.95),
)
@settings(max_examples=20, deadline=None)
def test_a_point_that_is_put_in_moves_nothing(
    strides: list[tuple[float, float, float]], lean: list[float], smooth: bool, bend: bool, stand: str, share: float
) -> None:
    """On straight spans to the last places, whatever the path leans; on curves as far as its frames are exact."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 0.5})
    places = np.cumsum([(0.0, 0.0, 0.0), *strides], axis=0)
    points = [{"position": tuple(p), "roll": r} for p, r in zip(places.tolist(), lean, strict=False)]
    sheet.do("draw_path", points=points, smooth=smooth)
    sheet.do("lay_course", "path-1", piece="piece-1", bend=bend, stand=stand)
    before = standing(sheet)
    for at in (share, 1 + share, len(strides) - share):
        sheet.do("path_points", "path-1", does="put in", at=at)
    after = standing(sheet)
    assert np.abs(after - before).max() <= (1e-5 if smooth else 1e-9)
    told = [p.roll for p in sheet.row("path-1").points]
    assert told.count(None) == 3
    # and leans as it says from then on
    sheet.do("path_points", "path-1", does="lean", points=[1], roll=5.0)
    assert sheet.row("path-1").leans()[1] == pytest.approx(5.0)


def test_what_is_cut_off_leans_at_its_new_end_as_it_did_there() -> None:
    sheet = Sheet()
    points = [{"position": p, "roll": r} for p, r in (((0, 0, 0), 0.0), ((10, 0, 0), 40.0), ((20, 0, 0), 0.0))]
    sheet.do("draw_path", points=points, smooth=False)
    lean = np.degrees(sheet.row("path-1").guide(upright=False).rolls(np.array([5.0])))[0]
    sheet.do("path_points", "path-1", does="put in", at=0.5)
    assert sheet.row("path-1").leans()[1] == pytest.approx(lean)
    sheet.do("split_path", "path-1", point=2)
    assert sheet.row("path-1").points[-1].roll == pytest.approx(lean)
    assert sheet.row("path-2").points[0].roll == pytest.approx(lean)
    sheet.do("set_path_length", "path-2", length=3.0)
    assert 30.0 < sheet.row("path-2").points[-1].roll < 40.0
    sheet.do("reverse_path", "path-2")
    assert sheet.row("path-2").points[-1].roll == pytest.approx(-lean)


def test_a_closed_path_keeps_a_lean_when_the_last_point_that_says_so_goes() -> None:
    sheet = Sheet()
    points = [{"position": p, "roll": 10.0} for p in ((0, 0, 0), (10, 0, 0), (10, 0, 10), (0, 0, 10))]
    sheet.do("draw_path", points=points, smooth=False, closed=True)
    for at in (3.5, 2.5, 1.5):
        sheet.do("path_points", "path-1", does="put in", at=at)
    told = [k for k, p in enumerate(sheet.row("path-1").points) if p.roll is not None]
    sheet.do("path_points", "path-1", does="take out", points=told)
    assert sheet.row("path-1").leans() == pytest.approx([10.0, 10.0, 10.0])
