"""Ladders, targets by deviation and pixels, shared budgets, seams."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import joined, turned_over
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import problems
from able_brick.core.shapes.box import box
from able_brick.core.slim.budget import BudgetShare, shared
from able_brick.core.slim.deviation import Measure, deviation
from able_brick.core.slim.ladder import Target, ladder
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Reducing
from able_brick.core.slim.seams import SIDES, on_sides, open_borders
from able_brick.core.slim.viewing import allowed, good_from, pixels
from tests.thorough import by_day
from tests.zoo import CLOSED, ZOO, bumpy_ball, rock, waves

SHARES = [Target("share", s) for s in (0.5, 0.25, 0.125)]


@pytest.mark.parametrize("name", ZOO)
def test_every_rung_is_sound_and_what_is_told_of_it_is_measured(name: str) -> None:
    mesh = ZOO[name]()
    for made, target in zip(ladder(mesh, SHARES), SHARES, strict=True):
        out = made.slimmed.mesh
        assert made.slimmed.reached == (out.triangle_count <= target.triangles(mesh))
        assert not problems(out) or name == "fin"
        assert topology(out).is_closed == (name in CLOSED)
        if out is not mesh:
            assert made.deviation == deviation(mesh, out)


def test_rungs_come_in_the_order_of_their_targets_whatever_it_is() -> None:
    mesh = bumpy_ball(40)
    there, back = ladder(mesh, SHARES), ladder(mesh, SHARES[::-1])
    for one, other in zip(there, back[::-1], strict=True):
        assert one.target == other.target
        assert one.slimmed.mesh.content_hash == other.slimmed.mesh.content_hash


def test_rungs_of_one_run_are_about_as_near_as_those_by_themselves() -> None:
    mesh = bumpy_ball(60)
    for made in ladder(mesh, SHARES):
        alone = reduce_to(mesh, made.target.triangles(mesh)).mesh
        assert made.deviation.rms <= 1.25 * deviation(mesh, alone).rms


@pytest.mark.parametrize("name", ZOO)
@pytest.mark.parametrize("limit", by_day([0.01], [0.002, 0.02]))
def test_a_largest_deviation_is_kept_within_whoever_measures(name: str, limit: float) -> None:
    mesh = ZOO[name]()
    (made,) = ladder(mesh, [Target("deviation", limit)])
    for seed in (1, 7):
        assert deviation(mesh, made.slimmed.mesh, samples=by_day(8_000, 30_000), seed=seed).met <= limit
    assert not problems(made.slimmed.mesh) or name == "fin"


def test_a_larger_deviation_leaves_fewer_and_pixels_are_one_by_another_name() -> None:
    mesh = bumpy_ball(by_day(46, 60))
    limits = [0.001, 0.004, 0.016]
    counts = [m.slimmed.mesh.triangle_count for m in ladder(mesh, [Target("deviation", d) for d in limits])]
    assert counts == sorted(counts, reverse=True)
    assert counts[-1] < 0.2 * mesh.triangle_count
    far = Target("pixels", 2.0, 30.0)
    assert far.deviation() == pytest.approx(allowed(2.0, 30.0))
    (by_pixels,) = ladder(mesh, [Target("pixels", 1.0, 0.004 / allowed(1.0, 1.0))])
    (by_metres,) = ladder(mesh, [Target("deviation", 0.004)])
    assert by_pixels.slimmed.mesh.triangle_count == by_metres.slimmed.mesh.triangle_count


@given(st.floats(1e-5, 10), st.floats(0.1, 1000), st.floats(0.25, 8))
def test_pixels_and_distances_are_one_formula(deviation_m: float, distance: float, error: float) -> None:
    assert pixels(allowed(error, distance), distance) == pytest.approx(error)
    assert pixels(deviation_m, good_from(deviation_m, error=error)) == pytest.approx(error)


@pytest.mark.parametrize(
    "target",
    [
        Target("share", 0.0),
        Target("share", 1.5),
        Target("count", 0.5),
        Target("deviation", 0.0),
        Target("deviation", math.nan),
        Target("pixels", 1.0, 0.0),
        Target("pixels", -1.0),
        Target("count", math.inf),
    ],
)
def test_targets_that_cannot_be_meant_are_refused(target: Target) -> None:
    with pytest.raises(GeometryError):
        ladder(bumpy_ball(12), [Target("share", 0.5), target])


def test_a_target_above_what_there_is_gives_the_mesh_itself() -> None:
    mesh = bumpy_ball(12)
    (made,) = ladder(mesh, [Target("count", 1e6)])
    assert made.slimmed.mesh is mesh
    assert made.deviation.largest == 0.0


@given(st.integers(0, 2**31 - 1), st.sampled_from(["bumpy", "waves"]))
@settings(max_examples=5)
def test_locked_vertices_are_on_every_rung_bit_for_bit(seed: int, form: str) -> None:
    mesh = bumpy_ball(by_day(20, 30)) if form == "bumpy" else waves(by_day(26, 40))
    locked = np.random.Generator(np.random.PCG64(seed)).random(mesh.vertex_count) < 0.05
    wanted = {p.tobytes() for p in mesh.positions[locked]}
    for made in ladder(mesh, [*SHARES, Target("deviation", 0.02)], locked=locked):
        assert wanted <= {p.tobytes() for p in made.slimmed.mesh.positions}


def test_borders_and_sides_are_found() -> None:
    mesh = waves(12)
    border = open_borders(mesh)
    assert border.sum() == 4 * 12
    assert on_sides(mesh.positions, ["-x", "+x", "-z", "+z"])[border].all()
    assert not on_sides(mesh.positions, []).any()
    assert on_sides(mesh.positions, SIDES).sum() >= border.sum()
    assert not len(on_sides(np.zeros((0, 3)), SIDES))


def _part(mesh: PolyMesh, *, uses: int = 1, weight: float = 1.0) -> BudgetShare:
    run = Reducing(mesh)
    run.to(4)
    return BudgetShare(mesh.triangle_count, uses, weight, *run.trace())


@given(st.floats(0.1, 0.95), st.integers(1, 5))
@settings(max_examples=8)
def test_a_shared_budget_is_met_to_within_one_collapse(share: float, uses: int) -> None:
    parts = [_part(bumpy_ball(24)), _part(bumpy_ball(36), uses=uses), _part(waves(30))]
    total = sum(p.triangles * p.uses for p in parts)
    budget = round(total * share)
    counts = shared(parts, budget)
    used = sum(n * p.uses for n, p in zip(counts, parts, strict=True))
    assert budget - 2 * uses <= used <= budget


def test_of_two_equal_forms_the_larger_keeps_more() -> None:
    small = bumpy_ball(60)
    large = small.replaced(positions=small.positions * 2)
    counts = shared([_part(small), _part(large)], small.triangle_count // 4)
    assert 1.6 <= counts[1] / counts[0] <= 3.3


def test_a_shared_budget_keeps_the_least_rms() -> None:
    forms = [bumpy_ball(60), bumpy_ball(60)]
    forms[1] = forms[1].replaced(positions=forms[1].positions * 3)
    budget = sum(f.triangle_count for f in forms) // 5

    def off(counts: list[int]) -> float:
        far = [deviation(f, reduce_to(f, n).mesh).rms for f, n in zip(forms, counts, strict=True)]
        return math.sqrt(far[0] ** 2 + 9 * far[1] ** 2)

    assert off(shared([_part(f) for f in forms], budget)) < 0.9 * off([budget // 2, budget // 2])


def test_a_shared_budget_that_nothing_reaches_says_how_far_it_goes() -> None:
    with pytest.raises(GeometryError, match="leave at least"):
        shared([_part(ZOO["sheet"]())], 1)
    assert shared([_part(bumpy_ball(12))], 10**6) == [bumpy_ball(12).triangle_count]


def test_a_ladder_can_be_cancelled_and_tells_how_far_it_is() -> None:
    class StopError(Exception):
        pass

    told: list[float] = []

    def tell(share: float, words: str) -> None:
        assert words
        told.append(share)
        if len(told) > 6:
            raise StopError

    with pytest.raises(StopError):
        ladder(bumpy_ball(80), [*SHARES, Target("deviation", 0.001)], progress=tell)
    assert min(told) >= 0.0
    assert max(told) <= 1.0


def test_what_goes_on_by_itself_leaves_the_first_as_it_was() -> None:
    run = Reducing(bumpy_ball(30))
    run.to(1500)
    before = run.result().mesh.content_hash
    other = run.copied()
    other.to(300)
    assert run.result().mesh.content_hash == before
    run.to(300)
    assert run.result().mesh.content_hash == other.result().mesh.content_hash
    left, cost = run.trace()
    assert left[-1] == 300
    assert (np.diff(cost) >= 0).all()
    assert (np.diff(left) < 0).all()


def test_points_are_measured_from_a_surface() -> None:
    sheet = ZOO["sheet"]()
    points = np.array([[0.0, 0.5, 0.0], [0.0, -2.0, 0.0]]) + sheet.positions.mean(axis=0)
    assert Measure(sheet, samples=100).from_points(points) == pytest.approx([0.5, 2.0], abs=1e-6)


def _slivers() -> PolyMesh:
    """A closed form all of whose sides are needles."""
    thin = bumpy_ball(16)
    return thin.replaced(positions=thin.positions * (1.0, 1e-5, 1.0))


HOSTILE = {
    "doubled": lambda: joined([box(1, 1, 1, divisions=(4, 4, 4))] * 2),
    "inside out": lambda: turned_over(bumpy_ball(16)),
    "slivers": _slivers,
    "tiny": lambda: placed(bumpy_ball(24), (0, 0, 0), 1e-4),
    "huge": lambda: placed(bumpy_ball(24), (0, 0, 0), 1e6),
    "far away": lambda: placed(bumpy_ball(24), (1e6, -1e6, 1e6), 1.0),
    "one triangle": lambda: PolyMesh.checked([(0, 0, 0), (1, 0, 0), (0, 1, 0)], [3], [0, 1, 2]),
    "flat to a line": lambda: PolyMesh.trusted(
        np.array([(0.0, 0, 0), (1, 0, 0), (2, 0, 0), (3, 0, 0)]), np.array([0, 3, 6]), np.array([0, 1, 2, 1, 3, 2])
    ),
    "fans": lambda: joined([ZOO["fin"](), ZOO["cone"]()]),
}


def placed(mesh: PolyMesh, by: tuple[float, float, float], size: float) -> PolyMesh:
    return mesh.replaced(positions=mesh.positions * size + by)


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_meshes_end_in_sound_ones(name: str) -> None:
    mesh = HOSTILE[name]()
    size = float(np.ptp(mesh.positions, axis=0).max())
    targets = [Target("share", 0.5), Target("share", 1e-9), Target("count", 1), Target("deviation", 0.01 * size)]
    for made in ladder(mesh, targets):
        out = made.slimmed.mesh
        assert np.isfinite(out.positions).all()
        assert out.triangle_count >= 1
        assert out.corners.min() >= 0
        assert out.corners.max() < out.vertex_count
        rows = out.corners.reshape(-1, 3) if out.triangle_count == out.face_count else np.zeros((0, 3))
        assert all(len(set(r)) == 3 for r in rows.tolist())
        assert math.isfinite(made.deviation.largest)
    assert made.deviation.largest <= 0.01 * size


def test_a_mesh_without_faces_is_refused() -> None:
    empty = PolyMesh.trusted(np.zeros((3, 3)), np.array([0]), np.zeros(0, np.int64))
    with pytest.raises(GeometryError, match="no faces"):
        ladder(empty, SHARES)


def test_a_rung_that_goes_on_is_made_from_the_one_before() -> None:
    mesh = bumpy_ball(40)
    locked = np.zeros(mesh.vertex_count, np.bool_)
    locked[::97] = True
    halves = Target("share", 0.5)
    plain, on = (
        ladder(mesh, [halves, Target("share", 0.2, go_on=how), Target("deviation", 0.05, go_on=how)], locked=locked)
        for how in (False, True)
    )
    assert plain[1].slimmed.mesh.triangle_count == on[1].slimmed.mesh.triangle_count == round(mesh.triangle_count * 0.2)
    before = {tuple(p) for p in on[0].slimmed.mesh.positions}
    stay = {tuple(p) for p in mesh.positions[locked]}
    for rung in on:
        out = rung.slimmed
        found = deviation(mesh, out.mesh)
        assert found.rms == rung.deviation.rms
        assert found.met <= rung.deviation.largest <= found.largest
        assert stay <= {tuple(p) for p in out.mesh.positions}
        assert out.vertex_source.max() < mesh.vertex_count
        still = [tuple(p) in before for p in out.mesh.positions]
        assert np.mean(still) > 0.05
    assert on[2].deviation.largest <= 0.05
    # what lies beyond the deviation already comes back as it is, and says so
    same = ladder(mesh, [Target("share", 0.05), Target("deviation", 1e-6, go_on=True)])[1]
    assert not same.slimmed.reached
    assert same.slimmed.mesh.triangle_count == round(mesh.triangle_count * 0.05)


def test_a_cut_that_goes_too_far_does_not_end_the_search() -> None:
    """The first place of a rock that is off by too much stays as it is, and all else goes on: 330 are left without."""
    stone = rock(5)
    limit = 0.01 * float(np.linalg.norm(stone.bounds[1] - stone.bounds[0]))
    (made,) = ladder(stone, [Target("deviation", limit)])
    assert made.deviation.largest <= limit
    assert made.slimmed.mesh.triangle_count <= 200
