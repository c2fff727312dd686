"""What was held off its plane put back: places that become one, and strips without width that go."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from able_brick.core.mesh.normals import dots
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Indices, Ints
from able_brick.core.solid.cut import Soup

_Splits = dict[tuple[int, int], list[tuple[float, int]]]


@dataclass(frozen=True, eq=False)
class Loops:
    """Faces of any number of corners: starts (n+1), vertices (k), and the triangle (n) of the soup that each was."""

    starts: Ints
    vertices: Ints
    of: Indices


def as_they_are(soup: Soup, rows: Indices) -> Loops:
    """Some of the triangles (n), as loops."""
    return Loops(3 * np.arange(len(rows) + 1, dtype=np.int32), soup.triangles[rows].ravel(), rows)


def one_place(soup: Soup) -> Ints:
    """(V') the vertex that stands for each: those at the ends of an edge that is shorter than a grain become one. The
    first of them stays, so that the form's own do; what only touches is no edge, and stays apart."""
    number = soup.stands.copy()
    ends = np.concatenate([soup.triangles[:, [0, 1]], soup.triangles[:, [1, 2]], soup.triangles[:, [2, 0]]])
    ends = ends[(ends[:, 0] < ends[:, 1]) & (ends[:, 1] >= soup.own)]
    way = soup.positions[ends[:, 0]] - soup.positions[ends[:, 1]]
    short = ends[dots(way, way) <= (1.5 * soup.grain) ** 2]
    if len(short):
        used, rows = np.unique(short, return_inverse=True)
        rows = rows.reshape(-1, 2).astype(np.int32)
        label, _ = joined_numbers(len(used), rows[:, 0], rows[:, 1])
        _, first, back = np.unique(label, return_index=True, return_inverse=True)
        lead = np.arange(len(number), dtype=np.int32)
        lead[used] = used[first[back.ravel()]]
        number = lead[number]
    return number


def without_strips(soup: Soup, number: Ints, whole: Bools) -> tuple[Loops, Ints]:
    """The triangles at the vertices that stand for theirs (V'), those without width gone and others' edges parted where
    a corner of such a one lay on them; and the faces (n) of the whole ones (F) that are not so any more."""
    tris = number[soup.triangles]
    there = (tris != np.roll(tris, 1, axis=1)).all(axis=1)
    points = soup.positions[tris]
    sides = np.roll(points, -1, axis=1) - points
    square = (sides**2).sum(axis=2)
    longest = square.max(axis=1)
    double = np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1)
    thin = there & (double <= 2 * soup.grain * np.sqrt(longest)) & ~whole[soup.face]
    splits: _Splits = defaultdict(list)
    for row in np.flatnonzero(thin).tolist():
        side = int(square[row].argmax())
        u, v, w = (int(tris[row, (side + k) % 3]) for k in range(3))
        along = float((soup.positions[w] - soup.positions[u]) @ (soup.positions[v] - soup.positions[u])) / longest[row]
        low, high = min(u, v), max(u, v)
        splits[low, high].append((along if u == low else 1.0 - along, w))
    keep = np.flatnonzero(there & ~thin)
    if not splits:
        loops = as_they_are(soup, keep[~whole[soup.face[keep]]])
        return Loops(loops.starts, number[loops.vertices], loops.of), np.zeros(0, np.int32)
    ends = np.unique(np.array(list(splits)).ravel())
    likely = np.isin(tris[keep], ends).sum(axis=1) > 1
    sizes, vertices, of, torn = [], [], [], set()
    for row, may in zip(keep.tolist(), likely.tolist(), strict=True):
        loop = tris[row].tolist()
        if may:
            loop = [v for k in range(3) for v in _parted(loop[k], loop[(k + 1) % 3], splits)]
            if len(loop) > 3:
                torn.add(int(soup.face[row]))
        sizes.append(len(loop))
        vertices += loop
        of.append(row)
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
    torn_ = np.array(sorted(f for f in torn if whole[f]), np.int32)
    rows = np.array(of)
    wanted = ~whole[soup.face[rows]] | np.isin(soup.face[rows], torn_)
    corner = np.repeat(wanted, np.diff(starts))
    return (
        Loops(
            np.concatenate([[0], np.cumsum(np.diff(starts)[wanted])]).astype(np.int32),
            np.array(vertices, np.int32)[corner],
            rows[wanted],
        ),
        torn_,
    )


def _parted(u: int, v: int, splits: _Splits, depth: int = 0) -> list[int]:
    """The vertices from u on, without v, along an edge that is parted, and its parts again."""
    low, high = min(u, v), max(u, v)
    found = splits.get((low, high)) if depth < 64 else None
    if not found:
        return [u]
    inner = [w for _, w in sorted(set(found), reverse=u != low) if w not in (u, v)]
    way = [u, *dict.fromkeys(inner), v]
    return [w for a, b in pairwise(way) for w in _parted(a, b, splits, depth + 1)]
