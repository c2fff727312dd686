"""Arrays of what is in a group: how far it reaches is reckoned from its vertices, as it stands."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError
from able_brick.level.boxes import box_of
from tests.steps.test_steps import Sheet

angle = st.floats(-180, 180)


def turned_drum(turn: Any) -> Sheet:
    """A cylinder, not along the axes, in a group whose pivot is turned too."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "cylinder", "sides": 12, "radius": 0.5, "height": 3.0})
    sheet.do("set_pose", "placement-1", turn=turn)
    sheet.do("make_group", "placement-1")
    return sheet


def copies(sheet: Sheet) -> np.ndarray:
    """World vertices (n,V,3) of the copies, as the first one's group sees them: along its axes."""
    group = sheet.row("group-1")
    points = sheet.vertices()["placement-1"]
    return np.stack([group.own_axes.inv().apply(p - group.position) for p in points])


@given(st.tuples(angle, angle, angle), st.tuples(angle, angle, angle), st.sampled_from(["x", "y", "z", "-x", "-z"]))
@settings(max_examples=15, deadline=None)
def test_copies_of_a_group_touch(turn: Any, axes: Any, axis: str) -> None:
    sheet = turned_drum(turn)
    sheet.do("set_pose", "group-1", turn=axes)
    sheet.do("line_array", "group-1", count=3, axis=axis)
    k = "xyz".index(axis[-1])
    along = copies(sheet)[:, :, k] * (-1.0 if axis[0] == "-" else 1.0)
    assert along[1:].min(axis=1) == pytest.approx(along[:-1].max(axis=1), abs=1e-9)


@given(st.tuples(angle, angle, angle), st.booleans(), st.booleans())
@settings(max_examples=15, deadline=None)
def test_fitted_copies_reach_over_all_of_it_either_way(turn: Any, back: bool, down: bool) -> None:
    sheet = turned_drum(turn)
    sheet.do(
        "line_array",
        "group-1",
        form="grid",
        count=2,
        spacing_by="fitted",
        spacing=9.0,
        rows=3,
        row_spacing=-12.0 if back else 12.0,
        layers=2,
        layer_spacing=-8.0 if down else 8.0,
    )
    every = copies(sheet).reshape(-1, 3)
    assert np.ptp(every, axis=0) == pytest.approx((9.0, 8.0, 12.0), abs=1e-9)
    first = copies(sheet)[0]
    # a negative length goes the other way from the first one
    assert (every[:, 2].max() if back else every[:, 2].min()) == pytest.approx(
        first[:, 2].max() if back else first[:, 2].min()
    )
    assert (every[:, 1].max() if down else every[:, 1].min()) == pytest.approx(
        first[:, 1].max() if down else first[:, 1].min()
    )


def test_a_grid_that_goes_back_is_mirrored_where_it_stands() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "wedge"})
    sheet.do(
        "line_array",
        "placement-1",
        form="grid",
        count=2,
        spacing_by="fitted",
        spacing=6.0,
        rows=3,
        row_spacing=-9.0,
        layers=2,
        layer_spacing=-4.0,
    )
    for across in ("x", "y", "z"):
        before = box_of(sheet.snapshot, [sheet.row("array-1")], sheet.meshes.__getitem__)
        sheet.do("mirror", "array-1", across=(across,))
        after = box_of(sheet.snapshot, [sheet.row("array-1")], sheet.meshes.__getitem__)
        assert before is not None
        assert after is not None
        assert np.subtract(after[1], after[0]) == pytest.approx(np.subtract(before[1], before[0]))
        centre = np.add(after[0], after[1]) / 2
        assert centre == pytest.approx(np.add(before[0], before[1]) / 2)


def test_what_an_array_tells_of_itself() -> None:
    sheet = turned_drum((0, 0, 0))
    told = sheet.do(
        "line_array", "group-1", form="grid", count=1, rows=3, row_spacing=2.0, layers=2, spacing_by="metres"
    )
    assert (
        told.note
        == "6 items; rows 2.00 m apart, 4.00 m from first to last; layers 1.00 m apart, 1.00 m from first to last"
    )
    with pytest.raises(GeometryError, match=r"0\.5 m over all is less than one of the items, which is 3\.00 m long"):
        sheet.do("adjust_array", "group-1", axis="y", count=2, spacing_by="fitted", spacing=0.5)
