"""Closing a hole between curves."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats


def patch(sides: list[Floats]) -> tuple[list[list[int]], Floats]:
    """Faces that close a hole between n ≥ 3 sides (k+1,3+d), each from a corner to the next, counter-clockwise; and the
    places (m,3+d) of the vertices within. What comes after the three coordinates is blended as they are.

    Numbers are those of the sides' points one after the other, ends left out, then of those within. Sides that are all
    divided alike are closed by rings of quads; others by a fan about the middle, or by one face where none is divided.
    """
    counts = [len(side) - 1 for side in sides]
    n, total = len(sides), sum(counts)
    if max(counts) == 1:
        return [list(range(n))], np.zeros((0, sides[0].shape[1]))
    edge = np.concatenate([side[:-1] for side in sides])
    if len(set(counts)) > 1:
        middle = edge.mean(axis=0)
        return [[k, (k + 1) % total, total] for k in range(total)], middle[None]
    faces, places = _rings(sides, counts[0])
    return faces, np.concatenate([_rounded(edge[:, :3], places[:, :3]), places[:, 3:]], axis=1)


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
    within = _Sectors(sides, s)
    j, parts = 0, s
    while parts > 1:
        j, parts = j + 1, parts - 2
        if parts == 0:
            inner = [[made] for _ in range(n)]
            places.append(within.centre)
            made += 1
        else:
            inner = []
            for i in range(n):
                inner.append([made + k for k in range(parts)])
                places += [within.place(i, k, j) for k in range(parts)]
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
    return faces, np.array(places).reshape(-1, sides[0].shape[1])


class _Sectors:
    """A hole as n sectors of four sides: from each corner to the middles of the sides beside it, and from these to the
    centre. Places are blended between the four sides (Coons 1967)."""

    def __init__(self, sides: list[Floats], s: int) -> None:
        self.sides, self.s = sides, s
        corners = np.array([side[0] for side in sides])
        self.middles = np.array([self._along(i, 0.5) for i in range(len(sides))])
        self.centre: Floats = 2 * self.middles.mean(axis=0) - corners.mean(axis=0)
        # a flat or a hollow hole, whose middle would come to lie beyond: between the middles of its sides
        mean = self.middles.mean(axis=0)
        reach = np.linalg.norm((self.middles - mean)[:, :3], axis=1).min()
        if float(np.linalg.norm((self.centre - mean)[:3])) > reach:
            self.centre = mean

    def _along(self, i: int, share: float) -> Floats:
        """The point (3+d,) at a share of side i."""
        at = share * self.s
        k = min(int(at), self.s - 1)
        out: Floats = self.sides[i][k] + (self.sides[i][k + 1] - self.sides[i][k]) * (at - k)
        return out

    def place(self, i: int, k: int, j: int) -> Floats:
        """The place (3+d,) of point k on side i of ring j."""
        p, q = j + k, j
        if 2 * p > self.s:  # in the sector of the next corner
            return self._in_sector((i + 1) % len(self.sides), q, self.s - p)
        return self._in_sector(i, p, q)

    def _in_sector(self, i: int, p: int, q: int) -> Floats:
        """Where one is p parts along the side that begins at corner i, and q along the side that ends there."""
        u, v = 2 * p / self.s, 2 * q / self.s
        corner, ahead, before = self.sides[i][0], self.middles[i], self.middles[i - 1]
        near, side = self._along(i, u / 2), self._along(i - 1, 1 - v / 2)
        far = before + (self.centre - before) * u
        end = ahead + (self.centre - ahead) * v
        flat = (1 - u) * (1 - v) * corner + u * (1 - v) * ahead + (1 - u) * v * before + u * v * self.centre
        out: Floats = (1 - v) * near + v * far + (1 - u) * side + u * end - flat
        return out
