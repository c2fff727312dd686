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
from able_brick.core.path.course import Fit, Running, Stand, lay_course
from able_brick.core.path.curve import PathPoint, curve
from able_brick.core.path.frames import following, upright
from able_brick.core.place.copies import line, on_grid, repeated
from able_brick.core.place.pivots import Along, box_anchor, compensated, mass_anchor
from able_brick.core.place.pose import from_degrees, quaternion, stand_of, to_world
from able_brick.core.shapes.box import box

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
    row = line((1.0, 2.0, 3.0), turn, (1, 1, 1), direction=(1, 0, 0), pitch=2.0, count=4)
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
    p, q, s = stand_of(matrix)
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
    for frames in (upright(path, s), following(path, s)):
        basis = np.stack([frames.tangent, frames.side, frames.up], axis=1)
        assert np.abs(basis @ basis.transpose(0, 2, 1) - np.eye(3)).max() < 1e-9
    assert np.abs(upright(path, s).side[:, 1]).max() < 1e-12


def test_a_closed_path_has_no_twist_where_it_closes() -> None:
    ring = curve(
        [PathPoint((4, 0, 0)), PathPoint((0, 1.5, 4)), PathPoint((-4, 0, 0)), PathPoint((0, -1, -4))],
        closed=True,
        smooth=True,
    )
    frames = following(ring, np.array([0.0, ring.length]))
    assert frames.points[0] == pytest.approx(frames.points[1])
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
    course = lay_course(straight(length), LOW, HIGH)
    e = ends(course)
    assert len(e) == max(1, round(length / 4))
    assert course.stretch == pytest.approx(length / (len(e) * 4))
    assert e[0, 0] == pytest.approx([0, 0, 0], abs=1e-9)
    assert e[-1, 1] == pytest.approx([length, 0, 0], abs=1e-9)
    assert e[1:, 0] == pytest.approx(e[:-1, 1], abs=1e-9)


@pytest.mark.parametrize("stand", Stand)
def test_joints_of_a_filled_curve_lie_on_the_path(stand: Stand) -> None:
    path = quarter(30)
    course = lay_course(path, LOW, HIGH, stand=stand)
    joints = path.points(path.parameters(np.arange(len(course.poses) + 1) * course.pitch))
    middle = ends(course).mean(axis=1)
    assert middle == pytest.approx((joints[1:] + joints[:-1]) / 2, abs=1e-9)


def test_number_spacing_offsets_and_flip() -> None:
    path = straight(20)
    three = lay_course(path, LOW, HIGH, fit=Fit.NUMBER, number=3)
    assert ends(three)[:, 0, 0] == pytest.approx([0, 8, 16])
    spaced = lay_course(path, LOW, HIGH, fit=Fit.SPACING, spacing=6, sideways=1.5, up=0.5)
    assert ends(spaced)[:, 0] == pytest.approx(np.array([(0, 0.5, -1.5), (6, 0.5, -1.5), (12, 0.5, -1.5)]))
    flipped = lay_course(path, LOW, HIGH, flip=True)
    assert ends(flipped)[0, 1] == pytest.approx([0, 0, 0], abs=1e-9)
    assert lay_course(path, LOW, HIGH, running=Running.Z).running is Running.Z


@pytest.mark.parametrize(
    ("settings_", "text"),
    [
        ({"fit": Fit.SPACING, "spacing": 0.0}, "above 0"),
        ({"gap": -4.0}, "leaves no distance"),
        ({"fit": Fit.NUMBER, "number": 200_000}, "Ask for fewer"),
        ({"fit": Fit.SPACING, "spacing": 0.00002}, "Ask for fewer"),
    ],
)
def test_absurd_courses_are_refused(settings_: dict[str, object], text: str) -> None:
    with pytest.raises(GeometryError, match=text):
        lay_course(straight(), LOW, HIGH, **settings_)  # type: ignore[arg-type]


def test_paths_need_two_points_on_different_spots() -> None:
    with pytest.raises(GeometryError, match="at least 2 points"):
        curve([PathPoint((0, 0, 0))])
    with pytest.raises(GeometryError, match="Points 1 and 2 of the path are on the same spot"):
        curve([PathPoint((0, 0, 0)), PathPoint((0, 0, 0))])
