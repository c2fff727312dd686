"""Closing a hole between curves."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats


def patch(sides: list[Floats]) -> tuple[list[list[int]], Floats]:
    """Faces that close a hole between n ≥ 3 sides (k+1,3), each from a corner to the next, counter-clockwise; and the
    places (m,3) of the vertices within.

    Numbers are those of the sides' points one after the other, ends left out, then of those within. Sides that are all
    divided alike are closed by rings of quads; others by a fan about the middle, or by one face where none is divided.
    """
    counts = [len(side) - 1 for side in sides]
    n, total = len(sides), sum(counts)
    if max(counts) == 1:
        return [list(range(n))], np.zeros((0, 3))
    edge = np.concatenate([side[:-1] for side in sides])
    if len(set(counts)) > 1:
        middle = edge.mean(axis=0)
        return [[k, (k + 1) % total, total] for k in range(total)], middle[None]
    faces, places = _rings(sides, counts[0])
    return faces, _rounded(edge, places)


#: Points lie on a sphere within this share of its radius.
_ROUND = 1e-6


def _rounded(edge: Floats, places: Floats) -> Floats:
    """The places (m,3) put onto the sphere that the edge's points (k,3) lie on, where they lie on one."""
    middle = edge.mean(axis=0)
    p = edge - middle
    size = float(np.abs(p).max())
    found, _, rank, _ = np.linalg.lstsq(np.column_stack([2 * p, np.ones(len(p))]), (p**2).sum(axis=1), rcond=1e-9)
    if rank < 4:
        return places
    centre = middle + found[:3]
    radii = np.linalg.norm(edge - centre, axis=1)
    radius = float(radii.mean())
    if radius > 100 * size or float(np.abs(radii - radius).max()) > _ROUND * radius:
        return places
    away = places - centre
    out: Floats = centre + away * (radius / np.linalg.norm(away, axis=1))[:, None]
    return out


def _rings(sides: list[Floats], s: int) -> tuple[list[list[int]], Floats]:
    """Ring j has sides with s − 2 j parts; the last is one face, or a point."""
    n = len(sides)
    faces: list[list[int]] = []
    places: list[Floats] = []
    outer = [[i * s + k for k in range(s)] for i in range(n)]
    made = n * s
    j, parts = 0, s
    while parts > 1:
        j, parts = j + 1, parts - 2
        if parts == 0:
            inner = [[made] for _ in range(n)]
            places.append(np.mean([_within(sides, i, 0, j, s) for i in range(n)], axis=0))
            made += 1
        else:
            inner = []
            for i in range(n):
                inner.append([made + k for k in range(parts)])
                places += [_within(sides, i, k, j, s) for k in range(parts)]
                made += parts
        for i in range(n):
            side, ahead = outer[i], outer[(i + 1) % n]
            whole = [*side, ahead[0]]
            own = [*inner[i], inner[(i + 1) % n][0]]
            before = outer[i - 1]
            faces.append([before[-1], side[0], whole[1], own[0]])
            faces += [[whole[k + 1], whole[k + 2], own[k + 1], own[k]] for k in range(parts)]
        outer = inner
    if parts == 1:
        faces.append([ring[0] for ring in outer])
    return faces, np.array(places).reshape(-1, 3)


def _within(sides: list[Floats], i: int, k: int, j: int, s: int) -> Floats:
    """The place (3,) of point k on side i of ring j: as its two nearer corners would have it, weighed by how near."""
    n = len(sides)
    a = j + k
    side, before, ahead = sides[i], sides[i - 1], sides[(i + 1) % n]
    # from the side's first corner: a along the side, j along the side before, and the other way from its last corner
    one = side[a] + before[s - j] - side[0]
    other = side[a] + ahead[j] - side[s]
    share = a / s
    out: Floats = one * (1 - share) + other * share
    return out
