"""Small parts are let go where that costs least, creases are kept by what they cost, and both are told."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.mesh.combine import joined, moved
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.validity import problems
from able_brick.core.shapes.box import box
from able_brick.core.slim.budget import BudgetShare, shared
from able_brick.core.slim.components import labels
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.ladder import Target, ladder
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Reducing
from able_brick.demo.pieces import footbridge, pump_house
from tests.zoo import ZOO, bumpy_ball, rock, waves

BOX = ZOO["box"]().replaced(uv=None)


def crates(count: int, seed: int = 1) -> PolyMesh:
    """Boxes of very different sizes, here and there."""
    rng = np.random.default_rng(seed)
    sizes = rng.lognormal(0.0, 0.8, (count, 3))
    places = rng.uniform(-20, 20, (count, 3))
    return joined([BOX.replaced(positions=BOX.positions * s + p) for s, p in zip(sizes, places, strict=True)])


def test_hard_forms_reach_what_is_asked() -> None:
    mesh = crates(200)
    for share in (0.5, 0.25, 0.05):
        goal = round(mesh.triangle_count * share)
        out = reduce_to(mesh, goal)
        assert out.reached
        assert out.mesh.triangle_count <= goal
        assert not problems(out.mesh)


def test_the_smallest_go_first_and_the_largest_stays() -> None:
    far = BOX.replaced(positions=BOX.positions * 10)
    small = [BOX.replaced(positions=BOX.positions * s + [30.0 * k, 0, 0]) for k, s in enumerate((0.1, 0.3, 3.0), 1)]
    mesh = joined([far, *small])
    two = reduce_to(mesh, 24)
    assert two.gone >= 1
    places = two.mesh.positions[:, 0]
    assert not ((places > 25) & (places < 35)).any(), "the smallest went"
    assert (places < 20.1).any()
    assert (places > 85).any()
    last = reduce_to(mesh, 4)
    assert last.mesh.triangle_count >= 4
    assert last.mesh.bounds[1][0] <= 30, "what is left is the largest"


def test_what_is_kept_is_never_let_go() -> None:
    bead = bumpy_ball(4)
    mesh = joined([bumpy_ball(24), bead.replaced(positions=bead.positions * 0.01 + [3.0, 0, 0])])
    locked = np.zeros(mesh.vertex_count, np.bool_)
    locked[-1] = True
    assert reduce_to(mesh, 60).gone == 1
    assert reduce_to(mesh, 60, locked=locked).gone == 0


def test_a_part_that_is_within_the_deviation_may_go_and_no_other() -> None:
    ball, bead = bumpy_ball(24), bumpy_ball(4)
    beside = [1.3, 0.0, 0.0]
    mesh = joined([ball, bead.replaced(positions=bead.positions * 0.01 + beside)])
    gap = float(np.linalg.norm(ball.positions - np.array(beside), axis=1).min())
    for limit in (gap / 4, 4 * gap):
        (made,) = ladder(mesh, [Target("deviation", limit)])
        assert made.deviation.largest <= limit
        assert (made.slimmed.gone == 0) == (limit < gap)


@pytest.mark.parametrize("share", [0.25, 0.125])
def test_a_faceted_form_keeps_its_creases_about_where_they_are(share: float) -> None:
    mesh = rock(5)
    out = reduce_to(mesh, round(mesh.triangle_count * share)).mesh
    assert out.sharp.any()
    away = Measure(mesh).of(out)
    size = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    assert away.rms < 3e-4 * size
    assert not problems(out)


def test_a_cone_loses_its_ring_before_its_tip() -> None:
    """Texture coordinates that differ round the tip alone hold nothing beside it."""
    mesh = ZOO["cone"]()
    out = reduce_to(mesh, 14).mesh
    size = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    assert Measure(mesh).of(out).rms < 0.01 * size
    assert np.abs(out.positions - [0, 2, 0]).sum(axis=1).min() < 0.05


def test_parts_are_what_hangs_together() -> None:
    tri = np.array([[0, 1, 2], [7, 8, 9], [2, 3, 4], [9, 10, 7], [5, 5, 5]], np.int32)
    of, count = labels(tri, 12)
    assert count == 3
    assert [set(np.flatnonzero(of == k).tolist()) for k in range(3)] == [{0, 1, 2, 3, 4}, {7, 8, 9, 10}, {5}]
    assert of[11] == of[6] == -1


def test_what_went_is_remembered_one_after_the_other() -> None:
    mesh = joined([crates(60), bumpy_ball(12).replaced(uv=None)])
    run = Reducing(mesh)
    run.to(mesh.triangle_count // 10)
    left, cost = run.trace()
    steps = -np.diff(np.concatenate([[mesh.triangle_count], left]))
    assert left[-1] == run.triangles
    assert run.gone > 0
    assert steps.min() >= 1
    assert steps.max() <= 64, "a part goes at once that has become small"
    assert (np.diff(cost) >= 0).all()


def test_a_budget_is_shared_to_the_last_triangles_where_parts_go() -> None:
    forms = [footbridge().mesh, pump_house().mesh]
    budget = round(0.6 * sum(f.triangle_count for f in forms))
    parts = []
    for form in forms:
        run = Reducing(form)
        run.to(4)
        parts.append(BudgetShare(form.triangle_count, 1, 1.0, *run.trace()))
    counts = shared(parts, budget)
    assert 0.98 * budget < sum(counts) <= budget
    assert all(reduce_to(f, n).mesh.triangle_count <= n for f, n in zip(forms, counts, strict=True))


def test_a_state_and_its_copy_go_on_by_themselves() -> None:
    mesh = crates(80)
    run = Reducing(mesh)
    run.to(mesh.triangle_count * 3 // 4)
    alone = run.copied()
    trial = run.copied()
    trial.to(40)
    run.to(mesh.triangle_count // 3)
    alone.to(mesh.triangle_count // 3)
    assert run.result().mesh.content_hash == alone.result().mesh.content_hash


def test_of_two_that_are_near_each_other_alone_one_stays() -> None:
    sheet = waves(40).replaced(uv=None)
    size = float(np.ptp(sheet.positions, axis=0).max())
    one = moved(box(0.02 * size, 0.02 * size, 0.02 * size).replaced(uv=None), (0.0, 0.5 * size, 0.0))
    mesh = joined([sheet, one, moved(one, (0.0005 * size, 0.0, 0.0))])
    for share in (0.4, 0.2, 0.05):
        out = reduce_to(mesh, round(mesh.triangle_count * share))
        assert out.gone == 1, "once the other is gone, nothing is near"
        assert (out.mesh.positions[:, 1] > 0.3 * size).any()
