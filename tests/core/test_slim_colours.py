"""What lies on a surface stays in its place when it is slimmed: texture coordinates, and colours by least squares."""

from __future__ import annotations

import math

import numpy as np
import pytest

from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.shapes.plane import plane
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.ladder import Target, ladder
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Reducing
from able_brick.demo.pieces import pump_house
from tests.zoo import bumpy_ball


def hills(n: int = 60) -> PolyMesh:
    """A sheet over hills, whose texture lies on it from above."""
    sheet = plane(40.0, 40.0, divisions=(n, n))
    p = np.array(sheet.positions)
    p[:, 1] = 1.8 * np.sin(p[:, 0] / 6) * np.cos(p[:, 2] / 4.5) + 0.6 * np.abs(np.sin(p[:, 0] / 1.7 + p[:, 2] / 2.3))
    uv = from_above(p)[sheet.corners]
    return PolyMesh.checked(p, sheet.face_sizes, sheet.corners, uv=uv, smooth_angle=math.pi)


def from_above(points: Floats) -> Floats:
    return points[:, [0, 2]] / 40 + 0.5


def painted(points: Floats) -> Floats:
    x, y, z = (points - points.min(axis=0)).T / np.ptp(points, axis=0)[:, None]
    return np.stack([0.5 + 0.5 * np.sin(9 * x + 4 * y), y, 0.5 + 0.5 * np.cos(14 * z), np.ones(len(x))], axis=1)


@pytest.mark.parametrize("share", [0.95, 0.5, 0.1])
def test_a_texture_that_lies_on_a_surface_from_above_still_does(share: float) -> None:
    mesh = hills()
    goal = round(mesh.triangle_count * share)
    run = Reducing(mesh)
    run.to(goal)
    for out in (run.result().mesh, reduce_to(mesh, goal).mesh):
        assert out.uv is not None
        away = np.abs(out.uv - from_above(out.positions)[out.corners])
        assert away.max() < 0.01


def far_in_colour(mesh: PolyMesh, out: PolyMesh) -> float:
    """The root mean square of how far colours are from those that were painted, at places on the slimmed surface."""
    assert out.colour is not None
    rng = np.random.default_rng(2)
    corners = triangulate(out)[0]
    f = rng.integers(0, len(corners), 20_000)
    mix = rng.dirichlet([1, 1, 1], len(f))[:, :, None]
    places = (out.positions[out.corners[corners[f]]] * mix).sum(axis=1)
    there = (out.colour[corners[f]] * mix).sum(axis=1)
    low, size = mesh.positions.min(axis=0), np.ptp(mesh.positions, axis=0)
    x, y, z = ((places - low) / size).T
    meant = np.stack([0.5 + 0.5 * np.sin(9 * x + 4 * y), y, 0.5 + 0.5 * np.cos(14 * z)], axis=1)
    return float(np.sqrt(((there[:, :3] - meant) ** 2).mean()))


@pytest.mark.parametrize(("share", "most"), [(0.5, 0.02), (0.125, 0.04), (0.04, 0.1)])
def test_colours_stay_where_they_were(share: float, most: float) -> None:
    plain = bumpy_ball(50).replaced(uv=None)
    mesh = plain.replaced(colour=painted(plain.positions)[plain.corners])
    out = reduce_to(mesh, round(mesh.triangle_count * share)).mesh
    assert far_in_colour(mesh, out) < most
    (made,) = ladder(mesh, [Target("share", share)])
    assert far_in_colour(mesh, made.slimmed.mesh) < most


def test_colours_that_meet_at_an_edge_stay_apart() -> None:
    plain = hills(40).replaced(uv=None)
    left = plain.positions[plain.corners].reshape(-1, 4, 3).mean(axis=1)[:, 0] < 0
    colour = np.where(np.repeat(left, 4)[:, None], [1.0, 0, 0, 1], [0.0, 0, 1, 1])
    out = reduce_to(plain.replaced(colour=colour), plain.triangle_count // 8).mesh
    assert out.colour is not None
    middle = out.positions[out.corners].reshape(-1, 3, 3).mean(axis=1)[:, 0]
    of_face = out.colour.reshape(-1, 3, 4)
    away = np.abs(of_face - np.where((middle < 0)[:, None, None], [1.0, 0, 0, 1], [0.0, 0, 1, 1])).max()
    assert away < 0.05


def test_what_is_locked_keeps_its_colour() -> None:
    plain = bumpy_ball(20).replaced(uv=None)
    rng = np.random.default_rng(1)
    colour = rng.uniform(0, 1, (plain.vertex_count, 4))
    mesh = plain.replaced(colour=colour[plain.corners])
    locked = np.zeros(mesh.vertex_count, np.bool_)
    locked[::17] = True
    out = reduce_to(mesh, mesh.triangle_count // 3, locked=locked)
    assert out.mesh.colour is not None
    kept = locked[out.vertex_source][out.mesh.corners]
    np.testing.assert_array_equal(out.mesh.colour[kept], colour[out.vertex_source[out.mesh.corners[kept]]])


@pytest.mark.parametrize("goal", [60, 20, 6, 2])
def test_islands_of_texture_that_meet_stay_each_as_they_lie(goal: int) -> None:
    sheet = plane(8.0, 8.0, divisions=(8, 8))
    corner = sheet.positions[sheet.corners]
    middle = corner.reshape(-1, 4, 3).mean(axis=1)
    island = (middle[:, 0] > 0) * 1 + (middle[:, 2] > 0) * 2
    uv = corner[:, [0, 2]] + 10.0 * np.repeat(island, 4)[:, None]
    out = reduce_to(sheet.replaced(uv=uv), goal).mesh
    assert out.triangle_count <= max(goal, 8)
    assert out.uv is not None
    away = (out.uv - out.positions[out.corners][:, [0, 2]]).reshape(-1, 3, 2)
    of = np.round(away / 10)
    assert np.abs(away - 10 * of).max() < 1e-9, "each corner has what its island has there"
    assert (of == of[:, :1, :1]).all(), "a triangle belongs to one island"


def test_a_small_hard_form_with_textures_on_its_sides_is_not_stuck() -> None:
    house = pump_house().mesh
    out = reduce_to(house, house.triangle_count // 2)
    assert out.reached
    size = float(np.linalg.norm(house.bounds[1] - house.bounds[0]))
    assert Measure(house).of(out.mesh).rms < 1e-3 * size
