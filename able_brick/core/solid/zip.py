"""Faces that meet without sharing their vertices made to share them."""

from __future__ import annotations

from typing import Any

import numpy as np

from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, following
from able_brick.core.mesh.spans import spans
from able_brick.core.solid.cut import Soup
from able_brick.core.solid.outlines import Outline

#: Times that it is tried; each may bring edges together that the one before made.
_ROUNDS = 3


def zipped(
    soup: Soup, whole: Bools, number: Ints, pieces: list[Outline], near: float
) -> tuple[Bools, Ints, list[Outline]]:
    """Which faces (F) stay whole, the vertex that stands for each (V'), and the other faces, with edges that have no
    partner brought together: ends that lie so near each other, metres, become one, and vertices that lie on such an
    edge go into it."""
    whole, pieces = whole.copy(), list(pieces)
    for _ in range(_ROUNDS):
        loops, faces = _all_loops(soup, whole, number, pieces)
        alone = _alone(loops)
        if not len(alone):
            break
        number = _ends_met(soup.positions, number, np.unique(alone), near)
        pieces = [p for p in (_mapped(p, number) for p in pieces) if p is not None]
        loops, faces = _all_loops(soup, whole, number, pieces)
        alone = _alone(loops)
        between = _vertices_on(soup.positions, alone, near)
        if not between:
            break
        for face in {faces[k] for k in _touched(loops, between) if faces[k] >= 0}:
            whole[face] = False
            row = int(np.flatnonzero(soup.face == face)[0])
            corners = soup.whole.corners[soup.whole.face_starts[face] : soup.whole.face_starts[face + 1]]
            pieces.append(Outline(int(soup.key[row]), number[corners].tolist()))
        pieces = [p for p in (_with(p, between) for p in pieces) if p is not None]
    return whole, number, pieces


def _all_loops(soup: Soup, whole: Bools, number: Ints, pieces: list[Outline]) -> tuple[tuple[Ints, Ints], list[int]]:
    """All faces as starts (n+1) and vertices (k); and of each the whole face (n) that it is, −1 for a piece."""
    mesh = soup.whole
    faces = np.flatnonzero(whole)
    corners = number[mesh.corners[spans(mesh.face_starts[faces], mesh.face_sizes[faces])]]
    sizes = np.concatenate([mesh.face_sizes[faces], [len(p.loop) for p in pieces]]).astype(np.int64)
    rest = np.array([v for p in pieces for v in p.loop], np.int32)
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
    return (starts, np.concatenate([corners, rest]).astype(np.int32)), faces.tolist() + [-1] * len(pieces)


def _alone(loops: tuple[Ints, Ints]) -> Ints:
    """(n,2) edges, as a face has them, that no face has the other way round as often."""
    starts, vertices = loops
    if not len(vertices):
        return np.zeros((0, 2), np.int32)
    ends = np.stack([vertices, vertices[following(starts)]], axis=1)
    base = np.int64(vertices.max()) + 1
    ours, theirs = ends[:, 0] * base + ends[:, 1], ends[:, 1] * base + ends[:, 0]
    values, number, counts = np.unique(ours, return_inverse=True, return_counts=True)
    at = np.minimum(np.searchsorted(values, theirs), len(values) - 1)
    back = np.where(values[at] == theirs, counts[at], 0)
    return np.asarray(ends[counts[number.ravel()] != back], np.int32)


def _ends_met(positions: Floats, number: Ints, ends: Ints, near: float) -> Ints:
    """The vertices that stand for others (V'), with such ends (n) as lie near each other one, the first of them."""
    pairs = cKDTree(positions[ends]).query_pairs(near, output_type="ndarray")
    if not len(pairs):
        return number
    label, _ = joined_numbers(len(ends), pairs[:, 0], pairs[:, 1])
    _, first, back = np.unique(label, return_index=True, return_inverse=True)
    lead = np.arange(len(number), dtype=np.int32)
    lead[ends] = ends[first[back.ravel()]]
    return lead[number]


def _vertices_on(positions: Floats, alone: Ints, near: float) -> dict[tuple[int, int], list[int]]:
    """Of edges (n,2), those on which ends of others lie: these in their order from the first end to the second."""
    if not len(alone):
        return {}
    ends = np.unique(alone)
    points = positions[ends]
    tree = cKDTree(points)
    one, two = positions[alone[:, 0]], positions[alone[:, 1]]
    way = two - one
    length = np.linalg.norm(way, axis=1)
    reach: Any = tree.query_ball_point((one + two) / 2, length / 2 + near)
    out: dict[tuple[int, int], list[int]] = {}
    for k, some in enumerate(reach):
        there = np.array([s for s in some if ends[s] not in alone[k]], np.int64)
        if not len(there) or length[k] <= near:
            continue
        off = points[there] - one[k]
        along = off @ way[k] / length[k]
        away = np.linalg.norm(off - along[:, None] * way[k] / length[k], axis=1)
        on = (away <= near) & (along > near) & (along < length[k] - near)
        if on.any():
            order = np.argsort(along[on])
            out[int(alone[k, 0]), int(alone[k, 1])] = ends[there[on][order]].tolist()
    return out


def _touched(loops: tuple[Ints, Ints], between: dict[tuple[int, int], list[int]]) -> list[int]:
    """The faces that have one of some edges."""
    starts, vertices = loops
    ahead = vertices[following(starts)]
    base = np.int64(vertices.max()) + 1
    codes = np.array([u * base + v for u, v in between], np.int64)
    there = np.flatnonzero(np.isin(vertices * base + ahead, codes))
    return [int(k) for k in np.unique(np.searchsorted(starts, there, side="right") - 1)]


def _with(piece: Outline, between: dict[tuple[int, int], list[int]]) -> Outline | None:
    """A face with the vertices that lie on its edges."""
    out: list[int] = []
    for u, v in zip(piece.loop, [*piece.loop[1:], piece.loop[0]], strict=True):
        out += [u, *between.get((u, v), ())]
    return _clean(piece.key, out) if len(out) > len(piece.loop) else piece


def _mapped(piece: Outline, number: Ints) -> Outline | None:
    """A face at the vertices that stand for its own; None where it is no face any more."""
    loop = number[piece.loop].tolist()
    return piece if loop == piece.loop else _clean(piece.key, loop)


def _clean(key: int, loop: list[int]) -> Outline | None:
    """A loop without vertices twice in a row and without ways that go back at once; None where nothing is left."""
    k = 0
    while len(loop) > 2 and k < len(loop):
        before, here, after = loop[k - 1], loop[k], loop[(k + 1) % len(loop)]
        if here == after or before == after:
            del loop[k]
            k = max(k - 2, 0)
        else:
            k += 1
    return Outline(key, loop) if len(loop) > 2 and len(set(loop)) == len(loop) else None
