"""Where the items of arrays go, and what turns and sizes become, by formulas of their own."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from able_brick.core.place.dock import _aligned
from able_brick.core.place.pivots import turned_with
from able_brick.core.place.repeats import grid, ring


@pytest.mark.parametrize(("count", "degrees", "apart"), [(5, 90.0, 22.5), (4, 360.0, 90.0), (3, -180.0, -90.0)])
def test_items_of_a_part_of_a_ring_reach_its_end_and_those_of_a_whole_one_do_not_meet(
    count: int, degrees: float, apart: float
) -> None:
    made = ring(count, (2.0, 0.0, 0.0), 1, sweep=np.radians(degrees), turned=True)
    for k in range(count):
        angle = np.radians(k * apart)
        # about Y through (2, 0, 0), from the origin on
        wanted = (2 - 2 * np.cos(angle), 0.0, 2 * np.sin(angle))
        assert made.shifts[k] == pytest.approx(wanted, abs=1e-12)


def test_the_first_direction_of_a_grid_runs_fastest() -> None:
    made = grid((3, 2), ((1.0, 0.0, 0.0), (0.0, 0.0, 5.0)))
    assert made.shifts[:, 0].tolist() == [0.0, 1.0, 2.0, 0.0, 1.0, 2.0]
    assert made.shifts[:, 2].tolist() == [0.0, 0.0, 0.0, 5.0, 5.0, 5.0]


@pytest.mark.parametrize("thirds", [1, 2])
def test_sizes_go_round_with_axes_that_change_places(thirds: int) -> None:
    by = Rotation.from_rotvec(np.ones(3) / np.sqrt(3) * (2 * np.pi / 3 * thirds))
    turn = Rotation.from_euler("xyz", [0.3, -0.7, 1.1])
    size = np.array([1.0, 2.0, 3.0])
    found = turned_with(tuple(turn.as_quat()), tuple(size), tuple(by.as_quat()))
    assert found is not None
    now, kept = Rotation.from_quat(found[0]).as_matrix(), np.diag(found[1])
    # what was at p in the old axes is at by⁻¹ p in the new ones, and stands where it stood
    assert now @ kept @ by.as_matrix().T == pytest.approx(turn.as_matrix() @ np.diag(size))


def test_edges_are_made_parallel_by_the_smaller_turn() -> None:
    rng = np.random.default_rng(4)
    for _ in range(50):
        normal, edge, wanted = rng.normal(size=(3, 3))
        normal /= np.linalg.norm(normal)
        turn = _aligned(edge, wanted, normal)
        assert np.linalg.norm(turn.as_rotvec()) <= np.pi / 2 + 1e-12
        flat = [v - normal * (v @ normal) for v in (turn.apply(edge), wanted)]
        assert np.cross(*flat) == pytest.approx(np.zeros(3), abs=1e-9)
