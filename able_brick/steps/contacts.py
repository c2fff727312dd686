"""Where items of a piece touch their neighbours, however many stand in a level."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import AbleBrickError
from able_brick.core.lazy_imports import Rotation, cKDTree
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.items import item_boxes, item_to_world
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import Piece
from able_brick.level.rows.instances import Drawable, Mirrored
from able_brick.level.snapshot import Snapshot
from able_brick.steps.draft import MeshLoader

#: Vertices of neighbours that are nearer than this are one, metres.
TOUCH: Final = 1e-4
#: Neighbours whose places beside one another differ by less are taken for the same.
_SAME: Final = 1e-7
#: Vertices of a neighbour that is looked at, and pairs of vertices and edges that are measured together.
_MOST_VERTICES: Final = 2_000_000
_AT_ONCE: Final = 2_000_000


@dataclass(frozen=True, eq=False)
class _Instances:
    """Items of one look: their pose rows (n,10), and whether their vertices are those of the piece."""

    drawable: Drawable
    rows: Floats
    mine: bool

    @cached_property
    def boxes(self) -> tuple[Floats, Floats]:
        return item_boxes(self.rows, *self.drawable.box())

    @cached_property
    def maps(self) -> tuple[Floats, Floats]:
        """From about its pivot to the world: matrices (n,3,3) and places (n,3)."""
        turns = Rotation.from_quat(self.rows[:, 3:7]).as_matrix()
        return turns * self.rows[:, None, 7:], self.rows[:, :3]


@dataclass(frozen=True, eq=False)
class _PlacedMesh:
    """An item in the world: vertices (V,3), edges (E,2) and faces of its mesh."""

    points: Floats
    mesh: PolyMesh

    @property
    def edges(self) -> Ints:
        return topology(self.mesh).edges


def contact_vertices(
    snapshot: Snapshot, level: str, piece: Piece, mesh: PolyMesh, load: MeshLoader, check_cancelled: Callable[[], None]
) -> Bools:
    """(V) the vertices of a piece that must stay so that no joint of its items in a level opens.

    Those at which a neighbour has a vertex or an edge, and the ends of edges on which a neighbour has a vertex. What is
    within two faces that lie upon one another is hidden, and free but for their outline. Neighbours that stand to one
    another as others do are looked at once. `check_cancelled` is called now and then and may raise to cancel.
    """
    out = np.zeros(mesh.vertex_count, np.bool_)
    if not snapshot.of(level).users(piece.id):
        return out
    kinds = _kinds(snapshot, level, piece)
    meshes: dict[int, PolyMesh | None] = {}
    for one, other, a, b in _pairs(kinds):
        check_cancelled()
        for drawable in (one.drawable, other.drawable):
            if id(drawable) not in meshes:
                meshes[id(drawable)] = _loaded(drawable, piece, mesh, load)
        mine, theirs = meshes[id(one.drawable)], meshes[id(other.drawable)]
        if mine is not None and theirs is not None:
            out |= _kept(_placed(one, a, mine), _placed(other, b, theirs))
    return out


def _kinds(snapshot: Snapshot, level: str, piece: Piece) -> list[_Instances]:
    """All that stands in a level, by its looks."""
    found: dict[object, tuple[Drawable, bool, list[Floats]]] = {}
    for thing in snapshot.of(level).values():
        shown = shown_items(snapshot, thing) if thing.pieces else None
        for batch in () if shown is None else shown.batches:
            drawable = batch.drawable
            rigid = drawable.deformer is None or isinstance(drawable.deformer, Mirrored)
            key = (drawable.piece.id, drawable.deformer) if rigid else id(drawable)
            found.setdefault(key, (drawable, rigid and drawable.piece.id == piece.id, []))[2].append(batch.poses.rows())
    return [_Instances(drawable, np.concatenate(rows), mine) for drawable, mine, rows in found.values()]


def _loaded(drawable: Drawable, piece: Piece, mesh: PolyMesh, load: MeshLoader) -> PolyMesh | None:
    """The mesh of a look; None for one that is not there, or has very many vertices."""
    if drawable.deformer is None and drawable.piece.id == piece.id:
        return mesh
    if drawable.piece.facts.vertices > _MOST_VERTICES:
        return None
    try:
        return drawable.mesh(load)
    except AbleBrickError:
        return None


def _pairs(kinds: list[_Instances]) -> Iterator[tuple[_Instances, _Instances, int, int]]:
    """Items of the piece with items whose boxes touch theirs, each way of standing beside one another once."""
    lows = np.concatenate([k.boxes[0] for k in kinds])
    highs = np.concatenate([k.boxes[1] for k in kinds])
    starts = np.cumsum([0, *(len(k.rows) for k in kinds)])
    middles, halves = (lows + highs) / 2, np.linalg.norm(highs - lows, axis=1) / 2 + TOUCH
    # by how large they are: small ones are not looked for as far as large ones
    sizes = np.floor(np.log2(halves)).astype(np.int64)
    for x, one in enumerate(kinds):
        if not one.mine:
            continue
        first = int(starts[x])
        own = slice(first, int(starts[x + 1]))
        for size in np.unique(sizes):
            members = np.flatnonzero(sizes == size)
            near = cKDTree(middles[members]).query_ball_point(middles[own], halves[own] + 2.0 ** (size + 1.0))
            counts = np.array([len(n) for n in near])
            a = np.repeat(np.arange(first, first + len(near)), counts)
            b = members[np.concatenate([np.asarray(n, np.int64) for n in near])] if counts.any() else a
            touch = (lows[a] <= highs[b] + TOUCH).all(axis=1) & (highs[a] >= lows[b] - TOUCH).all(axis=1) & (a != b)
            a, b = a[touch] - first, b[touch]
            kind = np.searchsorted(starts, b, side="right") - 1
            for y in np.unique(kind):
                some = np.flatnonzero(kind == y)
                other = kinds[int(y)]
                mine, theirs = a[some], b[some] - int(starts[y])
                for k in _different(one, other, mine, theirs):
                    yield one, other, int(mine[k]), int(theirs[k])


def _different(one: _Instances, other: _Instances, a: Ints, b: Ints) -> Ints:
    """The first of all pairs that stand alike: the one as the other sees it, to the world's scale."""
    (turn, place), (turn_b, place_b) = one.maps, other.maps
    back = np.swapaxes(turn_b[b], 1, 2)  # up to its sizes, which are given separately
    seen = np.concatenate(
        [
            (back @ turn[a]).reshape(len(a), -1),
            np.einsum("nij,nj->ni", back, place[a] - place_b[b]),
            one.rows[a, 7:],
            other.rows[b, 7:],
        ],
        axis=1,
    )
    _, first = np.unique(np.rint(seen / _SAME), axis=0, return_index=True)
    return np.sort(first)


