"""Pivots, grid, copies, curves, frames, courses."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from able_brick.core.errors import GeometryError
from able_brick.core.path.course import Course, CoursePart, Fit, Stand, lay_course
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.path.guide import Guide
from able_brick.core.path.running import Run, Running, running_axis
from able_brick.core.place.copies import on_grid, repeated
from able_brick.core.place.pivots import Along, box_anchor, compensated, mass_anchor
from able_brick.core.place.pose import decompose, from_degrees, quaternion, to_world
from able_brick.core.place.repeats import grid
from able_brick.core.shapes.box import box
from tests.thorough import by_day


def lay(path: Curve, low, high, *, running=Running.AUTO, flip=False, stand=Stand.UPRIGHT, **more) -> Course:
    """A course of one piece along a path."""
    upright = stand is Stand.UPRIGHT
    run = Run(running_axis(low, high, running, flip=flip))
    places = {k: more.pop(k) for k in ("sideways", "up") if k in more}
    guide = Guide(path.on_ground if upright else path, upright, **places)
    return lay_course(guide, [CoursePart(run, run.box(low, high))], **more)


number = st.floats(-50, 50)
vec = st.tuples(number, number, number)
factor = st.floats(0.2, 5)


@given(vec, vec, st.tuples(factor, factor, factor), vec, vec)
@settings(max_examples=150, deadline=None)
def test_pieces_stay_when_their_pivot_moves(position, degrees, size, old, new) -> None:
    points = np.array([(0.0, 0, 0), (1, 2, 3), (-4, 0.5, 2)])
    turn = quaternion(from_degrees(degrees))
    before = to_world(points, position, turn, size, old)
    after = to_world(points, compensated(position, turn, size, old, new), turn, size, new)
    assert np.abs(before - after).max() < 1e-9


def test_anchors_are_exact() -> None:
    mesh = box(0.3, 0.7, 1.1)
    low, high = mesh.bounds
    assert box_anchor(mesh, Along.LOW, Along.LOW, Along.HIGH) == (low[0], low[1], high[2])
    assert box_anchor(mesh, Along.MIDDLE, Along.HIGH, Along.MIDDLE) == pytest.approx((0, 0.7, 0))
    assert mass_anchor(mesh) == pytest.approx((0, 0.35, 0))


@given(vec, st.floats(0.01, 8))
@settings(max_examples=150, deadline=None)
def test_grid_points_are_multiples_of_the_step_and_nearest(position, step) -> None:
    snapped = on_grid(position, step)
    for before, after in zip(position, snapped, strict=True):
        assert after == round(after / step) * step
        assert abs(after - before) <= step / 2 + 1e-9
    assert on_grid(position, step, axes=(False, True, False))[0] == position[0]


def test_copies_and_lines() -> None:
    assert repeated((1, 0, 0), (0.5, 0, 0), 3).tolist() == [[1.5, 0, 0], [2, 0, 0], [2.5, 0, 0]]
    turn = quaternion(from_degrees((0, 90, 0)))
    row = grid([4], [(2.0, 0, 0)]).poses((1.0, 2.0, 3.0), turn, (1, 1, 1))
    assert tuple(row.positions[0]) == (1.0, 2.0, 3.0)
    assert row.positions[3] == pytest.approx([1, 2, -3])
    with pytest.raises(GeometryError, match="1 to 100"):
        repeated((0, 0, 0), (1, 0, 0), 100_001)


@given(vec, vec, st.tuples(factor, factor, factor))
@settings(max_examples=100, deadline=None)
def test_matrices_are_taken_apart_again(position, degrees, size) -> None:
    turn = quaternion(from_degrees(degrees))
    matrix = np.eye(4)
    matrix[:3, :3] = Rotation.from_quat(turn).as_matrix() * size
    matrix[:3, 3] = position
    p, q, s = decompose(matrix)
    assert p == pytest.approx(position)
    assert s == pytest.approx(size)
    assert abs(float(np.dot(q, turn))) == pytest.approx(1)


def straight(length: float = 10.0):
    return curve([PathPoint((0, 0, 0)), PathPoint((length, 0, 0))])


def quarter(radius: float):
    k = 4 / 3 * (math.sqrt(2) - 1) * radius
    return curve([PathPoint((radius, 0, 0), handle_out=(0, 0, k)), PathPoint((0, 0, radius), handle_in=(k, 0, 0))])


WAVY = [PathPoint((0, 0, 0)), PathPoint((10, 1, 4)), PathPoint((20, 0, -3)), PathPoint((33, 2, 0))]


def test_lengths_against_fine_sums() -> None:
    assert straight(7.25).length == 7.25
    assert quarter(10).length == pytest.approx(10 * math.pi / 2, rel=3e-4)
    wavy = curve(WAVY, smooth=True)
    p = wavy.points(np.linspace(0, 3, 300_001))
    assert wavy.length == pytest.approx(np.linalg.norm(np.diff(p, axis=0), axis=1).sum(), rel=1e-6)


@given(st.lists(st.tuples(st.floats(-9, 9), st.floats(-2, 2)), min_size=1, max_size=5), st.booleans())
@settings(max_examples=60, deadline=None)
def test_stations_are_where_they_say(steps, smooth) -> None:
    points = [PathPoint((0, 0, 0))]
    for k, (z, y) in enumerate(steps):
        points.append(PathPoint((4.0 * (k + 1), y, z)))
    path = curve(points, smooth=smooth)
    stations = np.linspace(0, path.length, 23)
    at = path.parameters(stations)
    assert (np.diff(at) > 0).all()
    fine = np.concatenate([np.linspace(a, b, 400) for a, b in pairwise(at)])
    steps_taken = np.linalg.norm(np.diff(path.points(fine), axis=0), axis=1).reshape(-1)
    total = np.concatenate([[0], np.cumsum(steps_taken)])
    assert total[399::400] == pytest.approx(stations[1:], abs=0.02)


def test_frames_are_orthonormal_and_upright_ones_level() -> None:
    path = curve(WAVY, smooth=True)
    s = np.linspace(0, path.length, 50)
    follows, stands = Guide(path, False).sections(s), Guide(path, True).sections(s)
    basis = np.stack([follows.along, follows.side, follows.up], axis=1)
    assert np.abs(basis @ basis.transpose(0, 2, 1) - np.eye(3)).max() < 1e-9
    assert np.abs(stands.side[:, 1]).max() < 1e-12
    assert (stands.up == (0, 1, 0)).all()
    assert np.abs((stands.side * stands.along).sum(axis=1)).max() < 1e-12


def test_a_closed_path_has_no_twist_where_it_closes() -> None:
    ring = curve(
        [PathPoint((4, 0, 0)), PathPoint((0, 1.5, 4)), PathPoint((-4, 0, 0)), PathPoint((0, -1, -4))],
        closed=True,
        smooth=True,
    )
    frames = Guide(ring, False).sections(np.array([0.0, ring.length * (1 - 1e-12)]))
    assert frames.origin[0] == pytest.approx(frames.origin[1], abs=1e-9)
    assert frames.side[0] == pytest.approx(frames.side[1], abs=1e-6)


LOW, HIGH = np.array([-0.3, 0.0, -0.2]), np.array([3.7, 1.0, 0.2])


def ends(course, low=LOW, high=HIGH):
    """World points of the two running ends of each item, at the middle of the side and the base."""
    out = []
    for row in course.poses.rows():
        turn = Rotation.from_quat(row[3:7])
        out.append([turn.apply(np.array([x, 0, 0]) * row[7:]) + row[:3] for x in (low[0], high[0])])
    return np.array(out)


@given(st.floats(3, 90))
@settings(max_examples=60, deadline=None)
def test_a_filled_straight_path_is_covered_from_end_to_end(length: float) -> None:
    course = lay(straight(length), LOW, HIGH)
    e = ends(course)
    assert len(e) == max(1, round(length / 4))
    assert course.stretch == pytest.approx(length / (len(e) * 4))
    assert e[0, 0] == pytest.approx([0, 0, 0], abs=1e-9)
    assert e[-1, 1] == pytest.approx([length, 0, 0], abs=1e-9)
    assert e[1:, 0] == pytest.approx(e[:-1, 1], abs=1e-9)


span = st.tuples(st.floats(5, 14), st.floats(-3, 3), st.floats(-6, 6))
winding = st.lists(span, min_size=2, max_size=6).map(
    lambda steps: [PathPoint(tuple(p)) for p in np.cumsum([(0.0, 0.0, 0.0), *steps], axis=0)]  # type: ignore[misc]
)


@given(winding, st.sampled_from(Stand), st.floats(0.2, 1.5), st.sampled_from([0.0, 0.3, -0.1]), st.booleans())
@settings(max_examples=80, deadline=None)
def test_a_filled_path_is_closed_at_its_ends_and_joints(points, stand, length, gap, smooth) -> None:
    """On any path; neighbours meet on it wherever it does not turn back within an item."""
    path = curve(points, smooth=smooth)
    low, high = np.array([-0.1, 0.0, -0.05]), np.array([length - 0.1, 1.0, 0.05])
    course = lay(path, low, high, stand=stand, gap=gap)
    found = ends(course, low, high)
    keep = [0, 2] if stand is Stand.UPRIGHT else [0, 1, 2]
    both = path.points(np.array([0.0, float(path.span_count)]))
    assert course.ends_off <= 1e-9
    assert np.abs(found[0, 0, keep] - both[0, keep]).max() < 1e-9
    assert np.abs(found[-1, 1, keep] - both[1, keep]).max() < 1e-9
    between = np.linalg.norm((found[1:, 0] - found[:-1, 1])[:, keep], axis=1)
    off = np.abs(between - abs(gap)).max(initial=0.0)
    assert off <= course.joints_off + 1e-9, "what is told of the joints is true"
    if smooth:
        assert course.joints_off <= 1e-9


def test_upright_items_are_as_long_as_their_stretch_on_the_ground() -> None:
    slope = curve([PathPoint((0, 0, 0)), PathPoint((10, 6, 0))])
    course = lay(slope, LOW, HIGH, gap=0.5)
    found = ends(course)
    assert found[:, 0, 0] == pytest.approx([0.0, 5.25], abs=1e-9)
    assert found[:, 1, 0] == pytest.approx([4.75, 10.0], abs=1e-9)
    assert found[:, 0, 1] == pytest.approx(found[:, 1, 1])
    assert found.mean(axis=1)[:, 1] == pytest.approx([0.6 * 2.375, 0.6 * 7.625])
    follows = lay(slope, LOW, HIGH, gap=0.5, stand=Stand.FOLLOWING)
    assert ends(follows)[-1, 1] == pytest.approx([10, 6, 0], abs=1e-9)


def test_a_filled_ring_is_closed_all_round() -> None:
    ring = curve(
        [PathPoint((8, 0, 0)), PathPoint((0, 0, 8)), PathPoint((-8, 0, 0)), PathPoint((0, 0, -8))],
        closed=True,
        smooth=True,
    )
    for gap in (0.0, 0.4, -0.2):
        course = lay(ring, LOW, HIGH, gap=gap)
        found = ends(course)
        between = np.linalg.norm(np.roll(found[:, 0], -1, axis=0) - found[:, 1], axis=1)
        assert between == pytest.approx(np.full(len(found), abs(gap)), abs=1e-9)
        assert course.joints_off <= 1e-9


def test_paths_too_steep_to_stand_upright_on_are_followed_and_told() -> None:
    cliff = curve([PathPoint((0, 0, 0)), PathPoint((12, 0, 0)), PathPoint((12.5, 16, 0)), PathPoint((24, 16, 0))])
    course = lay(cliff, LOW, HIGH)
    assert course.steep.tolist() == [False] * 3 + [True] * 4 + [False] * 3
    up = np.array([Rotation.from_quat(q).apply([0, 1, 0]) for q in course.poses.turns])
    assert np.abs(up[~course.steep] - (0, 1, 0)).max() < 1e-12
    assert (np.abs(up[course.steep][:, 1]) < 0.1).all()


@pytest.mark.parametrize("stand", Stand)
def test_number_and_spacing_lie_on_a_curve_with_their_ends(stand: Stand) -> None:
    path = quarter(30)
    fine = path.points(np.linspace(0, 1, 200_001))
    for fit, more in ((Fit.NUMBER, {"number": 7}), (Fit.SPACING, {"spacing": 4.7})):
        course = lay(path, LOW, HIGH, fit=fit, stand=stand, **more)  # type: ignore[arg-type]
        found = ends(course)
        assert np.linalg.norm(found[0, 0] - fine[0]) < 1e-9
        if fit is Fit.NUMBER:
            assert np.linalg.norm(found[-1, 1] - fine[-1]) < 1e-9
        for end in found.reshape(-1, 3):
            assert np.linalg.norm(fine - end, axis=1).min() < 2e-4
        assert np.diff(course.middles) == pytest.approx(np.full(len(found) - 1, course.pitch))


def test_a_number_does_not_run_backward_on_a_path_too_short() -> None:
    with pytest.raises(GeometryError, match=r"path is 3\.00 m long and the piece 4\.00 m: 3 cannot stand"):
        lay(straight(3), LOW, HIGH, fit=Fit.NUMBER, number=3)
    one = ends(lay(straight(3), LOW, HIGH, fit=Fit.NUMBER, number=1))
    assert one[0, :, 0] == pytest.approx([-0.5, 3.5])
    assert ends(lay(straight(3), LOW, HIGH, fit=Fit.SPACING, spacing=9))[0, :, 0] == pytest.approx([-0.5, 3.5])


def brute_radius(path) -> float:
    """The smallest radius at very many places."""
    t = np.linspace(0, 1, 400_001)[:, None]
    best = np.inf
    for a, b, c, d in path.controls:
        first = 3 * ((1 - t) ** 2 * (b - a) + 2 * t * (1 - t) * (c - b) + t**2 * (d - c))
        second = 6 * ((1 - t) * (c - 2 * b + a) + t * (d - 2 * c + b))
        bend = np.linalg.norm(np.cross(first, second), axis=1)
        best = min(best, float((np.linalg.norm(first, axis=1) ** 3 / np.maximum(bend, 1e-300)).min()))
    return best


@given(st.lists(vec, min_size=4, max_size=4), st.booleans())
@settings(max_examples=by_day(15, 60), deadline=None)
def test_the_smallest_radius_is_exact_to_one_in_a_hundred(points, flat) -> None:
    p = np.array(points) * ([1, 0, 1] if flat else [1, 1, 1])
    path = Curve(p[None], closed=False)
    wanted = brute_radius(path)
    if 1e-4 < wanted < 1e6:
        assert path.smallest_radius == pytest.approx(wanted, rel=0.01, abs=1e-6)


def test_radii_of_cusps_and_straight_paths() -> None:
    cusp = Curve(np.array([[(0, 0, 0), (10, 0, 10), (0, 0, 10), (10, 0, 0)]], np.float64), closed=False)
    assert cusp.smallest_radius == 0.0
    near = Curve(np.array([[(0, 0, 0), (10, 0, 10), (0.01, 0, 10), (10, 0, 0)]], np.float64), closed=False)
    assert near.smallest_radius == pytest.approx(brute_radius(near), rel=0.01)
    back = Curve(np.array([[(0, 0, 0), (10, 0, 0), (-5, 0, 0), (5, 0, 0)]], np.float64), closed=False)
    assert back.smallest_radius == 0.0
    assert straight().smallest_radius == math.inf
    assert quarter(10).smallest_radius == pytest.approx(10, rel=0.01)


def test_lengths_on_the_ground() -> None:
    path = curve(WAVY, smooth=True).on_ground
    p = path.points(np.linspace(0, 3, 300_001))[:, [0, 2]]
    assert path.length == pytest.approx(np.linalg.norm(np.diff(p, axis=0), axis=1).sum(), rel=1e-6)
    at = np.linspace(0, 3, 17)
    assert path.parameters(path.stations(at)) == pytest.approx(at, abs=1e-9)


def test_number_spacing_offsets_and_flip() -> None:
    path = straight(20)
    three = lay(path, LOW, HIGH, fit=Fit.NUMBER, number=3)
    assert ends(three)[:, 0, 0] == pytest.approx([0, 8, 16])
    spaced = lay(path, LOW, HIGH, fit=Fit.SPACING, spacing=6, sideways=1.5, up=0.5)
    assert ends(spaced)[:, 0] == pytest.approx(np.array([(0, 0.5, -1.5), (6, 0.5, -1.5), (12, 0.5, -1.5)]))
    flipped = lay(path, LOW, HIGH, flip=True)
    assert ends(flipped)[0, 1] == pytest.approx([0, 0, 0], abs=1e-9)
    assert ends(lay(path, LOW, HIGH, running=Running.Z, fit=Fit.NUMBER, number=2))[0, 0, 2] != 0


@pytest.mark.parametrize(
    ("settings_", "text"),
    [
        ({"fit": Fit.SPACING, "spacing": 0.0}, "above 0"),
        ({"gap": -4.0}, "leaves no distance"),
        ({"gap": 60.0, "closed": True}, "leaves no room"),
        ({"fit": Fit.NUMBER, "number": 200_000}, "Ask for fewer"),
        ({"fit": Fit.SPACING, "spacing": 0.00002}, "Ask for fewer"),
    ],
)
def test_absurd_courses_are_refused(settings_: dict[str, object], text: str) -> None:
    corner = [PathPoint((0, 0, 0)), PathPoint((5, 0, 0)), PathPoint((5, 0, 5))]
    path = curve(corner, closed=True) if settings_.pop("closed", False) else straight()
    with pytest.raises(GeometryError, match=text):
        lay(path, LOW, HIGH, **settings_)  # type: ignore[arg-type]


def test_paths_need_two_points_on_different_spots() -> None:
    with pytest.raises(GeometryError, match="at least 2 points"):
        curve([PathPoint((0, 0, 0))])
    with pytest.raises(GeometryError, match="Points 1 and 2 of the path are on the same spot"):
        curve([PathPoint((0, 0, 0)), PathPoint((0, 0, 0))])
