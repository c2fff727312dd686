"""What can be pulled at the ends of arrays: pulled so far, the end is so far on."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import AbleBrickError
from able_brick.level.ends import End, Ends, ends_of
from able_brick.level.evaluate import items_of
from tests.steps.test_steps import Sheet

size = st.floats(0.3, 3)


def made(**params: object) -> tuple[Sheet, str]:
    """A wall that is turned and sized, in an array."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 4.0, "height": 3.0, "depth": 0.6}, name="Wall")
    sheet.do("turn", "placement-1", axis="y", angle=35)
    sheet.do("turn", "placement-1", axis="x", angle=20)
    sheet.do("size", "placement-1", factors=(1.25, 0.8, 1.5))
    (array,) = sheet.do("line_array", "placement-1", **params).select or ()
    return sheet, array


def last_item(sheet: Sheet, array: str) -> np.ndarray:
    shown = items_of(sheet.snapshot, sheet.row(array))
    assert shown is not None
    return np.asarray(shown.batches[0].poses.positions[-1])


def named(ends: Ends, of: str) -> End:
    return next(e for e in ends.ends if e.of == of)


def pulled(end: End, by: float) -> np.ndarray:
    """Where a tab is that is pulled by so many metres or degrees."""
    at, way = np.asarray(end.at), np.asarray(end.way)
    if not end.turn:
        return np.asarray(at + way * by)
    away, angle = at - end.base, np.radians(by)
    away = away * np.cos(angle) + np.cross(way, away) * np.sin(angle) + way * float(way @ away) * (1 - np.cos(angle))
    return np.asarray(end.base + away)


@settings(max_examples=25, deadline=None)
@given(
    st.sampled_from(["x", "y", "z", "-x", "-z"]),
    st.sampled_from(["lengths", "metres", "fitted"]),
    st.integers(2, 6),
    size,
    st.floats(0.1, 2.0),
)
def test_a_length_pulled_by_a_metre_goes_a_metre_on(axis: str, by: str, count: int, spacing: float, far: float) -> None:
    over = spacing + 12.0 if by == "fitted" else spacing
    sheet, array = made(axis=axis, count=count, spacing_by=by, spacing=over)
    before = ends_of(sheet.snapshot, "level-1", array)
    end = named(before, "spacing")
    assert np.asarray(end.at) == pytest.approx(np.asarray(last_item(sheet, array)), abs=1e-9)
    value = end.value + end.gain * far
    sheet.do("adjust_array", array, **{**dict(before.settings), "spacing": value})
    after = named(ends_of(sheet.snapshot, "level-1", array), "spacing")
    assert np.asarray(after.at) == pytest.approx(pulled(end, far), abs=1e-6)


@settings(max_examples=15, deadline=None)
@given(st.sampled_from(["count", "rows", "layers"]), st.integers(1, 4), size, st.floats(-3, 3))
def test_an_item_more_pushes_its_tab_on_by_a_pitch(of: str, count: int, spacing: float, rows: float) -> None:
    row_spacing = rows if abs(rows) > 0.1 else 0.5
    given_ = {"spacing_by": "metres", "spacing": spacing, "row_spacing": row_spacing, "layer_spacing": -row_spacing}
    sheet, array = made(form="grid", **{"count": 3, "rows": 2, "layers": 2, of: count}, **given_)
    before = ends_of(sheet.snapshot, "level-1", array)
    end = named(before, of)
    sheet.do("adjust_array", array, **{**dict(before.settings), of: count + 1})
    after = named(ends_of(sheet.snapshot, "level-1", array), of)
    assert np.asarray(after.at) == pytest.approx(pulled(end, 1 / end.gain), abs=1e-6)


@settings(max_examples=15, deadline=None)
@given(st.sampled_from(["x", "y", "z"]), st.integers(2, 7), st.floats(-300, 300), st.floats(1, 9), st.floats(-170, 170))
def test_a_ring_is_pulled_wider_and_round(about: str, count: int, sweep: float, radius: float, heading: float) -> None:
    sweep = sweep if abs(sweep) > 20 else 90.0
    sheet, array = made(form="ring", ring_about=about, count=count, sweep=sweep, radius=radius, heading=heading)
    before = ends_of(sheet.snapshot, "level-1", array)
    for of, far in (("radius", 0.5), ("sweep", 7.5)):
        end = named(before, of)
        sheet.do("adjust_array", array, **{**dict(before.settings), of: end.value + end.gain * far})
        after = named(ends_of(sheet.snapshot, "level-1", array), of)
        assert np.asarray(after.at) == pytest.approx(pulled(end, far), abs=1e-6)
        sheet.do("adjust_array", array, **dict(before.settings))
    assert named(before, "count").gain > 0


def test_a_group_that_is_repeated_has_ends_and_what_is_none_says_so() -> None:
    sheet, array = made(count=2)
    (group,) = sheet.do("make_group", array).select or ()
    with pytest.raises(AbleBrickError, match="no array"):
        ends_of(sheet.snapshot, "level-1", group)
    with pytest.raises(AbleBrickError, match="any more"):
        ends_of(sheet.snapshot, "level-1", "array-77")
    sheet.do("line_array", group, form="line", count=4, spacing_by="metres", spacing=9.0)
    end = named(ends_of(sheet.snapshot, "level-1", group), "spacing")
    first = named(ends_of(sheet.snapshot, "level-1", group), "count").base
    assert np.linalg.norm(np.subtract(end.at, first)) == pytest.approx(27.0, abs=1e-9)


def test_a_ring_of_no_radius_can_still_be_pulled_wide() -> None:
    sheet, array = made(form="ring", radius=0.0, count=3)
    ends = ends_of(sheet.snapshot, "level-1", array)
    assert [e.of for e in ends.ends] == ["radius"]
    assert np.linalg.norm(ends.ends[0].way) == pytest.approx(1.0)