def _placed(kind: _Instances, item: int, mesh: PolyMesh) -> _PlacedMesh:
    return _PlacedMesh(item_to_world(mesh.positions, kind.rows[item], kind.drawable.pivot, kind.drawable.axes), mesh)


def _kept(one: _PlacedMesh, other: _PlacedMesh) -> Bools:
    """(V) the vertices of one item that a joint with another one needs."""
    out = np.zeros(len(one.points), np.bool_)
    low = np.maximum(one.points.min(axis=0), other.points.min(axis=0)) - 2 * TOUCH
    high = np.minimum(one.points.max(axis=0), other.points.max(axis=0)) + 2 * TOUCH
    mine, theirs = (np.flatnonzero(((s.points >= low) & (s.points <= high)).all(axis=1)) for s in (one, other))
    met = np.full(len(one.points), -1, np.int64)
    if len(mine) and len(theirs):
        away, nearest = cKDTree(other.points[theirs]).query(one.points[mine], distance_upper_bound=TOUCH)
        there = np.isfinite(away)
        met[mine[there]] = theirs[np.asarray(nearest)[there]]
    alone = mine[met[mine] < 0]
    on, _ = _on_edges(one.points[alone], other, low, high)
    out[alone[on]] = True
    partners = np.zeros(len(other.points), np.bool_)
    partners[met[met >= 0]] = True
    _, ends = _on_edges(other.points[theirs[~partners[theirs]]], one, low, high)
    out[ends] = True
    return out | _outline(one, other, met)


def _on_edges(points: Floats, of: _PlacedMesh, low: Floats, high: Floats) -> tuple[Bools, Ints]:
    """(n) which points lie on an edge of an item within a box, and the vertices at the ends of such edges."""
    on = np.zeros(len(points), np.bool_)
    if not len(points):
        return on, np.zeros(0, np.int32)
    edges = of.edges
    a, b = of.points[edges[:, 0]], of.points[edges[:, 1]]
    near = np.flatnonzero((np.minimum(a, b) <= high).all(axis=1) & (np.maximum(a, b) >= low).all(axis=1))
    touched = np.zeros(len(near), np.bool_)
    some = max(1, _AT_ONCE // max(1, len(near)))
    start, along = a[near], (b - a)[near]
    long = (along * along).sum(axis=1)
    for first in range(0, len(points) if len(near) else 0, some):
        p = points[first : first + some, None]
        share = np.clip(((p - start) * along).sum(axis=2) / np.where(long > 0, long, 1.0), 0.0, 1.0)
        hit = ((p - start - share[:, :, None] * along) ** 2).sum(axis=2) <= TOUCH**2
        on[first : first + some] = hit.any(axis=1)
        touched |= hit.any(axis=0)
    return on, edges[near[touched]].ravel()


def _outline(one: _PlacedMesh, other: _PlacedMesh, met: npt.NDArray[np.int64]) -> Bools:
    """(V) vertices that meet others, without those that are within faces which lie upon faces of the other."""
    out: Bools = met >= 0
    if not out.any():
        return out
    mesh = one.mesh
    face_of, corner_met = mesh.corner_face, met[mesh.corners]
    whole = np.ones(mesh.face_count, np.bool_)
    whole[face_of[corner_met < 0]] = False
    if not whole.any():
        return out
    theirs = {frozenset(f) for f in _faces(other.mesh, np.isin(np.arange(len(other.points)), met))}
    upon = np.zeros(mesh.face_count, np.bool_)
    for f in np.flatnonzero(whole):
        upon[f] = frozenset(corner_met[mesh.face_starts[f] : mesh.face_starts[f + 1]].tolist()) in theirs
    shows = np.zeros(len(met), np.bool_)
    shows[mesh.corners[~upon[face_of]]] = True
    return out & shows


def _faces(mesh: PolyMesh, wanted: Bools) -> Iterator[list[int]]:
    """The vertices of the faces of which all are wanted."""
    whole = np.ones(mesh.face_count, np.bool_)
    whole[mesh.corner_face[~wanted[mesh.corners]]] = False
    for f in np.flatnonzero(whole):
        yield mesh.corners[mesh.face_starts[f] : mesh.face_starts[f + 1]].tolist()
