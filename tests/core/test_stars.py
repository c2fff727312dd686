"""What lies round vertices is found, and two threads that collapse edges never meet."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulated
from able_brick.core.slim import reduce as reducing
from able_brick.core.slim import stars
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.reduce import Reducing
from able_brick.core.threads import one_thread
from tests.zoo import ZOO, bumpy_ball, waves


def stars_of(mesh: PolyMesh) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    tri = mesh.corners.reshape(-1, 3)
    return tri, *stars.vertex_stars(tri, mesh.vertex_count)


@pytest.mark.parametrize("name", list(ZOO))
def test_edges_are_those_of_the_mesh_in_any_two_parts(name: str) -> None:
    mesh = triangulated(ZOO[name]())
    tri, start, star = stars_of(mesh)
    t = topology(mesh)
    some = mesh.vertex_count // 3
    parts = [stars.list_edges(tri, start, star, a, b) for a, b in ((0, some), (some, mesh.vertex_count))]
    edges, uses = (np.concatenate([p[k] for p in parts]) for k in (0, 1))
    order = np.lexsort((edges[:, 1], edges[:, 0]))
    assert np.array_equal(edges[order], t.edges)
    assert np.array_equal(uses[order], t.edge_uses)
    border = np.zeros(mesh.vertex_count, np.bool_)
    border[t.edges[t.edge_uses == 1]] = True
    assert np.array_equal(stars.border_vertices(mesh.vertex_count, edges, uses), border)


def test_what_is_done_in_two_lanes_has_no_face_in_common() -> None:
    mesh = triangulated(bumpy_ball(40))
    tri, start, star = stars_of(mesh)
    edges, _ = stars.list_edges(tri, start, star, 0, mesh.vertex_count)
    half = (mesh.positions[:, 1] > 0).astype(np.int8)
    inside = np.empty(len(half), np.int8)
    stars.insides(half, tri, start, star, 0, len(half), inside)
    order = np.arange(len(edges), dtype=np.int32)[::-1].copy()
    lane = np.empty(len(order), np.int8)
    stars.lanes(inside, edges, order, 0, len(order), lane)
    faces, vertices = [], []
    for k in (0, 1):
        ends = np.unique(edges[order[lane == k]])
        round_it = np.unique(np.concatenate([star[start[v] : start[v + 1]] for v in ends]))
        faces.append(set(round_it.tolist()))
        vertices.append(set(tri[round_it].ravel().tolist()))
        assert len(faces[-1]) > 0.3 * len(tri)
    assert not faces[0] & faces[1]
    assert not vertices[0] & vertices[1]


def test_ends_of_chains_are_found() -> None:
    into = np.array([1, 3, 2, 4, 4, 0, 5, 2], np.int32)
    assert stars.ends(into).tolist() == [4, 4, 2, 4, 4, 4, 4, 2]
    assert into.tolist() == [1, 3, 2, 4, 4, 0, 5, 2]
    long = np.maximum(np.arange(100_000, dtype=np.int32) - 1, 0)
    assert not stars.ends(long).any()


@pytest.mark.parametrize("mesh", [bumpy_ball(120), waves(100)], ids=["ball", "waves"])
def test_two_threads_and_one_come_to_the_same(mesh: PolyMesh, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(reducing, "_PARALLEL_EDGES", 500)
    monkeypatch.setattr(reducing, "_FEW_EDGES", 100)
    locked = np.zeros(mesh.vertex_count, np.bool_)
    locked[::97] = True

    def climb() -> list[tuple[str, bytes, bytes]]:
        run = Reducing(mesh, locked=locked)
        out = []
        for share in (0.4, 0.1):
            run.to(round(share * mesh.triangle_count))
            left, costs = run.trace()
            assert left[-1] == run.triangles <= round(share * mesh.triangle_count)
            assert (np.diff(left) < 0).all()
            assert (np.diff(costs) >= 0).all()
            slimmed = run.result()
            kept = locked[slimmed.vertex_source]
            assert np.array_equal(slimmed.mesh.positions[kept], mesh.positions[slimmed.vertex_source[kept]])
            out.append((slimmed.mesh.content_hash, left.tobytes(), slimmed.collapse_map.tobytes()))
        return out

    both = climb()
    with one_thread():
        assert climb() == both
    copied = Reducing(mesh, locked=locked)
    copied.to(round(0.4 * mesh.triangle_count))
    other = copied.copied()
    other.to(round(0.2 * mesh.triangle_count))
    copied.to(round(0.1 * mesh.triangle_count))
    assert copied.result().mesh.content_hash == both[1][0], "a copy leaves it as it is"


def test_in_lanes_it_comes_as_close_as_in_one(monkeypatch: pytest.MonkeyPatch) -> None:
    mesh = bumpy_ball(120)
    found = []
    for many in (500, 10**9):
        monkeypatch.setattr(reducing, "_PARALLEL_EDGES", many)
        run = Reducing(mesh)
        run.to(round(0.15 * mesh.triangle_count))
        found.append(Measure(mesh).of(run.result().mesh))
    assert found[0].rms < 1.03 * found[1].rms
    assert found[0].largest < 1.5 * found[1].largest
