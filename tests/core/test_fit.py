"""What reducing leaves is brought closer to its source, and nothing that has to stay moves."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.slim import fit_kernels as kernels
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.fit import WORTH, fitted
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Slimmed
from able_brick.core.slim.tree import build_tree, triangle_distance
from able_brick.core.threads import one_thread
from tests.zoo import ZOO, bumpy_ball, waves


def reduced(mesh: PolyMesh, share: float, locked: np.ndarray | None = None) -> Slimmed:
    return reduce_to(mesh, max(4, int(mesh.triangle_count * share)), locked=locked, fit=False)


@pytest.mark.parametrize("share", [0.25, 0.06])
@pytest.mark.parametrize("name", list(ZOO))
def test_it_comes_no_farther_and_stays_sound(name: str, share: float) -> None:
    mesh = ZOO[name]()
    out = reduced(mesh, share)
    closer = fitted(mesh, out)
    if closer is out:
        return
    for field in ("face_starts", "corners", "material", "facet", "sharp", "uv", "colour"):
        assert getattr(closer.mesh, field) is getattr(out.mesh, field), "only places change"
    moved = (closer.mesh.positions != out.mesh.positions).any(axis=1)
    t = topology(out.mesh)
    ends = out.mesh.corners[(t.twin < 0) | out.mesh.sharp]
    assert not moved[ends].any(), "borders and creases stay"
    measure = Measure(mesh, samples=30_000, seed=9)
    before, after = measure.of(out.mesh), measure.of(closer.mesh)
    grain = 1e-6 * float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    assert after.rms <= 1.02 * before.rms + grain
    assert after.largest <= 1.4 * before.largest + grain
    assert topology(closer.mesh).is_closed == t.is_closed


def test_smooth_forms_come_much_closer() -> None:
    for mesh, gain in ((bumpy_ball(100), 0.85), (waves(80), 0.9)):
        out = reduced(mesh, 0.1)
        measure = Measure(mesh)
        before, after = measure.of(out.mesh), measure.of(fitted(mesh, out).mesh)
        assert after.rms < gain * before.rms
        assert after.largest < 1.05 * before.largest
        assert reduce_to(mesh, out.mesh.triangle_count).mesh.content_hash == fitted(mesh, out).mesh.content_hash


def test_locked_vertices_stay_bit_for_bit_and_every_run_says_the_same() -> None:
    mesh = bumpy_ball(60)
    locked = np.zeros(mesh.vertex_count, np.bool_)
    locked[:: mesh.vertex_count // 40] = True
    out = reduced(mesh, 0.1, locked)
    closer = fitted(mesh, out, locked=locked)
    kept = locked[out.vertex_source]
    assert kept.sum() == locked.sum()
    assert np.array_equal(closer.mesh.positions[kept], mesh.positions[out.vertex_source[kept]])
    assert (closer.mesh.positions != out.mesh.positions).any()
    with one_thread():
        again = fitted(mesh, out, locked=locked)
    assert again.mesh.content_hash == closer.mesh.content_hash


def test_flat_faces_and_what_has_lost_little_are_left_alone() -> None:
    box = ZOO["box"]()
    assert fitted(box, reduced(box, 0.5)) is not None
    ball = bumpy_ball(40)
    little = reduced(ball, 1.1 / WORTH)
    assert fitted(ball, little) is little
    sheet = ZOO["plane"]() if "plane" in ZOO else None
    if sheet is not None:
        flat = reduced(sheet, 0.2)
        assert fitted(sheet, flat) is flat


def test_it_can_be_stopped() -> None:
    class StopError(Exception):
        pass

    def stop() -> None:
        raise StopError

    mesh = bumpy_ball(60)
    with pytest.raises(StopError):
        fitted(mesh, reduced(mesh, 0.1), breathe=stop)


def test_points_lie_at_the_nearest_triangles() -> None:
    rng = np.random.default_rng(4)
    soup = rng.normal(size=(60, 3, 3))
    points = rng.normal(size=(300, 3)) * 1.5
    order, low, high, child = build_tree(soup)
    at = np.empty(len(points), np.int32)
    alone = np.full((60, 3), -1, np.int32)
    kernels.nearest_triangles(points, soup, alone, np.zeros(60), order, low, high, child, at)
    for p, t in zip(points, at, strict=True):
        every = [triangle_distance(p, *tri) for tri in soup]
        assert every[t] == min(every)
        v, w = kernels.shares_at(p, *soup[t])
        place = (1 - v - w) * soup[t, 0] + v * soup[t, 1] + w * soup[t, 2]
        assert min(v, w, 1 - v - w) >= -1e-12
        assert ((p - place) ** 2).sum() == pytest.approx(every[t], rel=1e-9, abs=1e-15)


def test_going_from_neighbour_to_neighbour_finds_what_the_tree_finds() -> None:
    mesh = reduced(bumpy_ball(60), 0.2).mesh
    soup = mesh.positions[mesh.corners.reshape(-1, 3)]
    around = (topology(mesh).twin.reshape(-1, 3) // 3).astype(np.int32)
    points = bumpy_ball(60).positions
    found = []
    for near in (1e-4, 0.0):
        at = np.empty(len(points), np.int32)
        kernels.nearest_triangles(points, soup, around, np.full(len(soup), near), *build_tree(soup), at)
        found.append(np.array([triangle_distance(p, *soup[t]) for p, t in zip(points, at, strict=True)]))
    assert (found[0] <= np.maximum(found[1], 1e-4)).all()
    assert np.mean(found[0] == found[1]) > 0.95


def test_shifts_are_the_least_squares_ones() -> None:
    rng = np.random.default_rng(5)
    ids = rng.integers(0, 12, (200, 3))
    parts, away = rng.normal(size=(200, 3)), rng.normal(size=200)
    free = np.arange(12) % 4 != 0
    found = kernels.solve(ids, parts, away, free, 1e-2, 60)
    rows = np.zeros((200, 12))
    for k in range(3):
        np.add.at(rows, (np.arange(200), ids[:, k]), parts[:, k])
    diagonal = np.zeros(12)
    for k in range(3):
        np.add.at(diagonal, ids[:, k], parts[:, k] ** 2)
    some = rows[:, free]
    normal = some.T @ some + np.diag((1e-2 * diagonal + 1e-9 * diagonal.max())[free])
    assert found[free] == pytest.approx(np.linalg.solve(normal, some.T @ away), abs=1e-3)
    assert not found[~free].any()
