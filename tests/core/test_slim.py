"""Reduction: counts, borders, materials, creases, locked vertices, deviation."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.measure import area, volume
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import problems
from able_brick.core.slim.deviation import deviation
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.slimmed import target_triangles
from able_brick.core.slim.tree import triangle_distance
from tests.zoo import CLOSED, ZOO, bumpy_ball, waves


@pytest.mark.parametrize("share", [0.75, 0.4, 0.1])
@pytest.mark.parametrize("name", ZOO)
def test_results_are_sound(name: str, share: float) -> None:
    mesh = ZOO[name]()
    goal = target_triangles(mesh, share)
    out = reduce_to(mesh, goal)
    assert out.reached == (out.mesh.triangle_count <= goal)
    assert not problems(out.mesh) or name == "fin"
    assert topology(out.mesh).is_closed == (name in CLOSED)
    assert len(out.vertex_source) == out.mesh.vertex_count
    assert len(np.unique(out.vertex_source)) == out.mesh.vertex_count


def test_the_count_is_hit_exactly_on_a_closed_form() -> None:
    mesh = bumpy_ball()
    for goal in (3000, 1000, 200):
        assert reduce_to(mesh, goal).mesh.triangle_count == goal


@given(st.integers(24, 48), st.floats(0.25, 0.9))
@settings(max_examples=15, deadline=None)
def test_volume_and_surface_stay_near(n: int, share: float) -> None:
    mesh = bumpy_ball(n)
    out = reduce_to(mesh, target_triangles(mesh, share)).mesh
    assert volume(out) == pytest.approx(volume(mesh), rel=0.05)
    assert area(out) == pytest.approx(area(mesh), rel=0.1)
    assert not problems(out)


def test_a_flat_sheet_loses_nothing_of_its_outline() -> None:
    mesh = ZOO["sheet"]()
    out = reduce_to(mesh, 2).mesh
    assert out.triangle_count == 2
    assert area(out) == pytest.approx(6.0, rel=1e-9)
    assert deviation(mesh, out, samples=500).largest < 1e-6


def test_material_borders_stay_in_line() -> None:
    mesh = waves(60)
    out = reduce_to(mesh, mesh.triangle_count // 6).mesh

    def border(m: PolyMesh) -> np.ndarray:
        t = topology(m)
        c = np.flatnonzero(t.twin >= 0)
        f = m.corner_face
        c = c[m.material[f[c]] != m.material[f[t.twin[c]]]]
        return m.positions[t.edges[np.unique(t.corner_edge[c])]]

    before, after = border(mesh), border(out)
    assert 5 < len(after) < len(before)
    ends = before.reshape(-1, 3)
    far = [np.linalg.norm(ends - p, axis=1).min() for p in after.mean(axis=1)]
    assert max(far) < 0.12
    for material in (0, 1):
        share = area(_only(mesh, material)) / area(_only(out, material))
        assert share == pytest.approx(1.0, abs=0.02)


def _only(mesh: PolyMesh, material: int) -> PolyMesh:
    keep = mesh.material == material
    return PolyMesh.trusted(
        mesh.positions,
        np.concatenate([[0], np.cumsum(mesh.face_sizes[keep])]),
        mesh.corners[keep[mesh.corner_face]],
    )


def test_uv_stays_in_its_islands() -> None:
    mesh = waves(40)
    out = reduce_to(mesh, 400).mesh
    assert out.uv is not None
    plan = out.positions[out.corners][:, [0, 2]] * [1.0, -1.0] + 2.0
    assert np.abs(out.uv - plan).max() < 0.02


def test_creases_survive() -> None:
    drum = ZOO["drum"]()
    out = reduce_to(drum, 130).mesh
    t = topology(out)
    c = np.flatnonzero(out.sharp)
    heights = out.positions[t.edges[np.unique(t.corner_edge[c])]][:, :, 1]
    assert {round(float(h), 6) for h in heights.ravel()} == {0.0, 3.0}


def test_locked_vertices_stay_bit_for_bit() -> None:
    mesh = bumpy_ball(40)
    locked = np.zeros(mesh.vertex_count, np.bool_)
    locked[np.random.Generator(np.random.PCG64(1)).choice(mesh.vertex_count, 60, replace=False)] = True
    out = reduce_to(mesh, 400, locked=locked)
    there = {tuple(p) for p in out.mesh.positions.tolist()}
    assert all(tuple(p) in there for p in mesh.positions[locked].tolist())


def test_small_meshes_come_back_as_they_are_and_targets_are_checked() -> None:
    mesh = ZOO["box"]()
    assert reduce_to(mesh, 12).mesh is mesh
    assert not reduce_to(mesh, 2).reached
    with pytest.raises(GeometryError, match="give 1 or more"):
        reduce_to(mesh, 0)
    with pytest.raises(GeometryError, match="above 0 and up to 1"):
        target_triangles(mesh, 1.5)


def test_reduction_can_be_cancelled() -> None:
    class StoppedError(Exception):
        pass

    def stop(done: float) -> None:
        assert 0 <= done <= 1
        raise StoppedError

    with pytest.raises(StoppedError):
        reduce_to(bumpy_ball(), 100, progress=stop)


@given(st.lists(st.floats(-3, 3), min_size=12, max_size=12))
@settings(max_examples=200, deadline=None)
def test_distance_to_a_triangle_is_the_least_over_its_points(values: list[float]) -> None:
    p, a, b, c = np.array(values).reshape(4, 3)
    u = np.linspace(0, 1, 60)
    grid = np.array([(s, t) for s in u for t in u if s + t <= 1 + 1e-12])
    points = a + grid[:, :1] * (b - a) + grid[:, 1:] * (c - a)
    sampled = np.sqrt(((points - p) ** 2).sum(axis=1).min())
    exact = np.sqrt(triangle_distance(p, a, b, c))
    assert exact <= sampled + 1e-9
    assert sampled - exact < 0.2


def test_deviation_of_shifted_sheets() -> None:
    sheet = ZOO["sheet"]()
    up = PolyMesh.trusted(sheet.positions + np.array([0, 0.25, 0]), sheet.face_starts, sheet.corners)
    found = deviation(sheet, up, samples=300)
    assert found.largest == pytest.approx(0.25)
    assert found.rms == pytest.approx(0.25)


@pytest.mark.parametrize(
    "corners", [[(0, 0, 0)] * 3, [(0, 0, 0), (1, 0, 0), (2, 0, 0)], [(1, 1, 1), (1, 1, 1), (0, 0, 0)]]
)
def test_distance_to_triangles_without_area(corners: list[tuple[float, float, float]]) -> None:
    a, b, c = np.array(corners, np.float64)
    for p in ((0.0, 0.0, 0.0), (0.5, 0.0, 0.0), (0.5, 3.0, -1.0), (1.0, 1.0, 1.0)):
        found = triangle_distance(np.array(p), a, b, c)
        t = np.linspace(0, 1, 201)[:, None]
        line = np.concatenate([a + t * (b - a), b + t * (c - b), c + t * (a - c)])
        assert found == pytest.approx(((line - p) ** 2).sum(axis=1).min(), abs=1e-3)
