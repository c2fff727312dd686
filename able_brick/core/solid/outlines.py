"""Faces out of triangles: those of one face that hang together become one, or few where it has holes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Floats, Indices, Ints, following
from able_brick.core.solid.restore import Loops


@dataclass(frozen=True, eq=False)
class Outline:
    """A face: its source key, and the vertices round it, none twice."""

    key: int
    loop: list[int]


def outlines(loops: Loops, key: Any, positions: Floats) -> list[Outline]:
    """The faces that loops of a key each (n) make, by the lowest key first; positions (V,3) of their vertices."""
    if not len(loops.of):
        return []
    ahead = following(loops.starts)
    face = np.repeat(np.arange(len(loops.of), dtype=np.int32), np.diff(loops.starts))
    twin = _twins(loops, key, ahead, face)
    pairs = np.flatnonzero(twin > np.arange(len(twin)))
    part, count = joined_numbers(len(loops.of), face[pairs], face[twin[pairs]])
    order, starts = _traced(twin, ahead)
    at_start = part[face[order[starts[:-1]]]]
    rounds = np.bincount(at_start, minlength=count)
    sizes = np.diff(starts)
    vertices = loops.vertices[order]
    number = np.repeat(np.arange(len(sizes)), sizes)
    sort = np.lexsort((vertices, number))
    same = (vertices[sort][1:] == vertices[sort][:-1]) & (number[sort][1:] == number[sort][:-1])
    twice = np.zeros(len(sizes), np.bool_)
    twice[number[sort][1:][same]] = True
    knotted = np.zeros(count, np.bool_)
    knotted[at_start[twice]] = True
    knotted |= rounds > 1
    first = np.zeros(count, np.int64)
    first[part[::-1]] = np.arange(len(part))[::-1]
    out: list[Outline] = []
    for k in np.flatnonzero(~knotted[at_start]).tolist():
        out.append(Outline(int(key[first[at_start[k]]]), vertices[starts[k] : starts[k + 1]].tolist()))
    if knotted.any():
        rows = np.flatnonzero(knotted[part])
        by_part: dict[int, list[list[int]]] = {}
        for row in rows.tolist():
            loop = loops.vertices[loops.starts[row] : loops.starts[row + 1]].tolist()
            by_part.setdefault(int(part[row]), []).append(loop)
        for number_, some in by_part.items():
            out += [Outline(int(key[first[number_]]), loop) for loop in merged(some, positions)]
    out.sort(key=lambda o: (o.key, min(o.loop)))
    return out


def _twins(loops: Loops, key: Any, ahead: Ints, face: Ints) -> Ints:
    """(k) the corner whose edge is that from each corner on, the other way round, in a face of the same key; −1 where
    there is none."""
    _, rank = np.unique(key, return_inverse=True)
    base = int(loops.vertices.max()) + 1
    row = rank.ravel().astype(np.int64)[face] * base
    u, v = loops.vertices.astype(np.int64), loops.vertices[ahead].astype(np.int64)
    ours, theirs = (row + u) * base + v, (row + v) * base + u
    order = np.argsort(ours, kind="stable")
    at = np.minimum(np.searchsorted(ours[order], theirs), len(order) - 1)
    out = order[at].astype(np.int32)
    out[ours[out] != theirs] = -1
    out[out[out] != np.arange(len(out))] = -1  # an edge that is there twice
    return out


@kernel
def _traced(twin: Indices, ahead: Indices) -> tuple[Ints, Ints]:
    """The corners at edges without a twin, round by round, keeping close to the faces; and where each round starts."""
    n = len(twin)
    done = np.zeros(n, np.bool_)
    order = np.empty(n, np.int32)
    starts = np.zeros(n + 1, np.int32)
    count, rounds = 0, 0
    for begin in range(n):
        if twin[begin] >= 0 or done[begin]:
            continue
        c = begin
        while not done[c]:
            done[c] = True
            order[count] = c
            count += 1
            c = ahead[c]
            while twin[c] >= 0:
                c = ahead[twin[c]]
        rounds += 1
        starts[rounds] = count
    return order[:count].copy(), starts[: rounds + 1].copy()


def merged(loops: list[list[int]], positions: Floats) -> list[list[int]]:
    """Faces that hang together as few ones, none of which names a vertex twice or goes round a hole.

    The longest edges between them go first, so that short ones stay across: two to each hole.
    """
    loops = _shorter(loops, positions)
    beside: dict[tuple[int, int], list[int]] = {}
    for k, loop in enumerate(loops):
        for u, v in zip(loop, [*loop[1:], loop[0]], strict=True):
            beside.setdefault((min(u, v), max(u, v)), []).append(k)
    inner = [(u, v) for (u, v), of in beside.items() if len(of) == 2]
    length = {e: float(np.linalg.norm(positions[e[0]] - positions[e[1]])) for e in inner}
    stands = list(range(len(loops)))
    faces: dict[int, list[int]] = dict(enumerate(loops))

    def lead(k: int) -> int:
        while stands[k] != k:
            stands[k] = stands[stands[k]]
            k = stands[k]
        return k

    for edge in sorted(inner, key=lambda e: (-round(length[e], 12), e)):
        a, b = (lead(k) for k in beside[edge])
        if a == b:
            continue
        one, two = faces[a], faces[b]
        if len(set(one) & set(two)) != 2:
            continue
        u, v = edge
        at = next(k for k in range(len(one)) if {one[k], one[(k + 1) % len(one)]} == {u, v})
        end, begin = one[at], one[(at + 1) % len(one)]
        where = two.index(end)
        rest = two[where + 1 :] + two[:where]  # from after `end` round to before it
        rest = rest[: rest.index(begin)] if begin in rest else rest
        faces[a] = one[: at + 1] + rest + one[at + 1 :]
        stands[b] = a
        del faces[b]
    return [faces[k] for k in sorted(faces)]


def _shorter(loops: list[list[int]], positions: Floats) -> list[list[int]]:
    """Triangles with the edges between pairs of them turned where that makes them shorter; others stay."""
    loops = [list(loop) for loop in loops]
    edge_of: dict[tuple[int, int], int] = {}
    for k, loop in enumerate(loops):
        for u, v in zip(loop, [*loop[1:], loop[0]], strict=True):
            edge_of[u, v] = k
    points = np.array([positions[loop[:3]] for loop in loops])
    normal = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]).sum(axis=0)
    waiting = [e for e in edge_of if e[0] < e[1] and e[::-1] in edge_of]
    left = 8 * len(waiting) + 64
    while waiting and left:
        left -= 1
        u, v = waiting.pop()
        a, b = edge_of.get((u, v)), edge_of.get((v, u))
        if a is None or b is None or a == b or len(loops[a]) != 3 or len(loops[b]) != 3:
            continue
        w = next(x for x in loops[a] if x not in (u, v))
        x = next(x for x in loops[b] if x not in (u, v))
        if (w, x) in edge_of or (x, w) in edge_of or w == x:
            continue
        p, q, r, s = (positions[k] for k in (u, v, w, x))
        if float((r - s) @ (r - s)) >= float((p - q) @ (p - q)) * (1 - 1e-9):
            continue
        least = 1e-9 * float(np.linalg.norm(normal)) * float((p - q) @ (p - q))
        if min(float(np.cross(s - p, r - p) @ normal), float(np.cross(r - q, s - q) @ normal)) <= least:
            continue
        # u-v becomes x-w: triangles (u, x, w) and (v, w, x)
        for edge in ((u, v), (v, u)):
            edge_of.pop(edge)
        loops[a], loops[b] = [u, x, w], [v, w, x]
        for k in (a, b):
            loop = loops[k]
            for m, n in zip(loop, [*loop[1:], loop[0]], strict=True):
                edge_of[m, n] = k
                if n != m and (n, m) in edge_of:
                    waiting.append((min(m, n), max(m, n)))
    return loops
