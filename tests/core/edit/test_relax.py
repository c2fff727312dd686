"""Relaxing: what comes nearer to even, what stays where it is, and what it says."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.edit.relax import relaxed
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.sphere import even_sphere


def shaken(mesh: PolyMesh, far: float, *, flat: bool = False, of: np.ndarray | None = None) -> PolyMesh:
    random = np.random.default_rng(3)
    shift = random.uniform(-far, far, (mesh.vertex_count, 3))
    if flat:
        shift[:, 1] = 0.0
    if of is not None:
        shift[~of] = 0.0
    return mesh.replaced(positions=mesh.positions + shift)


def every(mesh: PolyMesh) -> np.ndarray:
    return np.arange(mesh.vertex_count, dtype=np.int32)


def unevenness(mesh: PolyMesh) -> float:
    ends = mesh.positions[topology(mesh).edges]
    long = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
    return float(long.std() / long.mean())


def inner(mesh: PolyMesh) -> np.ndarray:
    out = np.ones(mesh.vertex_count, np.bool_)
    out[topology(mesh).edges[topology(mesh).border].ravel()] = False
    return out


def test_a_shaken_sheet_comes_back_to_its_grid_and_its_border_stays_straight() -> None:
    sheet = plane(4.0, 3.0, divisions=(8, 6))
    free = inner(sheet)
    bad = shaken(sheet, 0.15, flat=True, of=free)
    out = relaxed(bad, "vertex", every(bad), repeats=200).mesh
    assert out.positions == pytest.approx(sheet.positions, abs=1e-3)
    assert np.array_equal(out.positions[~free], sheet.positions[~free])


def test_one_time_is_the_stated_share_of_the_way_to_the_mean() -> None:
    sheet = plane(4.0, 4.0, divisions=(4, 4))
    middle = int(np.argmin(np.linalg.norm(sheet.positions, axis=1)))
    places = np.array(sheet.positions)
    places[middle] += (0.2, 0.5, -0.1)
    mesh = sheet.replaced(positions=places)
    edges = topology(mesh).edges
    beside = edges[(edges == middle).any(axis=1)].sum(axis=1) - middle
    mean = places[beside].mean(axis=0)
    one = np.array([middle], np.int32)
    for strength in (0.25, 1.0):
        out = relaxed(mesh, "vertex", one, strength=strength, repeats=1, keep="nothing", hold_sharp=False)
        assert out.mesh.positions[middle] == pytest.approx(places[middle] + strength * (mean - places[middle]))
        others = np.arange(mesh.vertex_count) != middle
        assert np.array_equal(out.mesh.positions[others], places[others])


@pytest.mark.parametrize(
    ("keep", "least", "most"), [("surface", 0.96, 1.04), ("volume", 0.96, 1.04), ("nothing", 0.1, 0.9)]
)
def test_what_is_kept_of_a_ball(keep: Any, least: float, most: float) -> None:
    ball = shaken(even_sphere(1.0, divisions=8), 0.05)
    out = relaxed(ball, "vertex", every(ball), repeats=20, keep=keep, hold_sharp=False).mesh
    assert least <= volume(out) / volume(ball) <= most
    if keep != "volume":
        assert unevenness(out) < 0.8 * unevenness(ball)
    else:  # waves go
        radius = [float(np.linalg.norm(m.positions - m.positions.mean(axis=0), axis=1).std()) for m in (ball, out)]
        assert radius[1] < 0.6 * radius[0]


def test_sharp_edges_are_held_with_their_corners_and_vertices_slide_along_them() -> None:
    block = box(2.0, 2.0, 2.0, divisions=(4, 4, 4))
    places = np.array(block.positions)
    low = block.bounds[0]
    on = (np.abs(places - low) < 1e-9).sum(axis=1) + (np.abs(places - block.bounds[1]) < 1e-9).sum(axis=1)
    slid = places.copy()
    edge = int(np.flatnonzero((on == 2) & (np.abs(places[:, 0]) < 1e-9))[0])
    slid[edge, 0] += 0.3
    out = relaxed(block.replaced(positions=slid), "vertex", every(block), repeats=200).mesh
    assert out.positions == pytest.approx(places, abs=1e-6)
    assert np.array_equal(out.positions[on == 3], places[on == 3])
    round_ = relaxed(block, "vertex", every(block), repeats=5, keep="nothing", hold_sharp=False).mesh
    assert volume(round_) < 0.95 * volume(block)


def test_no_strength_and_no_neighbours_change_nothing() -> None:
    ball = even_sphere(1.0, divisions=3)
    for keep in ("surface", "volume", "nothing"):
        out = relaxed(ball, "vertex", every(ball), strength=0.0, keep=keep).mesh  # type: ignore[arg-type]
        assert np.array_equal(out.positions, ball.positions)
