"""What is unsound of a mesh, by forms of which it is known; and that an operation may not make more of it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.edit.carry import carry
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.sound import check_sound, faults_of
from able_brick.core.errors import UnsoundError
from able_brick.core.mesh.combine import joined, moved, turned_over
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from tests.zoo import ZOO

CLEAN = [n for n in ZOO if n not in ("fin",)]


def found(mesh: PolyMesh) -> dict[str, int]:
    """The faults that there are, by how many faces have them."""
    faults = vars(faults_of(mesh))
    return {k: int(v.sum()) for k, v in faults.items() if v.any()}


def put(mesh: PolyMesh, vertices: list[int], by: tuple[float, float, float]) -> Edited:
    """Vertices moved."""
    return carry(mesh, "vertex", np.array(vertices), np.eye(3), np.array(by), np.zeros(3))


@pytest.mark.parametrize("name", CLEAN)
@pytest.mark.parametrize("factor", [1e-3, 1.0, 1e4])
def test_sound_forms_of_any_size_have_no_faults(name: str, factor: float) -> None:
    mesh = ZOO[name]()
    assert found(mesh.replaced(positions=mesh.positions * factor)) == {}


@given(st.tuples(*[st.floats(-0.9, 0.9)] * 3), st.sampled_from([1e-3, 1.0, 1e4]))
@settings(max_examples=30, deadline=None)
def test_boxes_that_go_through_one_another_do(by: tuple[float, float, float], factor: float) -> None:
    """Where each is beyond the other's sides along no axis, and along all by more than what touches."""
    clear = [abs(v) for v in by]
    one = box(1.0, 1.0, 1.0)
    both = joined([one, moved(one, by)])
    told = found(both.replaced(positions=both.positions * factor))
    if min(clear) > 1e-3:
        assert told.get("crossing", 0) > 0
        assert set(told) == {"crossing"}
    apart = joined([one, moved(one, (1.0 + clear[0] + 1e-3, by[1], by[2]))])
    assert found(apart) == {}


def test_what_touches_is_back_to_back_and_what_lies_on_it_overlaps() -> None:
    one = box(1.0, 1.0, 1.0)
    assert found(joined([one, moved(one, (1.0, 0.0, 0.0))])) == {"back_to_back": 2}
    # by an edge alone, and by a corner
    assert found(joined([one, moved(one, (1.0, 1.0, 0.0))])) == {}
    assert found(joined([one, moved(one, (1.0, 1.0, 1.0))])) == {}
    sheet = plane(1.0, 1.0)
    assert found(joined([sheet, moved(sheet, (0.3, 0.0, 0.2))])) == {"twice": 2}
    assert found(joined([sheet, turned_over(sheet)])) == {"back_to_back": 2}


def test_what_is_inside_out_or_empty_is_told() -> None:
    one = box(1.0, 1.0, 1.0)
    assert found(turned_over(one)) == {"inside_out": 6}
    assert found(joined([one, turned_over(moved(one, (3.0, 0.0, 0.0)))])) == {"inside_out": 6}
    sheet = plane(1.0, 1.0)
    both = joined([sheet, turned_over(sheet)])
    corners = np.array(both.corners)
    other = {tuple(p): k for k, p in enumerate(sheet.positions.tolist())}
    corners[4:] = [other[tuple(p)] for p in both.positions[corners[4:]].tolist()]
    closed = PolyMesh.checked(sheet.positions, [4, 4], corners)
    assert found(closed) == {"back_to_back": 2, "no_volume": 2}


def test_a_hollow_drawn_through_its_opposite_edge_folds_its_face() -> None:
    flat = [(0.0, 0.0, 0.0), (2.0, 0.0, 0.0), (2.0, 1.0, 0.0), (1.0, 0.5, 0.0), (0.0, 1.0, 0.0)]
    mesh = PolyMesh.checked(np.array(flat), np.array([5]), np.arange(5))
    assert found(mesh) == {}
    out = put(mesh, [3], (0.0, -1.0, 0.0))
    assert found(out.mesh)["folded"] == 1
    with pytest.raises(UnsoundError, match="1 face would fold over or cross itself"):
        check_sound(mesh, out)
    check_sound(mesh, put(mesh, [3], (0.0, -0.4, 0.0)))


def test_what_went_through_others_before_may_not_fold_for_that() -> None:
    flat = [(0.0, 0.0, 0.0), (2.0, 0.0, 0.0), (2.0, 1.0, 0.0), (1.0, 0.5, 0.0), (0.0, 1.0, 0.0)]
    blade = [(0.2, 0.1, -1.0), (0.4, 0.1, -1.0), (0.4, 0.1, 1.0), (0.2, 0.1, 1.0)]
    mesh = PolyMesh.checked(np.array(flat + blade), np.array([5, 4]), np.arange(9))
    assert found(mesh) == {"crossing": 2}
    with pytest.raises(UnsoundError, match="1 face would fold over"):
        check_sound(mesh, put(mesh, [3], (0.0, -1.0, 0.0)))
    # that they go on going through each other is not worse
    assert check_sound(mesh, put(mesh, [3], (0.0, -0.2, 0.0)))[0] == ""


