"""Loops, rings, borders and the corners round vertices."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.rings import Chain, borders, edge_loop, edge_ring, vertex_corners
from able_brick.core.mesh.topology import topology
from tests.zoo import ZOO


def grid(columns: int, rows: int, *, wrap: bool = False) -> PolyMesh:
    """A sheet of quads, or a tube of them that closes on itself across."""
    across = columns if wrap else columns + 1
    number = np.arange(across * (rows + 1)).reshape(rows + 1, across)
    right = np.roll(number, -1, axis=1) if wrap else number[:, 1:]
    left = number if wrap else number[:, :-1]
    quads = np.stack([left[:-1], right[:-1], right[1:], left[1:]], axis=-1).reshape(-1, 4)
    x, y = np.meshgrid(np.arange(across), np.arange(rows + 1))
    places = np.stack([x, y, np.zeros_like(x)], axis=-1).reshape(-1, 3).astype(float)
    return PolyMesh.checked(places, np.full(len(quads), 4), quads.ravel())


def edge_between(mesh: PolyMesh, a: int, b: int) -> int:
    return int(np.flatnonzero((topology(mesh).edges == sorted((a, b))).all(axis=1))[0])


def ends(mesh: PolyMesh, chain: Chain) -> list[tuple[int, int]]:
    return [(int(a), int(b)) for a, b in topology(mesh).edges[chain.edges]]


def test_a_loop_goes_straight_on_to_the_border() -> None:
    mesh = grid(4, 3)
    # an inner edge across: from (1, 1) to (2, 1), vertices of five in a row
    loop = edge_loop(mesh, edge_between(mesh, 6, 7))
    assert not loop.closed
    assert sorted(ends(mesh, loop)) == [(5, 6), (6, 7), (7, 8), (8, 9)]
    for a, b in zip(ends(mesh, loop)[:-1], ends(mesh, loop)[1:], strict=True):
        assert set(a) & set(b), "in their order"


def test_a_ring_crosses_quads_to_both_borders() -> None:
    mesh = grid(4, 3)
    ring = edge_ring(mesh, edge_between(mesh, 6, 7))
    assert not ring.closed
    assert sorted(ends(mesh, ring)) == [(1, 2), (6, 7), (11, 12), (16, 17)]
    from_border = edge_ring(mesh, edge_between(mesh, 1, 2))
    assert sorted(from_border.edges) == sorted(ring.edges)


def test_round_a_tube_loops_and_rings_close() -> None:
    mesh = grid(6, 3, wrap=True)
    round_it = edge_loop(mesh, edge_between(mesh, 6, 7))
    assert round_it.closed
    assert len(round_it.edges) == 6
    along = edge_ring(mesh, edge_between(mesh, 6, 12))
    assert along.closed
    assert len(along.edges) == 6
    assert [c.closed for c in borders(mesh)] == [True, True]
    assert sorted(len(c.edges) for c in borders(mesh)) == [6, 6]
    rim = edge_loop(mesh, edge_between(mesh, 0, 1))
    assert rim.closed
    assert sorted(ends(mesh, rim)) == [(0, 1), (0, 5), (1, 2), (2, 3), (3, 4), (4, 5)]


def test_a_ring_ends_at_a_face_that_is_no_quad() -> None:
    mesh = PolyMesh.checked([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.5, 2, 0]], [4, 3], [0, 1, 2, 3, 3, 2, 4])
    ring = edge_ring(mesh, edge_between(mesh, 0, 1))
    assert ends(mesh, ring) in ([(0, 1), (2, 3)], [(2, 3), (0, 1)])


def test_a_ring_from_an_edge_of_three_faces_goes_over_each() -> None:
    # three strips of two quads that meet in the edge from 0 to 1
    ways = np.array([[1.0, 0.0, 0.0], [-0.5, 0.0, 0.9], [-0.5, 0.0, -0.9]])
    places = [[0, 0, 0], [0, 1, 0]]
    quads = []
    for way in ways:
        last = (0, 1)
        for far in (1, 2):
            fresh = (len(places), len(places) + 1)
            places += [(far * way).tolist(), (far * way + [0, 1, 0]).tolist()]
            quads.append([last[0], fresh[0], fresh[1], last[1]])
            last = fresh
    mesh = PolyMesh.checked(places, [4] * 6, np.ravel(quads))
    upright = [(2 * k, 2 * k + 1) for k in range(7)]
    assert sorted(ends(mesh, edge_ring(mesh, edge_between(mesh, 0, 1)))) == upright
    # from elsewhere it ends there: none of the other ways is straight on
    assert sorted(ends(mesh, edge_ring(mesh, edge_between(mesh, 4, 5)))) == upright[:3]
    # two of the strips joined to a tube: the third one is not left out
    tube = PolyMesh.checked(places, [4] * 7, [*np.ravel(quads), 4, 8, 9, 5])
    assert sorted(ends(tube, edge_ring(tube, edge_between(tube, 0, 1)))) == upright


@pytest.mark.parametrize("turned", [0, 1])
def test_the_border_of_a_strip_with_one_side_is_one_loop(turned: int) -> None:
    n = 9
    angle = np.arange(n) * (2 * np.pi / n)
    half = angle / 2 * turned
    middle = np.stack([3 * np.cos(angle), np.zeros(n), 3 * np.sin(angle)], axis=1)
    across = np.stack([np.cos(half) * np.cos(angle), np.sin(half), np.cos(half) * np.sin(angle)], axis=1)
    places = np.stack([middle - across, middle + across], axis=1).reshape(-1, 3)
    quads = []
    for k in range(n):
        a, b = 2 * k, 2 * k + 1
        c, d = ((1, 0) if turned else (0, 1)) if k == n - 1 else (2 * k + 2, 2 * k + 3)
        quads.append([a, b, d, c])
    mesh = PolyMesh.checked(places, [4] * n, np.ravel(quads))
    found = borders(mesh)
    assert [(len(c.edges), c.closed) for c in found] == ([(2 * n, True)] if turned else [(n, True), (n, True)])
    for chain in found:
        table = topology(mesh).edges[chain.edges]
        for one, other in zip(table, np.roll(table, -1, axis=0), strict=True):
            assert set(one.tolist()) & set(other.tolist())


@pytest.mark.parametrize("name", sorted(ZOO))
def test_chains_hold_each_edge_once_and_borders_hold_all_of_them(name: str) -> None:
    mesh = ZOO[name]()
    t = topology(mesh)
    chains = borders(mesh)
    every = np.concatenate([c.edges for c in chains]) if chains else np.zeros(0, int)
    assert len(np.unique(every)) == len(every)
    assert set(every.tolist()) == set(np.flatnonzero(t.border).tolist())
    for edge in range(0, len(t.edges), max(1, len(t.edges) // 12)):
        for chain in (edge_loop(mesh, edge), edge_ring(mesh, edge)):
            assert edge in chain.edges
            assert len(np.unique(chain.edges)) == len(chain.edges)


@pytest.mark.parametrize("name", sorted(ZOO))
def test_every_corner_is_found_at_its_vertex(name: str) -> None:
    mesh = ZOO[name]()
    table = vertex_corners(mesh)
    assert sorted(table.corners.tolist()) == list(range(len(mesh.corners)))
    for vertex in range(0, mesh.vertex_count, max(1, mesh.vertex_count // 20)):
        assert (mesh.corners[table.of(vertex)] == vertex).all()
        assert len(table.of(vertex)) == int((mesh.corners == vertex).sum())
