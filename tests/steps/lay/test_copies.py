"""Stepped copies, and one more of them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from able_brick.core.errors import AbleBrickError
from able_brick.level.rows import Course
from tests.steps.lay.yard import SMOOTH, vec
from tests.steps.test_steps import Sheet


@given(vec, st.tuples(*[st.floats(-90, 90)] * 3), st.floats(0.8, 1.2), vec)
@settings(max_examples=30, deadline=None)
def test_stepped_copies_agree_with_their_formula(offset, degrees, factor, about) -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"}, position=(1.0, 2.0, 3.0), heading=30.0)
    x0, r0 = np.array(sheet.row("placement-1").position), Rotation.from_quat(sheet.row("placement-1").turn)
    made = sheet.do(
        "stepped_copies",
        "placement-1",
        count=4,
        offset=offset,
        turn=degrees,
        size=(factor, factor, factor),
        about_what="point",
        point=about,
    ).select
    c, t, r = np.array(about), np.array(offset), np.radians(degrees)
    for k, key in enumerate(made or (), 1):
        row = sheet.row(key)
        turn = Rotation.from_rotvec(k * r)
        assert row.position == pytest.approx(c + turn.apply(x0 - c) + k * t, abs=1e-9)
        assert (Rotation.from_quat(row.turn) * (turn * r0).inv()).magnitude() < 1e-9
        assert row.size == pytest.approx(np.full(3, factor**k))


@given(
    vec,
    st.tuples(*[st.floats(-60, 60)] * 3),
    st.sampled_from([(1.0, 1.0, 1.0), (1.1, 1.1, 1.1), (1.2, 1.0, 0.9)]),
    st.sampled_from(["own pivot", "point", "middle"]),
    st.booleans(),
    st.integers(1, 3),
)
@settings(max_examples=15, deadline=None)
def test_one_more_goes_on_as_the_copies_went(offset, degrees, size, about_what, grouped, more) -> None:
    """Two copies, and some more one by one or together, stand where all in one go do."""
    assume(any(offset))

    def stood(count: int, steps: list[int]) -> dict[str, np.ndarray]:
        sheet = Sheet()
        sheet.do("add_shape", shape={"kind": "wedge"}, position=(1.0, 2.0, 3.0), heading=30.0)
        what = "placement-1"
        if grouped:
            sheet.do("add_shape", shape={"kind": "box"}, position=(2.5, 2.0, 3.5), heading=30.0)
            sheet.do("make_group", "placement-1", "placement-2")
            what = "group-1"
        params = {"offset": offset, "turn": degrees, "size": size, "about_what": about_what, "point": (3.0, -1.0, 2.0)}
        if grouped and len(set(size)) > 1:  # along its own axes the things in it stand askew
            params["size"] = (1.1, 1.1, 1.1)
        (*_, last) = sheet.do("stepped_copies", what, count=count, **params).select or ()
        for count in steps:
            (last,) = sheet.do("one_more", last, count=count).select or ()
        return sheet.vertices()

    wanted = stood(2 + more, [])
    for steps in ([more], [1] * more):
        found = stood(2, steps)
        assert found.keys() == wanted.keys()
        for key, points in wanted.items():
            assert found[key] == pytest.approx(points, abs=1e-6)


def test_one_more_goes_on_from_the_last_copy_as_it_is_now(sheet: Sheet) -> None:
    with pytest.raises(AbleBrickError, match="no last copy"):
        sheet.do("one_more", "placement-1")
    (copy,) = sheet.do("duplicate", "placement-1", distance=5.0).select or ()
    sheet.do("turn", copy, angle=90.0)
    chosen = copy
    for _ in range(4):
        (chosen,) = sheet.do("one_more", chosen).select or ()
    last = sheet.row(chosen)
    assert last.position == pytest.approx((0, 0, 0), abs=1e-9) or len(sheet.snapshot.of("level-1")) == 8
    # a quarter turn each time about where the copies lead: after four the place comes again
    assert (Rotation.from_quat(last.turn) * Rotation.from_euler("y", -450, degrees=True)).magnitude() < 1e-9
    (other,) = sheet.do("one_more", "placement-2").select or ()
    assert sheet.row(other).piece == "piece-2"


def test_paths_are_copied_with_their_courses_wherever_they_are(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("lay_course", "path-1", piece="piece-1", bend=True)
    (group,) = sheet.do("make_group", "path-1").select or ()
    made = sheet.do("stepped_copies", group, count=2, offset=(0.0, 0.0, 20.0)).select
    assert len(made or ()) == 2
    courses = [t for t in sheet.snapshot.of("level-1").values() if isinstance(t, Course)]
    assert len({c.path for c in courses}) == 3
    own = sheet.do("duplicate", group, distance=-20.0, axis="z", linked=False)
    fresh = [e.after for e in own.edits if e.before is None and isinstance(e.after, Course)]
    assert len(fresh) == 1
    assert fresh[0] is not None
    assert fresh[0].pieces != ("piece-1",)
