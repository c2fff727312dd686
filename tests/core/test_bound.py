"""What is told of two surfaces holds at every point of them, whatever samples would have met."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim.deviation import Measure, deviation
from able_brick.core.slim.ladder import Target, ladder
from able_brick.core.slim.metric import largest_metric, mean_size, stretch_of
from able_brick.core.slim.once import reduce_to
from tests.thorough import by_day
from tests.zoo import ZOO, bumpy_ball


def triangles_of(mesh: PolyMesh, metric: Floats | None = None) -> Floats:
    points = mesh.positions if metric is None else mesh.positions @ metric.T
    out: Floats = points[mesh.corners[triangulate(mesh)[0]]]
    return out


def on_surface(soup: Floats, count: int, seed: int) -> Floats:
    """Points all over triangles, half of them by their areas."""
    rng = np.random.default_rng(seed)
    area = np.linalg.norm(np.cross(soup[:, 1] - soup[:, 0], soup[:, 2] - soup[:, 0]), axis=1)
    chosen = np.concatenate([rng.choice(len(soup), count), rng.choice(len(soup), count, p=area / area.sum())])
    shares = rng.dirichlet((1.0, 1.0, 1.0), len(chosen))
    return np.einsum("nk,nkc->nc", shares, soup[chosen])


def away_from(points: Floats, soup: Floats) -> Floats:
    """Distances of points from the nearest of triangles, by projection into each plane and onto each edge: all pairs,
    some at a time, with no tree."""
    out = np.empty(len(points))
    a, u, v = soup[:, 0], soup[:, 1] - soup[:, 0], soup[:, 2] - soup[:, 0]
    n = np.cross(u, v)
    square = (n * n).sum(axis=1)
    for first in range(0, len(points), 400):
        p = points[first : first + 400, None]
        best = np.full(p.shape[0], np.inf)
        for k in range(3):
            start, along = soup[:, k], soup[:, (k + 1) % 3] - soup[:, k]
            long = (along * along).sum(axis=1)
            t = np.clip(((p - start) * along).sum(axis=2) / np.where(long > 0, long, 1.0), 0.0, 1.0)
            best = np.minimum(best, np.linalg.norm(p - start - t[:, :, None] * along, axis=2).min(axis=1))
        with np.errstate(divide="ignore", invalid="ignore"):
            d = p - a
            s = (np.cross(d, v) * n).sum(axis=2) / square
            t = (np.cross(u, d) * n).sum(axis=2) / square
            high = np.abs((d * n).sum(axis=2)) / np.sqrt(square)
        inside = (s >= 0) & (t >= 0) & (s + t <= 1)
        out[first : first + 400] = np.minimum(best, np.where(inside, high, np.inf).min(axis=1))
    return out


def met_by_hand(one: PolyMesh, other: PolyMesh, metric: Floats | None = None, seed: int = 5) -> float:
    """The largest distance that many points of both surfaces have."""
    a, b = triangles_of(one, metric), triangles_of(other, metric)
    return max(float(away_from(on_surface(x, by_day(120, 400), seed), y).max()) for x, y in ((a, b), (b, a)))


@pytest.mark.parametrize("name", ZOO)
def test_no_point_is_beyond_what_is_told_and_some_point_is_nearly_there(name: str) -> None:
    mesh = ZOO[name]()
    for share in by_day((0.5, 0.1), (0.9, 0.5, 0.1)):
        out = reduce_to(mesh, max(4, int(share * mesh.triangle_count))).mesh
        found = deviation(mesh, out)
        met = met_by_hand(mesh, out)
        size = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
        assert met <= found.largest + 1e-12 * size
        assert found.met <= found.largest
        assert found.largest <= 1.3 * max(met, found.met, 1e-5 * size), "and not much is added to it"


def test_a_spike_that_no_sample_hits_is_told() -> None:
    """A needle of 1 mm² on a plate of 100 m², in the surface that is measured and in that which is measured against."""
    plate = ZOO["sheet"]()
    low, high = plate.bounds
    tall = 0.3 * float(np.linalg.norm(high - low))
    at = (low + high) / 2 + np.array([0.0123, 0.0, 0.0077])
    foot = at + 1e-6 * np.array([[1, 0, 0], [-1, 0, 1], [-1, 0, -1]], float)
    tip = at + np.array([0.0, tall, 0.0])
    points = np.concatenate([plate.positions, foot, [tip]])
    v = plate.vertex_count
    faces = np.array([v, v + 1, v + 3, v + 1, v + 2, v + 3, v + 2, v, v + 3], np.int32)
    starts = np.concatenate([plate.face_starts, plate.face_starts[-1] + 3 * np.arange(1, 4, dtype=np.int32)])
    spiked = PolyMesh.trusted(points, starts, np.concatenate([plate.corners, faces]))
    for one, other in ((plate, spiked), (spiked, plate)):
        found = deviation(one, other, samples=50)
        assert tall <= found.largest <= 1.1 * tall


def test_a_ridge_between_two_vertices_is_told_although_all_vertices_are_near() -> None:
    """Two long triangles folded over the shorter diagonal and over the longer one: all corners are shared, and what is
    between them is half the height of the fold apart."""
    square = np.array([[0, 0, 0], [1, 0.2, 0], [1.1, 0, 1], [0, 0.2, 1]], float)
    starts = np.array([0, 3, 6], np.int32)
    one = PolyMesh.trusted(square, starts, np.array([0, 1, 2, 0, 2, 3], np.int32))
    other = PolyMesh.trusted(square, starts, np.array([0, 1, 3, 1, 2, 3], np.int32))
    found = Measure(one, samples=1).of(other)
    by_hand = met_by_hand(one, other)
    assert by_hand > 0.15
    assert by_hand <= found.largest <= 1.15 * by_hand


def test_what_coincides_is_told_to_be_nowhere_apart() -> None:
    plain, divided = ZOO["box"](), ZOO["divided box"]()
    assert deviation(divided, reduce_to(divided, 12).mesh).largest < 1e-6
    assert deviation(plain, plain).largest == 0.0


@settings(max_examples=by_day(8, 40))
@given(
    st.integers(0, 10**6),
    st.sampled_from(sorted(ZOO)),
    st.floats(0.003, 0.1),
    st.tuples(*[st.floats(0.02, 50.0)] * 3),
    st.booleans(),
)
def test_targets_hold_in_the_world_of_sized_nodes(
    seed: int, name: str, share: float, size: tuple[float, float, float], even: bool
) -> None:
    mesh = ZOO[name]()
    if mesh.triangle_count > 500:
        mesh = reduce_to(mesh, by_day(150, 300)).mesh
    rng = np.random.default_rng(seed)
    turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
    metric = np.diag([size[0]] * 3 if even else size) @ turn
    world = mesh.positions @ metric.T
    limit = share * float(np.linalg.norm(world.max(axis=0) - world.min(axis=0)))
    (made,) = ladder(mesh, [Target("deviation", limit)], metric=metric)
    met = met_by_hand(mesh, made.slimmed.mesh, metric, seed)
    assert met <= made.deviation.largest * (1 + 1e-9) + 1e-12 * limit
    assert made.deviation.largest <= limit


def test_what_is_made_larger_is_told_to_be_farther() -> None:
    ball = bumpy_ball(24)
    (small,) = ladder(ball, [Target("share", 0.3)])
    (large,) = ladder(ball, [Target("share", 0.3)], metric=100.0 * np.eye(3))
    assert large.slimmed.mesh.content_hash == small.slimmed.mesh.content_hash
    assert large.deviation.largest == pytest.approx(100 * small.deviation.largest, rel=1e-6)
    limit = 2 * small.deviation.largest
    own, sized = (ladder(ball, [Target("deviation", limit)], metric=m)[0] for m in (None, 100.0 * np.eye(3)))
    assert sized.slimmed.mesh.triangle_count > 3 * own.slimmed.mesh.triangle_count
    assert sized.deviation.largest <= limit


@given(st.integers(0, 10**6), st.integers(1, 5), st.booleans())
def test_distances_after_the_metric_of_several_places_are_at_least_those_of_each(
    seed: int, count: int, skewed: bool
) -> None:
    rng = np.random.default_rng(seed)
    turns = [np.linalg.qr(rng.normal(size=(3, 3)))[0] for _ in range(2 * count)]
    maps = np.array([turns[2 * k] @ np.diag(rng.uniform(0.1, 4, 3)) for k in range(count)])
    if skewed:
        maps = maps @ np.array(turns[1::2])
    metric = largest_metric(maps)
    assert metric is not None
    apart = rng.normal(size=(50, 3))
    longest = np.linalg.norm(apart @ np.swapaxes(maps, 1, 2), axis=2).max(axis=0)
    assert (np.linalg.norm(apart @ metric.T, axis=1) >= longest * (1 - 1e-9)).all()
    assert stretch_of(metric) >= np.linalg.norm(maps, 2, axis=(1, 2)).max() * (1 - 1e-9)
    if not skewed:
        assert np.allclose(metric, np.diag(np.sqrt((maps * maps).sum(axis=1).max(axis=0))))


def test_turns_and_mirror_images_change_no_distance() -> None:
    turn, _ = np.linalg.qr(np.random.default_rng(3).normal(size=(3, 3)))
    assert largest_metric(np.array([turn, -turn, np.diag([1.0, -1.0, 1.0])])) is None
    assert largest_metric(np.zeros((0, 3, 3))) is None
    assert mean_size(None) == stretch_of(None) == 1.0
    assert mean_size(np.diag([2.0, 4.0, 1.0])) == pytest.approx(2.0)
