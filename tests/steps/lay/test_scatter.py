"""Scattering and strewing."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import AbleBrickError
from able_brick.core.place.scatter import Ranges, scattered, spread_over
from able_brick.level.rows import Group, Strewn
from tests.steps.test_steps import Sheet


def test_scatter_is_stable_when_a_thing_is_added(sheet: Sheet) -> None:
    ranges = Ranges((1.0, 0.0, 1.0), (0.0, 180.0, 0.0), (0.8, 1.2))
    first = scattered(7, "placement-1", ranges)
    assert np.array_equal(first[0], scattered(7, "placement-1", ranges)[0])
    assert not np.array_equal(first[0], scattered(8, "placement-1", ranges)[0])
    one = sheet.do("scatter", "placement-1", "placement-2", seed=3, offset=(1.0, 0.0, 1.0))
    two = Sheet.do(
        _again(sheet), "scatter", "placement-1", "placement-2", "placement-3", seed=3, offset=(1.0, 0.0, 1.0)
    )
    for key in ("placement-1", "placement-2"):
        assert {e.id: e.after for e in one.edits}[key] == {e.id: e.after for e in two.edits}[key]
    assert sheet.row("placement-1").size == (1.0, 1.0, 1.0), "nothing changes size unless asked"


def _again(like: Sheet) -> Sheet:
    out = Sheet()
    for name, w, h, d in (("Wall", 4.0, 3.0, 0.6), ("Post", 0.4, 4.0, 0.4)):
        out.do("add_shape", shape={"kind": "box", "width": w, "height": h, "depth": d}, name=name)
    out.do("add_shape", shape={"kind": "lettering", "text": "F", "height": 1.0, "depth": 0.4}, name="Letter")
    assert out.snapshot.pieces.keys() == like.snapshot.pieces.keys()
    return out


@given(st.floats(0.2, 1.5), st.floats(0.5, 6.0), st.integers(0, 1000))
@settings(max_examples=25, deadline=None)
def test_strewn_points_keep_their_smallest_distance(apart: float, density: float, seed: int) -> None:
    triangles = np.array([[(0, 0, 0), (8, 0, 0), (8, 1, 8)], [(0, 0, 0), (8, 1, 8), (0, 1, 8)]], np.float64)
    points, _ = spread_over(triangles, density=density, apart=apart, seed=seed, most=10_000)
    away = np.linalg.norm(points[:, None] - points[None], axis=2) + np.eye(len(points)) * 99
    assert away.min() >= apart * (1 - 1e-9)
    assert len(points) <= round(density * 64.6) + 1


def _settings(strewn: Strewn) -> dict[str, object]:
    return {k: v for k, v in dict(strewn).items() if k not in ("pieces", "thing", "item", "face")}


def test_things_are_strewn_over_a_face_and_dropped(sheet: Sheet) -> None:
    made = sheet.do(
        "strew", "piece-2", on={"thing": "placement-1", "kind": "face", "face": 1}, density=4.0, apart=0.3, seed=2
    )
    (group,) = made.select or ()
    inside = sheet.snapshot.of("level-1").inside(group)
    assert len(inside) > 3
    sheet.do("scatter", *(t.id for t in inside[:2]), offset=(0.1, 0.0, 0.1), drop="along the normal")
    # it is strewn otherwise later on, over the face as it is then; what else was put into the group stays
    sheet.do("put_into_group", "placement-3", into=group)
    sheet.do("move", "placement-1", by=(0, 2, 0))
    row = sheet.row(group)
    assert isinstance(row, Group) and row.strewn is not None
    sheet.do("strew_again", group, **_settings(row.strewn))
    again = [t for t in sheet.snapshot.of("level-1").inside(group) if t.id != "placement-3"]
    assert [t.anchor for t in again[2:]] == [pytest.approx(np.add(t.anchor, (0, 2, 0))) for t in inside[2:]]
    assert {t.id for t in inside}.isdisjoint({t.id for t in again})
    sheet.do("strew_again", group, **{**_settings(row.strewn), "density": 8.0})
    again = sheet.snapshot.of("level-1").inside(group)
    assert len(again) > len(inside) + 1
    assert "placement-3" in {t.id for t in again}
    sheet.do("set_marks", again[-1].id, lock=True)
    with pytest.raises(AbleBrickError, match="lock"):
        sheet.do("strew_again", group, **_settings(row.strewn))
    with pytest.raises(AbleBrickError, match="not scattered"):
        sheet.do("strew_again", (sheet.do("make_group", "placement-1").select or ("",))[0])
    field = np.array([[(0, 0, 0), (90, 0, 0), (0, 0, 90)]], np.float64)
    with pytest.raises(AbleBrickError, match="Ask for fewer"):
        spread_over(field, density=99.0, apart=0.0, seed=1, most=20_000)


def test_offsets_and_turns_go_both_ways_as_far_as_asked_and_sizes_from_one_to_the_other() -> None:
    ranges = Ranges((2.0, 0.0, 0.5), (0.0, 180.0, 10.0), (0.5, 1.5))
    found = [scattered(3, f"thing-{k}", ranges) for k in range(600)]
    offsets, turns = np.array([f[0] for f in found]), np.array([f[1] for f in found])
    for values, most in ((offsets, ranges.offset), (turns, ranges.turn)):
        assert (np.abs(values) <= most).all()
        assert np.abs(values.mean(axis=0)) == pytest.approx(np.zeros(3), abs=0.1 * max(most))
        assert values.min(axis=0) == pytest.approx([-m for m in most], abs=0.02 * max(most))
        assert values.max(axis=0) == pytest.approx(most, abs=0.02 * max(most))
    sizes = np.array([f[2] for f in found])
    assert 0.5 <= sizes.min() < 0.51
    assert 1.49 < sizes.max() <= 1.5
