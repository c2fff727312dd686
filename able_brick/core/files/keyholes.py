"""Faces with holes, as files hold them: one loop that runs round the outline, over a bridge, round the hole and back.

Such a loop names the ends of its bridge twice. It is cut into loops that name every vertex once, along diagonals of its
own triangulation, as few as will do.
"""

from __future__ import annotations

import mapbox_earcut
import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.polymesh import Bools, Floats

#: Loops with more corners than these are cut into triangles at once.
_MOST = 1500


def cut_keyhole(points: Floats, vertex: npt.NDArray[np.int64]) -> list[npt.NDArray[np.int64]]:
    """Loops of places in a loop of corners, each naming a vertex once, that together cover what it covers.

    points (n,3) and vertex (n) of the corners, none of them followed by itself. Nothing where it has no area.
    """
    flat = _flattened(points)
    if flat is None:
        return []
    whole = np.arange(len(vertex))
    out: list[npt.NDArray[np.int64]] = []
    waiting = _at_pinches(flat, vertex, whole)
    while waiting:
        loop = waiting.pop()
        if _repeats(vertex[loop]) == 0:
            out.append(loop)
            continue
        triangles = mapbox_earcut.triangulate_float64(flat[loop], np.array([len(loop)], np.uint32)).reshape(-1, 3)
        cut = None if len(loop) > _MOST else _best_diagonal(flat[loop], vertex[loop], triangles)
        if cut is None:
            out += [loop[t] for t in triangles.astype(np.int64) if len(set(vertex[loop[t]].tolist())) == 3]
            continue
        i, j = cut
        waiting += [np.concatenate([loop[j:], loop[: i + 1]]), loop[i : j + 1]]
    return sorted((np.roll(o, -int(np.argmin(o))) for o in out), key=lambda o: int(o[0]))


def _flattened(points: Floats) -> Floats | None:
    """The points (n,2) in the loop's own plane, where it runs counter-clockwise; None where it has no area."""
    away = points - points[0]
    normal = np.cross(away, np.roll(away, -1, axis=0)).sum(axis=0)
    size = float(np.linalg.norm(normal))
    if not size > 0:
        return None
    n = normal / size
    u = np.cross(np.eye(3)[int(np.argmin(np.abs(n)))], n)
    u = u / np.linalg.norm(u)
    return np.ascontiguousarray(np.stack([away @ u, away @ np.cross(n, u)], axis=1))


def _repeats(vertex: npt.NDArray[np.int64]) -> int:
    return len(vertex) - len(np.unique(vertex))


def _area(flat: Floats) -> float:
    x, y = flat[:, 0], flat[:, 1]
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def _at_pinches(
    flat: Floats, vertex: npt.NDArray[np.int64], loop: npt.NDArray[np.int64]
) -> list[npt.NDArray[np.int64]]:
    """The loop taken apart where it only touches itself in a vertex: there both sides run counter-clockwise."""
    out, waiting = [], [loop]
    while waiting:
        one = waiting.pop()
        cut = None
        seen: dict[int, int] = {}
        for k, v in enumerate(vertex[one].tolist()):
            if v in seen:
                i = seen[v]
                first, rest = one[i:k], np.concatenate([one[k:], one[:i]])
                if min(len(first), len(rest)) >= 3 and _area(flat[first]) > 0 and _area(flat[rest]) > 0:
                    cut = (first, rest)
                    break
            seen[v] = k
        if cut is None:
            out.append(one)
        else:
            waiting += cut
    return out


def _best_diagonal(
    flat: Floats, vertex: npt.NDArray[np.int64], triangles: npt.NDArray[np.unsignedinteger]
) -> tuple[int, int] | None:
    """The diagonal (i < j) of the triangulation that leaves the fewest vertices named twice; of those, the shortest."""
    n = len(vertex)
    best, chosen = (_repeats(vertex), 0.0), None
    pairs = {(min(a, b), max(a, b)) for t in triangles.tolist() for a, b in ((t[0], t[1]), (t[1], t[2]), (t[2], t[0]))}
    for i, j in sorted(pairs):
        if j - i < 2 or (i == 0 and j == n - 1) or vertex[i] == vertex[j]:
            continue
        inner, outer = vertex[i : j + 1], np.concatenate([vertex[j:], vertex[: i + 1]])
        left = _repeats(inner) + _repeats(outer)
        length = float(np.hypot(*(flat[i] - flat[j])))
        if left < best[0] or (chosen is not None and left == best[0] and length < best[1]):
            best, chosen = (left, length), (i, j)
    return chosen


def without_keyholes(
    points: Floats, vertex: npt.NDArray[np.int64], starts: npt.NDArray[np.int64], keep: Bools, twice: Bools
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64], npt.NDArray[np.int64], Bools]:
    """All faces, those in `twice` (F) cut: corners by their places before (C'), sizes (F'), face before (F'), and which
    corners begin an edge that was cut (C').

    points (V,3), vertex (C), starts (F+1), keep (C) the corners that are not named twice in a row.
    """
    order: list[npt.NDArray[np.int64]] = []
    sizes: list[npt.NDArray[np.int64]] = []
    faces: list[npt.NDArray[np.int64]] = []
    cuts: list[Bools] = []
    at = 0
    for face in (*np.flatnonzero(twice).tolist(), len(starts) - 1):
        if face > at:  # all those before it stay as they are
            run = np.arange(starts[at], starts[face])
            order.append(run)
            sizes.append(np.diff(starts[at : face + 1]))
            faces.append(np.arange(at, face))
            cuts.append(np.zeros(len(run), np.bool_))
        if face == len(starts) - 1:
            break
        corners = np.flatnonzero(keep[starts[face] : starts[face + 1]]) + starts[face]
        for loop in cut_keyhole(points[vertex[corners]], vertex[corners]):
            order.append(corners[loop])
            sizes.append(np.array([len(loop)]))
            faces.append(np.array([face]))
            cuts.append((np.roll(loop, -1) - loop) % len(corners) != 1)
        at = face + 1
    return np.concatenate(order), np.concatenate(sizes), np.concatenate(faces), np.concatenate(cuts)
