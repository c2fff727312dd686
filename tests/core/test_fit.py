"""What reducing leaves is brought closer to its source, and nothing that has to stay moves."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate, triangulated
from able_brick.core.shapes.plane import plane
from able_brick.core.slim import fit_kernels as kernels
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.fit import WORTH, fitted
from able_brick.core.slim.ladder import Target, ladder
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.slimmed import Slimmed
from able_brick.core.slim.stars import vertex_stars
from able_brick.core.slim.tree import triangle_distance
from able_brick.core.threads import one_thread
from tests.thorough import long
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
        fitted(mesh, reduced(mesh, 0.1), check_cancelled=stop)


def test_the_nearest_place_of_a_triangle_is_the_nearest() -> None:
    rng = np.random.default_rng(4)
    for tri, p in zip(rng.normal(size=(300, 3, 3)), rng.normal(size=(300, 3)) * 1.5, strict=True):
        s, t, far = kernels.shares_at(*p, tri, 0, 1, 2)
        assert far == pytest.approx(triangle_distance(p, *tri), rel=1e-9, abs=1e-15)
        assert min(s, t, 1 - s - t) >= -1e-12
        place = (1 - s - t) * tri[0] + s * tri[1] + t * tri[2]
        assert ((p - place) ** 2).sum() == pytest.approx(far, rel=1e-9, abs=1e-15)


def met(mesh: PolyMesh, out: Slimmed, count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Which triangles samples lie at, what they say, and how far they are."""
    triangles = out.mesh.corners.reshape(-1, 3)
    across = np.cross(*(out.mesh.positions[triangles[:, k]] - out.mesh.positions[triangles[:, 0]] for k in (1, 2)))
    normals = across / np.linalg.norm(across, axis=1)[:, None]
    source_tris = mesh.corners[triangulate(mesh)[0]]
    until = kernels.areas_until(mesh.positions, source_tris)
    start, star = vertex_stars(triangles, out.mesh.vertex_count)
    ids, parts, away = np.full(count, -2, np.int32), np.zeros((count, 3)), np.zeros(count)
    ways = np.tile([0.0, 1.0, 0.0], (out.mesh.vertex_count, 1))
    given = (mesh.positions, source_tris, until, count, out.collapse_map, out.mesh.positions, triangles, start, star)
    for first, last in ((0, count // 3), (count // 3, count)):
        kernels.meet(*given, normals, ways, first, last, ids, parts, away)
    return ids, parts, away


def test_samples_lie_at_the_nearest_places() -> None:
    mesh = bumpy_ball(60)
    out = reduced(mesh, 0.1)
    ids, _, away = met(mesh, out, 40_000)
    assert ids.min() >= -1
    assert np.mean(ids >= 0) > 0.98
    # as far as from the nearest of all triangles, where that is along its normal
    near = Measure(out.mesh, samples=10)
    farthest = near.of(mesh).largest
    assert np.abs(away[ids >= 0]).max() < 1.1 * farthest
    seen = np.bincount(ids[ids >= 0], minlength=out.mesh.triangle_count)
    assert np.mean(seen > 0) > 0.99, "all of the surface is seen"


def test_samples_lie_evenly_and_at_corners() -> None:
    sheet = plane(3.0, 1.0, divisions=(6, 2))
    every = np.arange(sheet.vertex_count, dtype=np.int32)
    count = 4800
    ids, parts, away = met(sheet, Slimmed(triangulated(sheet), every, True, every), count)
    assert not away.any()
    assert ids.min() >= 0
    inside = np.arange(count) % 4 > 0  # each fourth is at a corner, which several have
    seen = np.bincount(ids[inside], minlength=24)
    assert np.abs(seen - 0.75 * count / 24).max() <= 3, "as many on each as on each other"
    assert (np.sort(parts[~inside], axis=1)[:, :2] == 0.0).all()


def test_where_vertices_went_is_traced() -> None:
    for mesh in (bumpy_ball(60), waves(40), ZOO["box"]()):
        out = reduced(mesh, 0.2)
        assert len(out.collapse_map) == mesh.vertex_count
        assert np.array_equal(out.collapse_map[out.vertex_source], np.arange(out.mesh.vertex_count))
        assert out.collapse_map.min() >= 0
    ball = bumpy_ball(60)
    rungs = ladder(ball, [Target("share", 0.3), Target("share", 0.1, go_on=True)])
    for rung in rungs:
        assert np.array_equal(
            rung.slimmed.collapse_map[rung.slimmed.vertex_source], np.arange(rung.slimmed.mesh.vertex_count)
        )
        gap = np.linalg.norm(ball.positions - rung.slimmed.mesh.positions[rung.slimmed.collapse_map], axis=1)
        assert np.median(gap) < 0.1 * np.linalg.norm(ball.bounds[1] - ball.bounds[0])


@long
def test_shifts_are_the_least_squares_ones() -> None:
    rng = np.random.default_rng(5)
    triangles = np.array([rng.permutation(12)[:3] for _ in range(40)], np.int32)
    at = rng.integers(-1, 40, 200).astype(np.int32)
    parts, away = rng.normal(size=(200, 3)), rng.normal(size=200)
    free = np.arange(12) % 4 != 0
    halves = [kernels.squares(at, parts, away, 40, first, first + 100) for first in (0, 100)]
    sums = halves[0][0] + halves[1][0]
    found = kernels.solve(sums, triangles, free, 1e-2, 60)
    rows = np.zeros((200, 12))
    said = np.flatnonzero(at >= 0)
    for k in range(3):
        rows[said, triangles[at[said], k]] = parts[said, k]
    away[at < 0] = 0.0
    diagonal = (rows**2).sum(axis=0)
    some = rows[:, free]
    normal = some.T @ some + np.diag((1e-2 * diagonal + 1e-9 * diagonal.max())[free])
    assert found[free] == pytest.approx(np.linalg.solve(normal, some.T @ away), abs=1e-3)
    assert not found[~free].any()
    shifts = rng.normal(size=12)
    rest = away - rows @ shifts
    per_vertex = np.zeros(12)
    farthest = np.zeros(12)
    strayed = np.zeros(12, np.bool_)
    for i in said:
        for v in triangles[at[i]]:
            per_vertex[v] += away[i] ** 2 - rest[i] ** 2
            farthest[v] = max(farthest[v], abs(away[i]))
    for i in said:
        strayed[triangles[at[i]]] |= abs(rest[i]) > farthest[triangles[at[i]]]
    every = np.ones(12, np.bool_)
    assert kernels.lost(sums, triangles, shifts, every).tolist() == (per_vertex < 0).tolist()
    one = np.arange(12) == 3
    near = np.isin(np.arange(12), triangles[(triangles == 3).any(axis=1)])
    assert kernels.lost(sums, triangles, shifts, one).tolist() == (near & (per_vertex < 0)).tolist()
    far = kernels.farthest(np.maximum(halves[0][1], halves[1][1]), triangles, 12)
    assert far == pytest.approx(farthest)
    assert kernels.strayed(at, parts, away, triangles, shifts, far, every, 0, 200).tolist() == strayed.tolist()