def test_a_face_that_crosses_itself_is_folded() -> None:
    bow = PolyMesh.checked([(0, 0, 0), (1, 0, 0), (0, 0, 1), (1, 0, 1)], [4], [0, 1, 2, 3])
    assert "folded" in found(bow) or "twice" in found(bow) or "back_to_back" in found(bow)
    arrow = PolyMesh.checked([(0, 0, 0), (0, 0, 3), (1, 0, 1), (3, 0, 0)], [4], [0, 1, 2, 3])
    assert found(arrow) == {}


def test_a_vertex_goes_as_far_as_nothing_folds() -> None:
    """An inner vertex of a sheet, in its plane: as far as its neighbours, and no farther."""
    sheet = plane(4.0, 4.0, divisions=(4, 4))
    (middle,) = np.flatnonzero((np.abs(sheet.positions) < 1e-9).all(axis=1)).tolist()
    check_sound(sheet, put(sheet, [middle], (0.9, 0.0, 0.0)))
    for by in ((2.1, 0.0, 0.0), (0.0, 0.0, -3.0), (1.5, 0.0, 1.6)):
        with pytest.raises(UnsoundError):
            check_sound(sheet, put(sheet, [middle], by))


def test_a_top_that_is_pushed_through_the_bottom_is_inside_out_and_told() -> None:
    one = box(1.0, 1.0, 1.0)
    top = np.flatnonzero(one.positions[:, 1] == one.positions[:, 1].max()).tolist()
    words, faces = check_sound(one, put(one, top, (0.0, -2.0, 0.0)))
    assert words == "a part is inside out now"
    assert len(faces) > 0
    assert check_sound(one, put(one, top, (0.0, -0.5, 0.0))) == ("", pytest.approx([]))


def test_very_many_skins_back_to_back_hide_no_crossing() -> None:
    """More pairs than there is room for at first: what goes through another is found behind them."""
    sheet = plane(1.0, 1.0, divisions=(60, 60))
    one = box(0.2, 1.0, 0.2)
    low = float(one.bounds[0][1])
    every = joined([sheet, turned_over(sheet), moved(one, (3.0, -low, 0.0)), moved(one, (3.1, 0.1 - low, 0.05))])
    told = found(every)
    assert told["back_to_back"] == 7200
    assert told["crossing"] > 0


def test_what_was_broken_before_may_still_be_moved() -> None:
    one = box(1.0, 1.0, 1.0)
    both = joined([one, moved(one, (0.4, 0.3, 0.2))])
    top = np.flatnonzero(both.positions[:, 1] > 1.2).tolist()
    check_sound(both, put(both, top, (0.0, 0.3, 0.0)))
    # and a third one may not be sent through them
    three = joined([both, moved(one, (5.0, 0.0, 0.0))])
    third = np.flatnonzero(three.positions[:, 0] > 4.0).tolist()
    with pytest.raises(UnsoundError, match="go through"):
        check_sound(three, put(three, third, (-4.4, 0.1, 0.1)))


def test_what_is_sized_as_a_whole_may_not_come_to_cross_itself() -> None:
    """Bent quads are cut along the other diagonal where they are sized unevenly, and so are another surface."""
    points = [[-0.083, 0.48, 0.65], [-0.023, -0.311, 0.569], [0.016, 2.989, 0.936], [-1.203, 0.143, 0.081]]
    mesh = PolyMesh.checked([*points, [-1.203, 3.0, 0.5]], [3, 4, 4], [0, 1, 3, 1, 2, 4, 3, 2, 0, 3, 4])
    assert not faults_of(mesh).crossing.any()
    every = np.arange(5, dtype=np.int32)
    sized = carry(mesh, "vertex", every, np.diag([1.7, 0.48, 1.0]), np.zeros(3), np.zeros(3))
    with pytest.raises(UnsoundError, match="3 faces would go through others"):
        check_sound(mesh, sized)
    check_sound(mesh, carry(mesh, "vertex", every, 1.7 * np.eye(3), np.zeros(3), np.zeros(3)))


@settings(max_examples=60)
@given(st.sampled_from(["box", "drum", "arrow", "hexagon", "cone"]), st.integers(0, 10_000))
def test_one_map_of_all_is_refused_where_the_whole_comes_to_cross_itself(name: str, seed: int) -> None:
    random = np.random.default_rng(seed)
    flat = ZOO[name]()
    extent = float(np.ptp(flat.positions, axis=0).max())
    mesh = flat.replaced(positions=flat.positions + random.uniform(-0.2, 0.2, flat.positions.shape) * extent)
    turn = np.linalg.qr(random.normal(size=(3, 3)))[0]
    matrix = turn @ np.diag(random.uniform(0.2, 3.0, 3)) @ turn.T
    sized = carry(mesh, "vertex", np.arange(mesh.vertex_count, dtype=np.int32), matrix, np.zeros(3), np.zeros(3))
    was, now = faults_of(mesh), faults_of(sized.mesh)
    worse = (now.crossing & ~was.crossing & ~was.twice) | (now.folded & ~was.folded)
    if worse.any():
        with pytest.raises(UnsoundError):
            check_sound(mesh, sized)
    else:
        check_sound(mesh, sized)
