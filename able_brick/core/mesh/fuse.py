"""Several meshes as one: welded where they meet, without the skins that lie back to back between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.combine import joined
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology


@dataclass(frozen=True, eq=False)
class Fused:
    """The one mesh; how many faces went because they lay on others, and how many vertices became one with others."""

    mesh: PolyMesh
    gone: int
    welded: int


def fused(meshes: Sequence[PolyMesh], *, within: float | None = 0.0, skins: bool = True) -> Fused:
    """One mesh of several, in the coordinates that they share, metres.

    Vertices of different ones that are the very same points, or lie `within` a distance of each other, become one,
    where the first of them is: round the faces that go, and where a mesh is open. What only touches stays whole, and
    None welds nothing. With `skins`, faces of two meshes on the same vertices go in pairs where they look at each
    other; of those that look the same way the first stays. All other faces keep their corners, in their order. Raises
    GeometryError for no mesh at all.
    """
    whole = joined(meshes)
    item = np.repeat(np.arange(len(meshes), dtype=np.int32), [m.vertex_count for m in meshes])
    if within is None or len(meshes) < 2:
        return Fused(whole, 0, 0)
    number = _met(whole.positions, item, within)
    shared = np.bincount(number, minlength=whole.vertex_count)[number] > 1
    keep = np.ones(whole.face_count, np.bool_)
    if skins:
        keep = ~_on_each_other(whole, number, shared)
    joins = np.zeros(whole.vertex_count, np.bool_)
    joins[whole.corners[~keep[whole.corner_face]]] = True
    edges = topology(whole)
    joins[edges.edges[edges.border]] = True
    number = first_that_joins(number, joins)
    corner = np.flatnonzero(keep[whole.corner_face])
    corners = number[whole.corners[corner]]
    used = np.zeros(whole.vertex_count, np.bool_)
    used[corners] = True
    mesh = whole.with_corners(
        corner,
        corners=(np.cumsum(used) - 1)[corners],
        positions=whole.positions[used],
        face_starts=np.concatenate([[0], np.cumsum(whole.face_sizes[keep])]),
        material=whole.material[keep],
        facet=whole.facet[keep],
        sharp=whole.sharp[corner],
    )
    welded = int((number != np.arange(len(number))).sum())
    return Fused(mesh, int((~keep).sum()), welded)


def _met(positions: Floats, item: Ints, within: float) -> Ints:
    """(V) of each vertex the first one that it meets, of any mesh; of those of one mesh on a place only one meets."""
    count = len(positions)
    if within > 0:
        pairs = cKDTree(positions).query_pairs(within, output_type="ndarray")
        label, _ = joined_numbers(count, pairs[:, 0], pairs[:, 1])
    else:
        rows = np.ascontiguousarray(positions + 0.0)
        label = np.unique(rows.view(np.dtype((np.void, 24))).ravel(), return_inverse=True)[1].astype(np.int32)
    order = np.lexsort((np.arange(count), item, label))
    fresh = np.ones(count, np.bool_)
    fresh[1:] = (label[order][1:] != label[order][:-1]) | (item[order][1:] != item[order][:-1])
    lead = order[fresh]
    first = np.full(int(label.max(initial=-1)) + 1, count, np.int64)
    np.minimum.at(first, label[lead], lead)
    out = np.arange(count)
    out[lead] = first[label[lead]]
    return np.asarray(out, np.int32)


def first_that_joins(number: Ints, joins: Bools) -> Ints:
    """(V) the vertex for which each stands: the first that joins of those that meet there, itself where it does not."""
    out = np.arange(len(number))
    at = np.flatnonzero(joins)
    _, first, inverse = np.unique(number[at], return_index=True, return_inverse=True)
    out[at] = at[first[inverse]]
    return np.asarray(out, np.int32)


def _on_each_other(mesh: PolyMesh, number: Ints, shared: Bools) -> Bools:
    """(F) faces that go as they lie on others: pairs that look at each other, and the later ones of those alike."""
    out = np.zeros(mesh.face_count, np.bool_)
    if not mesh.face_count:
        return out
    every = np.bitwise_and.reduceat(shared[mesh.corners], mesh.face_starts[:-1])
    alike: dict[tuple[int, ...], int] = {}
    for face in np.flatnonzero(every).tolist():
        loop = number[mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]].tolist()
        at = loop.index(min(loop))
        ahead = tuple(loop[at:] + loop[:at])
        back = (ahead[0], *ahead[:0:-1])
        if back in alike:
            out[[face, alike.pop(back)]] = True
        elif ahead in alike:
            out[face] = True
        else:
            alike[ahead] = face
    return out
