"""Bent items at the sharp corners of a path: nothing folds, nothing opens, and nothing is divided that is straight."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.mesh.validity import problems
from able_brick.core.path.bend import Rows, bent_normals, bent_points
from able_brick.core.path.course import Course, CoursePart, lay_course
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.path.dividing import Divided, divided_for
from able_brick.core.path.guide import Between, Guide
from able_brick.core.path.real import welded_items
from able_brick.core.path.rhythm import Rhythm
from able_brick.core.path.running import Run, Running
from able_brick.core.path.tight import tightest
from able_brick.core.shapes.box import box
from able_brick.core.shapes.cylinder import cylinder
from able_brick.core.shapes.doorway import doorway

RUN = Run(Running.X)
turns = st.lists(st.tuples(st.floats(5, 150), st.booleans()), min_size=1, max_size=5)


def polygon(corners: list[tuple[float, bool]], lengths: list[float], height: float = 0.0) -> Curve:
    """A path of straight legs that turns by degrees, to the left or right."""
    at, heading = np.zeros(3), 0.3
    points = [PathPoint((0.0, 0.0, 0.0))]
    for k, length in enumerate(lengths):
        if k:
            angle, left = corners[k - 1]
            heading += np.radians(angle if left else -angle)
        at = at + length * np.array([np.cos(heading), height, np.sin(heading)])
        points.append(PathPoint((float(at[0]), float(at[1]), float(at[2]))))
    return curve(points)


def laid(path: Curve, mesh: PolyMesh, *, upright: bool = True, **more: object) -> Course:
    guide = Guide(path.on_ground if upright else path, upright)
    return lay_course(guide, [CoursePart(RUN, RUN.box(*mesh.bounds))], bend=True, **more)  # type: ignore[arg-type]


def items(course: Course, own: PolyMesh) -> list[tuple[Divided, Floats]]:
    ((numbers, found),) = course.bent
    out = []
    for k in range(len(numbers)):
        part = divided_for(found, k, own, RUN.points(own.positions))
        out.append((part, bent_points(found, part.points, [k], part.rows)[0]))
    return out


def one_mesh(parts: list[tuple[Divided, Floats]]) -> PolyMesh:
    meshes = [p.mesh.replaced(positions=world) for p, world in parts]
    return welded_items(meshes, [p.seam for p, _ in parts], [0] * len(parts))


def mitred_length(points: Floats, offset: float) -> float:
    """The length of a line that runs `offset` to the left of a polyline in plan, mitred at its corners."""
    legs = np.diff(points[:, [0, 2]], axis=0)
    length = np.hypot(*legs.T)
    total = float(length.sum())
    heading = np.unwrap(np.arctan2(legs[:, 1], legs[:, 0]))
    # Z to the right of X: a turn from X to Z goes away from the left
    return total + float((2 * offset * np.tan(np.diff(heading) / 2)).sum())


def turned_faces(part: Divided, world: Floats) -> int:
    """How many triangles of an item look the other way than before it was bent, as far as its own leg is turned."""
    tris, _ = triangulate(part.mesh.replaced(positions=world))
    corners = part.mesh.corners[tris]

    def across(p: Floats) -> Floats:
        return np.cross(p[corners[:, 1]] - p[corners[:, 0]], p[corners[:, 2]] - p[corners[:, 0]])

    before, after = across(part.points), across(world)
    # a face looks along the way, to the side or up: which is the same after the turn for all but those that lean
    up = np.abs(before[:, 2]) > 0.99 * np.linalg.norm(before, axis=1)
    return int((before[up, 2] * after[up, 1] <= 0).sum()) + int((np.linalg.norm(after, axis=1) <= 1e-12).sum())


def sizes(corners: list[tuple[float, bool]], width: float, extra: list[float]) -> list[float]:
    """Lengths of legs that are just longer than their mitres take."""
    half = [width / 2 * np.tan(np.radians(a) / 2) for a, _ in corners]
    need = [0.0, *half]
    more = [*half, 0.0]
    return [a + b + e for a, b, e in zip(need, more, extra, strict=False)]


@given(
    turns,
    st.lists(st.floats(0.05, 9.0), min_size=6, max_size=6),
    st.sampled_from([(1, 1, 1), (7, 1, 1), (5, 3, 4)]),
    st.floats(0.4, 5.0),
    st.floats(-0.8, 0.8),
    st.booleans(),
)
@settings(max_examples=40, deadline=None)
def test_polygons_of_any_turns(
    corners: list[tuple[float, bool]],
    extra: list[float],
    divisions: tuple[int, int, int],
    length: float,
    aside: float,
    upright: bool,
) -> None:
    """No triangle turned, closed when real, the volume of the mitred sweep, and no part more than there must be."""
    # the far side of the piece is up to so far from the path
    width = 0.5 + 2 * abs(aside)
    legs = sizes(corners, width, extra)
    path = polygon(corners, legs)
    piece = box(length, 1.0, 0.5, divisions=divisions)
    piece = piece.replaced(positions=piece.positions + np.array([0.0, 0.0, aside]))
    course = laid(path, piece, upright=upright)
    parts = items(course, piece)
    for part, world in parts:
        assert turned_faces(part, world) == 0
        assert not problems(part.mesh.replaced(positions=world))
    whole = one_mesh(parts)
    assert topology(whole).is_closed
    assert not problems(whole)
    points = np.array([p.position for p in _points(path)])
    wanted = 0.5 * mitred_length(points, -aside)
    assert volume(whole) == pytest.approx(wanted, rel=1e-6)
    context = 2 * (divisions[1] + divisions[2])
    caps = 2 * divisions[1] * divisions[2]
    loops = len(parts) * (divisions[0] + 1)
    least = 2 * (len(parts) * caps + context * (loops - len(parts) + len(corners)))
    assert sum(p.mesh.triangle_count for p, _ in parts) <= 1.5 * least


def _points(path: Curve) -> list[PathPoint]:
    every = path.points(np.arange(path.span_count + 1, dtype=np.float64))
    return [PathPoint((float(p[0]), float(p[1]), float(p[2]))) for p in every]


def test_a_straight_leg_is_not_divided_whatever_turns_at_its_ends() -> None:
    """Ten boxes round a right angle: each as it is, but for the two that the mitre cuts."""
    path = curve([PathPoint(p) for p in ((0, 0, 0), (10, 0, 0), (10, 0, 10))])
    piece = box(2.0, 1.0, 0.5)
    course = laid(path, piece)
    assert sum(part.mesh.triangle_count for part, _ in items(course, piece)) == 10 * 12
    ((_, found),) = course.bent
    assert found.rigid.sum() == 8
    shifted = laid(path, box(2.2, 1.0, 0.5))
    made = items(shifted, box(2.2, 1.0, 0.5))
    # the one in the corner has one loop more, whose vertices belong to one leg each
    assert sorted(part.mesh.triangle_count for part, _ in made)[-2:] == [12, 20]
    assert topology(one_mesh(made)).is_closed


def test_a_square_post_in_a_corner_stays_a_square_post() -> None:
    """It ends just where its mitre does: the inside has no length left, and what closes it is not doubled."""
    path = curve([PathPoint(p) for p in ((0, 0, 0), (20, 0, 0), (20, 0, 20), (0, 0, 20))], closed=True)
    wall, post = box(3.6, 3.0, 0.4), box(0.4, 3.0, 0.4)
    guide = Guide(path.on_ground, True)
    parts = [CoursePart(RUN, RUN.box(*m.bounds)) for m in (wall, post)]
    course = lay_course(guide, parts, Rhythm(corner=1, angle=np.radians(30)), bend=True)
    made = []
    for numbers, found in course.bent:
        own = (wall, post)[int(course.slots.parts[numbers[0]])]
        for k, number in enumerate(numbers):
            part = divided_for(found, k, own, RUN.points(own.positions))
            made.append((int(number), part, bent_points(found, part.points, [k], part.rows)[0]))
    made.sort(key=lambda m: m[0])
    posts = [(p, w) for n, p, w in made if course.slots.corner[n]]
    assert len(posts) == 4
    for part, world in posts:
        assert np.ptp(world, axis=0) == pytest.approx((0.4, 3.0, 0.4), abs=1e-12)
        assert volume(one_mesh([(part, world)])) == pytest.approx(0.4 * 0.4 * 3.0)
        assert not problems(part.mesh.replaced(positions=world))
    whole = one_mesh([(p, w) for _, p, w in made])
    assert topology(whole).is_closed
    assert volume(whole) == pytest.approx(0.4 * 3.0 * 80)


@pytest.mark.parametrize("length", [2.0, 2.2])
def test_normals_do_not_smooth_over_a_corner(length: float) -> None:
    """Those of flat sides are those of their faces, in items that a corner is in and in those that end in one."""
    path = curve([PathPoint(p) for p in ((0, 0, 0), (11, 0, 0), (11, 0, 11))])
    piece = box(length, 1.0, 0.5)
    course = laid(path, piece)
    ((_, found),) = course.bent
    assert len(found.legs) == (1 if length == 2.0 else 2)
    for k in found.legs:
        part = divided_for(found, k, piece, RUN.points(piece.positions))
        world = bent_points(found, part.points, [k], part.rows)[0]
        hardware, faces = hardware_vertices(part.mesh), unit(area_vectors(part.mesh.replaced(positions=world)))
        at = hardware.vertex
        rows = Rows(part.rows.lengths, part.rows.number[at], part.rows.inside)
        got = bent_normals(found, part.points[at], hardware.normals, [k], rows)[0]
        wanted = faces[part.mesh.corner_face[hardware.corner]]
        across = np.abs(hardware.normals[:, 0]) > 0.5
        assert got[~across] == pytest.approx(wanted[~across], abs=1e-9)
        # what closes an item stands in the mitre, and is seen from a little before it
        assert got[across] == pytest.approx(wanted[across], abs=5e-3)


@given(turns, st.lists(st.floats(-0.2, 0.3), min_size=6, max_size=6), st.floats(-0.6, 0.6))
@settings(max_examples=30, deadline=None)
def test_legs_that_mitres_take_whole_are_told_and_others_are_not(
    corners: list[tuple[float, bool]], extra: list[float], aside: float
) -> None:
    """By the two sides of the piece: what is left of each between the mitres at the ends of each leg."""
    width = 0.5 + 2 * abs(aside)
    legs = [max(v, 0.02) for v in sizes(corners, width, extra)]
    path = polygon(corners, legs)
    bends = [0.0, *(np.tan(np.radians(a) / 2) * (1 if left else -1) for a, left in corners), 0.0]
    left = [
        min(length - side * (bends[k] + bends[k + 1]) for side in (aside + 0.25, aside - 0.25))
        for k, length in enumerate(legs)
    ]
    assume(min(abs(v) for v in left) > 1e-6)
    low, high = np.array([-1.0, -aside - 0.25, 0.0]), np.array([1.0, -aside + 0.25, 1.0])
    found = tightest(Guide(path.on_ground, True), low, high, np.array([[0.0, 1.0]]))
    assert bool(found) == (min(left) < 0)
    if found:
        assert max(f.taken - f.leg for f in found) == pytest.approx(-min(left), abs=1e-6)


def test_turns_that_are_too_sharp_are_told() -> None:
    low, high = np.array([-1.0, -0.25, 0.0]), np.array([1.0, 0.25, 1.0])
    for degrees, told in ((149.0, False), (151.0, True), (180.0, True)):
        path = polygon([(degrees, True)], [20.0, 20.0])
        found = tightest(Guide(path.on_ground, True), low, high, np.array([[0.0, 1.0]]))
        assert bool(found) == told
        assert all(np.degrees(f.turn) == pytest.approx(degrees) for f in found)


@pytest.mark.parametrize("name", ["doorway", "cylinder along", "plate of one face"])
def test_pieces_of_any_form_go_round_corners(name: str) -> None:
    mesh = {
        "doorway": lambda: doorway(4, 3, 0.5, opening_width=1.2, opening_height=2.1),
        "cylinder along": lambda: lying(0.3, 3.0),
        "plate of one face": lambda: box(4.0, 0.2, 2.0),
    }[name]()
    for degrees in (20.0, 90.0, 140.0):
        for left in (False, True):
            path = polygon([(degrees, left), (degrees, not left)], [13.0, 17.3, 11.0])
            made = items(laid(path, mesh), mesh)
            whole = one_mesh(made)
            assert topology(whole).is_closed
            assert not problems(whole)
            before = sum(volume(p.mesh.replaced(positions=w)) for p, w in made)
            assert volume(whole) == pytest.approx(before)


def lying(radius: float, length: float) -> PolyMesh:
    upright = cylinder(radius, length, sides=12)
    return upright.replaced(positions=upright.positions[:, [1, 2, 0]])


@pytest.mark.parametrize("upright", [True, False])
@pytest.mark.parametrize("aside", [0.7, -0.7])
def test_a_course_to_the_side_is_a_piece_to_the_side(upright: bool, aside: float) -> None:
    """A shift of the course and one of the piece from its pivot lead round corners alike."""
    path = polygon([(70.0, True), (110.0, False)], [9.0, 8.0, 7.0])
    piece = box(1.5, 1.0, 0.5)
    curve_ = path.on_ground if upright else path
    shifted = lay_course(Guide(curve_, upright, sideways=aside), [CoursePart(RUN, RUN.box(*piece.bounds))], bend=True)
    # to the left is toward −Z
    beside = piece.replaced(positions=piece.positions - np.array([0.0, 0.0, aside]))
    plain = lay_course(Guide(curve_, upright), [CoursePart(RUN, RUN.box(*beside.bounds))], bend=True)
    one, other = one_mesh(items(shifted, piece)), one_mesh(items(plain, beside))
    assert topology(one).is_closed
    assert one.positions == pytest.approx(other.positions, abs=1e-9)


@given(turns, st.floats(-0.4, 0.4), st.booleans())
@settings(max_examples=15, deadline=None)
def test_sloping_polygons_stay_closed_and_sound(corners: list[tuple[float, bool]], slope: float, upright: bool) -> None:
    path = polygon(corners, sizes(corners, 0.5, [4.0] * 6), slope)
    piece = box(1.3, 1.0, 0.5, divisions=(3, 1, 2))
    parts = items(laid(path, piece, upright=upright), piece)
    for part, world in parts:
        assert not problems(part.mesh.replaced(positions=world))
    whole = one_mesh(parts)
    assert topology(whole).is_closed
    assert not problems(whole)


def test_what_lies_between_two_paths_turns_at_the_corners_of_either() -> None:
    near = curve([PathPoint((0.0, 0.0, 0.0)), PathPoint((20.0, 0.0, 0.0))])
    far = curve([PathPoint(p) for p in ((0.0, 0.0, 6.0), (7.0, 0.0, 9.0), (20.0, 0.0, 5.0))])
    road = box(4.0, 0.2, 2.0)
    frame = RUN.box(*road.bounds)
    guides = Guide(near.on_ground, True), Guide(far.on_ground, True)
    between = Between(*guides, float(frame.high[1]), float(frame.low[1]))
    course = lay_course(between, [CoursePart(RUN, frame)], bend=True)
    made = items(course, road)
    whole = one_mesh(made)
    assert topology(whole).is_closed
    # the corner of the far path is a vertex, not cut off
    assert np.abs(np.concatenate([w for _, w in made])[:, [0, 2]] - (7.0, 9.0)).max(axis=1).min() < 1e-9
