"""What is told of slimmed pieces in metres is meant of the world, where they stand sized."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.path.bend import bent_points
from able_brick.core.path.growth import largest_growth
from able_brick.core.slim.viewing import ASPECT, HEIGHT, VIEW, allowed, good_from, pixels
from able_brick.level.evaluate import items_of
from able_brick.level.rows import Rung
from able_brick.level.rows.bent import BendDeformer
from able_brick.level.sizing import largest_size, metric_of, times_larger
from tests.core.test_bound import met_by_hand
from tests.session.bench import Bench
from tests.steps.test_steps import item_vertices
from tests.thorough import by_day

BALL = {"kind": "sphere", "radius": 1.0, "sides": 24, "rows": 12}


def world_apart(bench: Bench, thing: str, rung: str) -> float:
    """How far a rung is from the piece in the world, by hand, over all items of a thing."""
    snapshot, load = bench.project.snapshot, bench.project.meshes.get
    row = snapshot.of(bench.level)[thing]
    piece = snapshot.pieces[row.piece]
    out = 0.0
    own, other = load(piece.mesh), load(rung)
    for points in item_vertices(snapshot, row, load):
        # the affine map of an item, from where the vertices of the piece went
        known = np.column_stack([own.positions, np.ones(own.vertex_count)])
        to, *_ = np.linalg.lstsq(known, points, rcond=None)
        there = other.positions @ to[:3] + to[3]
        out = max(out, met_by_hand(own.replaced(positions=points), other.replaced(positions=there)))
    return out


@pytest.mark.parametrize("size", [(30.0, 30.0, 30.0), (4.0, 0.5, 9.0), (-2.0, 3.0, 1.0)])
def test_a_ladder_holds_in_the_world_for_the_largest_placement(bench: Bench, size: tuple[float, ...]) -> None:
    bench.do("add_shape", shape=BALL)
    bench.do("duplicate", "placement-1", distance=90.0)
    bench.do("set_pose", "placement-2", size=[abs(s) for s in size], turn=(20.0, 40.0, 0.0))
    if size[0] < 0:
        bench.do("mirror", "placement-2")
    targets = [{"kind": "deviation", "value": 120.0}, {"kind": "share", "value": 30.0}]
    told = bench.do("make_ladder", "piece-1", rungs=targets)
    ladder = bench.rows()["piece-1"].ladder
    assert ladder.size == pytest.approx(tuple(max(1.0, abs(s)) for s in size))
    assert "where it stands at ×" in (told.note or "")
    for rung in ladder.rungs:
        assert rung.proven
        met = max(world_apart(bench, p, rung.mesh) for p in ("placement-1", "placement-2"))
        assert met <= rung.largest * (1 + 1e-9) + 1e-9
        assert rung.good_from == good_from(rung.largest)
    assert ladder.rungs[0].largest <= 0.120
    slim = bench.do("slim", "placement-2", target="deviation", deviation=120.0)
    row = bench.rows()["placement-2"]
    origin = bench.rows()[row.piece].slim
    assert origin.proven and origin.largest <= 0.120 and origin.size == ladder.size
    assert slim.note


def test_arrays_groups_and_other_levels_count_as_well(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    piece = lambda: bench.project.snapshot.pieces["piece-1"]  # noqa: E731

    def size() -> tuple[float, ...]:
        return largest_size(bench.project.snapshot, piece())

    assert size() == (1.0, 1.0, 1.0)
    bench.do("set_pose", "placement-1", size=(2.0, 1.0, 1.0))
    bench.do("line_array", "placement-1", count=4)
    assert size() == (2.0, 1.0, 1.0)
    bench.do("make_group", "array-1", name="Row")
    bench.do("live_mirror", "group-1", through="point", point=(0.0, 0.0, -5.0))
    assert size() == pytest.approx((2.0, 1.0, 1.0))
    other = bench.other()
    bench.do("place_piece", "piece-1", level=other)
    (placed,) = bench.rows(other).keys() - {"piece-1", other}
    bench.do("set_pose", placed, level=other, size=(0.5, 7.0, 1.0))
    assert size() == pytest.approx((2.0, 7.0, 1.0))
    assert largest_size(bench.project.snapshot, piece(), [bench.level]) == pytest.approx((2.0, 1.0, 1.0))
    assert metric_of((1.0, 1.0, 1.0), piece()) is None
    assert times_larger((2.0, 7.0, 1.0), (2.0, 2.0, 4.0)) == 3.5


def test_a_course_that_is_stretched_counts_by_its_items(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box", "width": 4.0})
    bench.do("delete", "placement-1")
    bench.do("draw_path", points=[{"position": (0, 0, 9)}, {"position": (11.0, 0, 9)}], smooth=False)
    bench.do("lay_course", "path-1", piece="piece-1")
    found = largest_size(bench.project.snapshot, bench.project.snapshot.pieces["piece-1"])
    assert found == pytest.approx((11.0 / 12.0, 1.0, 1.0))


@given(st.integers(0, 10**6), st.floats(-8, 8), st.floats(-8, 8), st.booleans())
@settings(max_examples=by_day(10, 100))
def test_no_length_in_a_bent_item_grows_by_more_than_is_told(
    tmp_path_factory: pytest.TempPathFactory, seed: int, bow: float, rise: float, smooth: bool
) -> None:
    bench = Bench(tmp_path_factory.mktemp("bent") / "bent.db")
    bench.do("add_shape", shape={"kind": "box", "width": 3.0, "height": 1.5, "depth": 0.8})
    points = [{"position": p} for p in ((0, 0, 0), (14, rise, bow), (30, 0, -bow / 2))]
    bench.do("draw_path", points=points, smooth=smooth)
    bench.do("lay_course", "path-1", piece="piece-1", bend=True)
    snapshot = bench.project.snapshot
    shown = items_of(snapshot, snapshot.of(bench.level)["course-1"])
    assert shown is not None
    rng = np.random.default_rng(seed)
    largest = 0.0
    for batch in shown.batches:
        form = batch.drawable.deformer
        if not isinstance(form, BendDeformer):
            continue
        growth = largest_growth(form.bent, [form.item])
        largest = max(largest, growth)
        for leg in form.division:  # within a part the map of a mesh is that of its ends
            stops = np.linspace(leg[0], leg[1], max(leg[2], 4) + 1)
            box = form.bent.box
            lattice = rng.uniform(box.low[1:], box.high[1:], (len(stops), 2))
            own = np.column_stack([stops, lattice])
            world = bent_points(form.bent, own, [form.item])[0]
            made = np.linalg.norm(np.diff(world, axis=0), axis=1)
            assert (made <= growth * np.linalg.norm(np.diff(own, axis=0), axis=1) * (1 + 1e-6)).all()
    if largest:
        found = largest_size(snapshot, snapshot.pieces["piece-1"])
        assert min(found) >= max(1.0, largest) * (1 - 1e-9)
    bench.project.close()


def test_rungs_of_earlier_versions_are_estimates() -> None:
    told = {"target": {}, "mesh": "0", "triangles": 1, "hardware_vertices": 3, "largest": 1, "rms": 1, "good_from": 1}
    assert not Rung.model_validate(told).proven


def test_making_it_larger_is_told_beside_its_ladder(bench: Bench) -> None:
    bench.do("add_shape", shape=BALL)
    bench.do("make_ladder", "piece-1")
    before = bench.rows()["piece-1"].ladder
    bench.do("set_pose", "placement-1", size=(3.0, 3.0, 3.0))
    assert largest_size(bench.project.snapshot, bench.rows()["piece-1"]) == (3.0, 3.0, 3.0)
    bench.do("remake_ladder", "piece-1")
    after = bench.rows()["piece-1"].ladder
    assert [r.mesh for r in before.rungs] == [r.mesh for r in after.rungs]
    for one, other in zip(before.rungs, after.rungs, strict=True):
        assert other.largest == pytest.approx(3 * one.largest, rel=1e-4)
        assert other.good_from == pytest.approx(3 * one.good_from, rel=1e-4)


@given(
    st.tuples(st.floats(-1, 1), st.floats(-1, 1)),
    st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.1),
    st.floats(1.0, 500.0),
)
def test_a_pixel_is_one_anywhere_in_a_picture(
    at: tuple[float, float], way: tuple[float, float, float], distance: float
) -> None:
    """By projection: what is moved by what is allowed, at a distance from the eye, moves by no more in the picture."""
    half = math.tan(math.radians(VIEW) / 2)
    ray = np.array([at[0] * half * ASPECT, at[1] * half, 1.0])
    point = ray / np.linalg.norm(ray) * distance

    def seen(p: np.ndarray) -> np.ndarray:
        return np.asarray(p[:2] / p[2]) * HEIGHT / (2 * half)

    by = allowed(1.0, distance) * np.array(way) / np.linalg.norm(way)
    assert np.linalg.norm(seen(point + by) - seen(point)) <= 1.0 + 0.01
    assert pixels(allowed(1.0, distance), distance) == pytest.approx(1.0)
    assert good_from(allowed(1.0, distance)) == pytest.approx(distance)


def test_the_corner_of_a_picture_is_what_is_strictest() -> None:
    half = math.tan(math.radians(VIEW) / 2)
    corner = np.array([half * ASPECT, half, 1.0])
    corner *= 10.0 / np.linalg.norm(corner)
    side = np.array([corner[0], corner[1], 0.0])
    side /= np.linalg.norm(side)
    # across the ray, in the plane of the eye's axis
    across = np.array([*side[:2], 0.0]) * corner[2] - np.array([0.0, 0.0, 1.0]) * np.hypot(*corner[:2])
    by = allowed(1.0, 10.0) * across / np.linalg.norm(across)
    moved = ((corner + by)[:2] / (corner + by)[2] - corner[:2] / corner[2]) * HEIGHT / (2 * half)
    assert np.linalg.norm(moved) == pytest.approx(1.0, rel=0.01)
