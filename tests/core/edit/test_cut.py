"""Cuts: which edges are sharp afterwards, and what is at the places where they cross edges."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.cut import Stop, cut
from able_brick.core.edit.edited import Edited
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from tests.zoo import painted


def sharp_pairs(mesh: PolyMesh) -> dict[frozenset[int], bool]:
    """Whether each edge, by its vertices, is sharp on one side or the other."""
    t = topology(mesh)
    sharp = np.zeros(len(t.edges), np.bool_)
    np.logical_or.at(sharp, t.corner_edge, mesh.sharp)
    return {frozenset(e): bool(s) for e, s in zip(t.edges.tolist(), sharp.tolist(), strict=True)}


def across(mesh: PolyMesh, face: int, shares: tuple[float, float]) -> tuple[Edited, list[int]]:
    """A quad cut from its first edge to its third, and those edges."""
    edges = topology(mesh).corner_edge[mesh.face_starts[face] : mesh.face_starts[face + 1]]
    crossed = [int(edges[0]), int(edges[2])]
    return cut(mesh, [Stop(edge=e, share=s) for e, s in zip(crossed, shares, strict=True)]), crossed


@pytest.mark.parametrize("face", range(0, 30, 3))
def test_parts_of_edges_are_as_sharp_as_the_whole_and_the_cut_is_not(face: int) -> None:
    mesh = painted()
    was, table = sharp_pairs(mesh), topology(mesh).edges
    out, crossed = across(mesh, face, (0.3, 0.4))
    ends = {frozenset(table[e].tolist()): was[frozenset(table[e].tolist())] for e in crossed}
    back = out.vertex_from
    seen = 0
    for pair, sharp in sharp_pairs(out.mesh).items():
        old = [int(back[v]) for v in pair]
        kept = [v for v in old if v >= 0]
        if len(kept) == 2:
            assert sharp == was[frozenset(kept)]
        elif len(kept) == 1:
            seen += 1
            assert sharp in [s for edge, s in ends.items() if kept[0] in edge]
            if len([e for e in ends if kept[0] in e]) == 1:
                assert sharp == next(s for e, s in ends.items() if kept[0] in e)
        else:
            assert not sharp, "the cut itself"
    assert seen == 4


@pytest.mark.parametrize("face", range(0, 30, 3))
def test_colours_where_a_cut_crosses_an_edge_are_those_of_the_place(face: int) -> None:
    mesh = painted()
    out, _ = across(mesh, face, (0.3, 0.4))
    made = out.mesh
    assert mesh.colour is not None
    assert made.colour is not None
    looked = 0
    for now, old in enumerate(out.face_from.tolist()):
        for c in range(made.face_starts[now], made.face_starts[now + 1]):
            place = made.positions[made.corners[c]]
            if old < 0 or out.vertex_from[made.corners[c]] >= 0:
                continue
            for k in range(mesh.face_starts[old], mesh.face_starts[old + 1]):
                ahead = mesh.next_corner[k]
                a, b = mesh.positions[mesh.corners[[k, ahead]]]
                share = float((place - a) @ (b - a) / ((b - a) @ (b - a)))
                if 0 < share < 1 and np.linalg.norm(a + share * (b - a) - place) < 1e-9:
                    looked += 1
                    wanted = mesh.colour[k] * (1 - share) + mesh.colour[ahead] * share
                    assert made.colour[c] == pytest.approx(wanted)
    # in the part of the face that is cut, and in both neighbours
    assert looked == 4


def test_a_way_that_leaves_its_face_is_refused_and_one_within_is_not() -> None:
    outline = [(0, 0), (3, 0), (3, 2), (2, 2), (2, 1), (1, 1), (1, 2), (0, 2)]
    mesh = PolyMesh.checked(np.array([(x, y, 0.0) for x, y in outline]), np.array([8]), np.arange(8))
    edge = topology(mesh).corner_edge
    # from the inner side of one arm to that of the other, over the gap
    with pytest.raises(GeometryError):
        cut(mesh, [Stop(edge=int(edge[5])), Stop(edge=int(edge[3]))])
    # across an arm
    out = cut(mesh, [Stop(edge=int(edge[5])), Stop(edge=int(edge[7]))])
    assert out.mesh.face_count == 2
