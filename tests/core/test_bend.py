"""Bending pieces along paths: lengths, frames, seams, divisions, what is closed."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from able_brick.core.mesh.measure import area, volume
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.slicing import cut_planes, sliced
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import problems
from able_brick.core.path.bend import CHORD_ERROR, Bent, bent_normals, bent_points
from able_brick.core.path.course import CornerTurn, Course, CoursePart, Fit, lay_course
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.path.dividing import Divided, divided_for
from able_brick.core.path.editing import circle_points
from able_brick.core.path.guide import Between, Guide
from able_brick.core.path.real import welded_items
from able_brick.core.path.rhythm import CORNER, Rhythm
from able_brick.core.path.running import Run, Running
from able_brick.core.path.tight import crossings, tightest
from able_brick.core.path.uv import continued_uv
from able_brick.core.shapes.box import box
from able_brick.core.shapes.doorway import doorway
from tests.zoo import ZOO

WALL = box(4.0, 3.0, 0.6)
POST = box(0.4, 4.0, 0.4)
RUN = Run(Running.X)
span = st.tuples(st.floats(6, 14), st.floats(-2, 2), st.floats(-6, 6))
winding = st.lists(span, min_size=2, max_size=6).map(
    lambda steps: curve(
        [PathPoint(tuple(p)) for p in np.cumsum([(0.0, 0.0, 0.0), *steps], axis=0)],  # type: ignore[misc]
        smooth=True,
    )
)


def circle(radius: float) -> Curve:
    return curve(circle_points(radius), closed=True)


def square(side: float = 20.0) -> Curve:
    return curve([PathPoint(p) for p in ((0, 0, 0), (side, 0, 0), (side, 0, side), (0, 0, side))], closed=True)


def part(mesh: PolyMesh, run: Run = RUN) -> CoursePart:
    return CoursePart(run, run.box(*mesh.bounds))


def laid(path: Curve, *meshes: PolyMesh, upright: bool = True, roll: Floats | None = None, **more: object) -> Course:
    guide = Guide(path.on_ground if upright else path, upright, np.zeros(0) if roll is None else roll)
    return lay_course(guide, [part(m) for m in meshes], **{"bend": True, **more})  # type: ignore[arg-type]


def item(found: Bent, own: PolyMesh, k: int) -> tuple[Divided, Floats]:
    """One item: how it is divided, and its points in the world."""
    part = divided_for(found, k, own, found.run.points(own.positions))
    return part, bent_points(found, part.points, [k], part.rows)[0]


def one_mesh(course: Course, *meshes: PolyMesh) -> PolyMesh:
    """All items of a course as one welded mesh."""
    made: list[tuple[int, PolyMesh, np.ndarray]] = []
    for numbers, found in course.bent:
        for k, number in enumerate(numbers):
            own = meshes[int(course.slots.parts[number])]
            part, world = item(found, own, k)
            made.append((int(number), part.mesh.replaced(positions=world), part.seam))
    made.sort(key=lambda m: m[0])
    return welded_items([m for _, m, _ in made], [s for *_, s in made], [0] * len(made))


@given(winding, st.booleans())
@settings(max_examples=40, deadline=None)
def test_arc_lengths_agree_with_quadrature(path: Curve, upright: bool) -> None:
    whole = path.on_ground if upright else path

    def speed(t: float, k: int) -> float:
        d = path.derivatives(np.array([k + min(t, 1 - 1e-12)]))[0]
        return float(np.hypot(d[0], d[2]) if upright else np.linalg.norm(d))

    wanted = sum(quad(speed, 0, 1, args=(k,), epsabs=1e-11, limit=200)[0] for k in range(path.span_count))
    assert whole.length == pytest.approx(wanted, rel=1e-6)
    guide = Guide(whole, upright)
    stations = np.linspace(0, whole.length, 23)
    assert whole.stations(guide.parameters(stations)) == pytest.approx(stations, abs=1e-8)


def test_lengths_of_closed_forms() -> None:
    # y = x² from 0 to 1, as the cubic that it is
    parabola = Curve(np.array([[(0, 0, 0), (1 / 3, 0, 0), (2 / 3, 1 / 3, 0), (1, 1, 0)]], np.float64), closed=False)
    assert parabola.length == pytest.approx((2 * np.sqrt(5) + np.arcsinh(2)) / 4, rel=1e-6)
    assert curve([PathPoint((1, 2, 3)), PathPoint((4, 6, 15))]).length == pytest.approx(13.0, rel=1e-12)
    assert circle(7.5).length == pytest.approx(2 * np.pi * 7.5, rel=5e-6)
    away = np.linalg.norm(circle(7.5).drawn(), axis=1)
    assert np.abs(away - 7.5).max() < 1e-4 * 7.5
    assert circle(7.5).smallest_radius == pytest.approx(7.5, rel=1e-2)


@given(winding, st.lists(st.floats(-40, 40), min_size=7, max_size=7))
@settings(max_examples=40, deadline=None)
def test_frames_are_orthonormal_and_the_same_whatever_else_is_asked(path: Curve, lean: list[float]) -> None:
    guide = Guide(path, False, np.radians(lean[: path.span_count + 1]))
    stations = np.linspace(0, path.length, 41)
    s = guide.sections(stations)
    basis = np.stack([s.along, s.side, s.up], axis=1)
    assert np.abs(basis @ basis.transpose(0, 2, 1) - np.eye(3)).max() < 1e-9
    alone = guide.sections(stations[17:18])
    for name in ("origin", "along", "side", "up"):
        assert (getattr(alone, name)[0] == getattr(s, name)[17]).all()


def test_plane_curves_have_no_twist_and_closed_ones_close() -> None:
    flat = curve([PathPoint(p) for p in ((0, 0, 0), (9, 0, 4), (15, 0, -3), (24, 0, 2))], smooth=True)
    sections = Guide(flat, False).sections(np.linspace(0, flat.length, 60))
    assert np.abs(sections.up - (0, 1, 0)).max() < 1e-9
    ring = curve([PathPoint(p) for p in ((4, 0, 0), (0, 1.5, 4), (-4, 0, 0), (0, -1, -4))], closed=True, smooth=True)
    both = Guide(ring, False).sections(np.array([0.0, ring.length * (1 - 1e-13)]))
    assert both.side[0] == pytest.approx(both.side[1], abs=1e-6)


@given(winding, st.sampled_from([0.25, 1.0, 4.0]), st.booleans())
@settings(max_examples=40, deadline=None)
def test_bent_items_fill_the_path_and_share_their_seams_to_the_bit(path: Curve, length: float, upright: bool) -> None:
    piece = box(length, 1.0, 0.3)
    course = laid(path, piece, upright=upright)
    assert course.slots.stations[0, 0] == 0.0
    assert course.slots.stations[-1, 1] == pytest.approx(course.length, abs=1e-9)
    assert (course.slots.stations[1:, 0] == course.slots.stations[:-1, 1]).all()
    ((numbers, found),) = course.bent
    items = range(min(len(numbers), 6))
    before: set[tuple[float, ...]] | None = None
    for k in items:
        made, world = item(found, piece, k)
        points = made.points
        s = points[:, 0]
        begin = {tuple(p) for p in world[s == s.min()]}
        assert before is None or begin == before, "neighbours have the very same points"
        before = {tuple(p) for p in world[s == s.max()]}


@given(winding, st.booleans())
@settings(max_examples=25, deadline=None)
def test_edges_stay_within_the_chord_error(path: Curve, upright: bool) -> None:
    if path.smallest_radius < 1.5:
        return
    piece = box(3.0, 1.0, 0.6)
    course = laid(path, piece, upright=upright)
    ((_, found),) = course.bent
    for k in range(len(found.starts)):
        made, world = item(found, piece, k)
        points, edges = made.points, topology(made.mesh).edges
        along = np.abs(points[edges[:, 0], 0] - points[edges[:, 1], 0]) > 1e-9
        middle = (points[edges[along, 0]] + points[edges[along, 1]]) / 2
        true = bent_points(found, middle, [k])[0]
        chord = world[edges[along]].mean(axis=1)
        assert np.linalg.norm(true - chord, axis=1).max(initial=0.0) <= CHORD_ERROR


def test_a_straight_quay_needs_one_mesh_and_a_ramp_one_form() -> None:
    straight = curve([PathPoint((0, 0, 0)), PathPoint((400, 0, 0))])
    ((_, found),) = laid(straight, WALL).bent
    assert found.rigid.all()
    ramp = curve([PathPoint((0, 0, 0)), PathPoint((40, 8, 0))])
    ((_, found),) = laid(ramp, WALL).bent
    assert not found.rigid.any()
    assert len(found.digests) == 1
    assert set(found.alike.tolist()) == {0}
    made, world = item(found, WALL, 3)
    points = made.points
    # raked: sheared along the slope, verticals stay upright
    assert world[:, 1] == pytest.approx(points[:, 2] + world[:, 0] * 0.2, abs=1e-9)


@pytest.mark.parametrize("mesh", [WALL, doorway(4, 3, 0.5, opening_width=1.2, opening_height=2.1)])
def test_one_mesh_of_a_closed_piece_is_closed(mesh: PolyMesh) -> None:
    open_path = curve([PathPoint(p) for p in ((0, 0, 0), (14, 1, 6), (30, 0, -2))], smooth=True)
    for path in (open_path, circle(12.0), square(24.0)):
        whole = one_mesh(laid(path, mesh, rhythm=Rhythm(angle=np.radians(30))), mesh)
        assert topology(whole).is_closed
        assert not problems(whole)
        assert volume(whole) > 0


def test_corner_pieces_stand_in_corners_and_share_seams_with_their_neighbours() -> None:
    rhythm = Rhythm(pattern=(0,), corner=1, angle=np.radians(30))
    course = laid(square(), WALL, POST, rhythm=rhythm)
    assert course.slots.corner.sum() == 4
    assert course.slots.places[course.slots.corner, 1].tolist() == [CORNER] * 4
    order = course.slots.stations
    assert np.mod(order[1:, 0], 80) == pytest.approx(np.mod(order[:-1, 1], 80), abs=1e-12)
    whole = one_mesh(course, WALL, POST)
    assert topology(whole).is_closed
    rigid = laid(square(), WALL, POST, rhythm=rhythm, bend=False, corner_turn=CornerTurn.COMING)
    posts = rigid.poses.positions[rigid.slots.corner]
    assert sorted(tuple(np.round(p, 9)) for p in posts) == [(0, 0, 0), (0, 0, 20), (20, 0, 0), (20, 0, 20)]
    runs = rigid.slots.stations[~rigid.slots.corner]
    assert runs[0, 0] == pytest.approx(0.2)
    assert runs[4, 1] == pytest.approx(19.8)


def test_rhythms_repeat_begin_end_and_swap() -> None:
    path = curve([PathPoint((0, 0, 0)), PathPoint((41.3, 0, 0))])
    rhythm = Rhythm(pattern=(0, 0, 1), first=1, last=1, others={(0, 3): None, (0, 4): 1})
    for bend in (False, True):
        course = laid(path, WALL, POST, rhythm=rhythm, bend=bend)
        parts = course.slots.parts.tolist()
        assert parts[0] == parts[-1] == 1
        assert parts[1:4] == [0, 0, 1]
        assert parts[4] == 1
        assert course.slots.left_out.tolist() == [k == 3 for k in range(len(parts))]
        assert course.slots.stations[-1, 1] == pytest.approx(41.3, abs=1e-9)
        lengths = np.diff(course.slots.stations, axis=1)[:, 0]
        natural = np.where(np.array(parts) == 0, 4.0, 0.4)
        assert lengths / natural == pytest.approx(np.full(len(parts), course.stretch))


def test_courses_that_share_joints_have_the_same_stations() -> None:
    path = curve([PathPoint(p) for p in ((0, 0, 0), (14, 0, 6), (30, 0, -2))], smooth=True)
    base = laid(path, WALL)
    other = laid(path, box(1.0, 0.2, 1.0), along=base.slots)
    assert (other.slots.stations == base.slots.stations).all()


def test_what_lies_between_two_paths_reaches_from_one_to_the_other() -> None:
    near = curve([PathPoint((0, 0, 0)), PathPoint((20, 0, 0))])
    far = curve([PathPoint((0, 0, 6)), PathPoint((20, 0, 10))])
    road = box(4.0, 0.2, 2.0)
    frame = part(road).box
    between = Between(Guide(near, True), Guide(far, True), float(frame.high[1]), float(frame.low[1]))
    course = lay_course(between, [part(road)], bend=True)
    ((_, found),) = course.bent
    points = item(found, road, 0)[0].points
    world = bent_points(found, points, range(len(found.starts)))
    low, high = world[..., 2].min(axis=1), world[..., 2].max(axis=1)
    assert low == pytest.approx(np.zeros(len(low)), abs=1e-12)
    assert high[-1] == pytest.approx(10.0)
    assert high[0] == pytest.approx(6.8)


def test_tight_places_and_crossings_are_told_with_their_numbers() -> None:
    low, high = part(WALL).box.low, part(WALL).box.high
    gentle, sharp = Guide(circle(5.0), False), Guide(circle(0.25), False)
    stations = np.array([[0.0, 1.0]])
    assert tightest(gentle, low, high, stations) == []
    (place,) = tightest(sharp, low, high, stations)[:1]
    assert place.radius == pytest.approx(0.25, rel=0.05)
    assert place.needed == pytest.approx(0.3, rel=0.05)
    eight = curve(
        [PathPoint(p) for p in ((0, 0, 0), (20, 0, 20), (40, 0, 0), (20, 0, -20), (0, 0, 20), (-20, 0, 0))], smooth=True
    )
    assert crossings(Guide(eight, True), low, high)
    assert not crossings(Guide(circle(9.0), True), low, high)


def test_uv_keep_their_density_and_go_on() -> None:
    mesh = WALL
    points = RUN.points(mesh.positions)
    assert mesh.uv is not None
    for face in range(mesh.face_count):
        c = slice(mesh.face_starts[face], mesh.face_starts[face + 1])
        s, old = points[mesh.corners[c], 0], mesh.uv[c]
        new = continued_uv(mesh, points, 1.25, 8.0).uv
        assert new is not None
        if np.ptp(s) < 1e-9:
            assert new[c] == pytest.approx(old)
            continue
        before = np.ptp(old, axis=0) / 4.0
        after = np.ptp(new[c], axis=0) / 5.0
        assert after[np.argmax(before)] == pytest.approx(before.max()) or np.ptp(old[:, np.argmax(before)]) < 1e-9


@pytest.mark.parametrize("name", ZOO)
def test_slicing_keeps_form_and_soundness(name: str) -> None:
    mesh = ZOO[name]()
    for axis in (0, 2):
        at = mesh.positions[:, axis]
        if not len(at) or not float(np.ptp(at)) > 1e-6 or problems(mesh):
            continue
        out, along = sliced(mesh, at, cut_planes(at, float(np.ptp(at)) / 5))
        assert area(out) == pytest.approx(area(mesh), rel=1e-9)
        assert topology(out).is_closed == topology(mesh).is_closed
        assert {p.code for p in problems(out)} == set()
        assert along == pytest.approx(out.positions[:, axis], abs=1e-9)
        assert np.bincount(out.material).sum() == out.face_count


@given(st.floats(0.1, 3.0), st.integers(1, 9))
def test_cuts_leave_nothing_longer_and_use_loops_that_are_there(longest: float, loops: int) -> None:
    at = np.linspace(-1.0, 3.0, loops + 1)
    planes = np.concatenate([[-1.0], cut_planes(at, longest), [3.0]])
    assert (np.diff(planes) > 0).all()
    assert np.diff(planes).max() <= longest * (1 + 1e-9) or longest >= 4.0


def test_normals_lean_with_the_bend() -> None:
    path = circle(6.0)
    course = laid(path, WALL)
    ((_, found),) = course.bent
    assert isinstance(found, Bent)
    points = item(found, WALL, 0)[0].points
    outer = points[np.isclose(points[:, 1], points[:, 1].min())]
    normals = np.tile([0.0, -1.0, 0.0], (len(outer), 1))
    got = bent_normals(found, outer, normals, [0])[0]
    world = bent_points(found, outer, [0])[0]
    flat = world * (1, 0, 1)
    wanted = flat / np.linalg.norm(flat, axis=1, keepdims=True)
    sign = np.sign((got * wanted).sum(axis=1))[:, None]
    assert got * sign == pytest.approx(wanted, abs=1e-3)


def test_counts_and_spacing_also_bend() -> None:
    path = circle(10.0)
    seven = laid(path, WALL, fit=Fit.NUMBER, number=7)
    assert len(seven.slots) == 7
    spaced = laid(path, POST, fit=Fit.SPACING, spacing=3.0)
    assert np.diff(spaced.middles) == pytest.approx(np.full(len(spaced.slots) - 1, 3.0))
