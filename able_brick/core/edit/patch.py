"""Closing holes between curves."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats, Indices

#: Points lie on a sphere within this share of its radius.
_ROUND = 1e-6


def fan_patches(loops: Floats) -> tuple[Indices, Floats]:
    """(k,3) triangles that close holes with loops (h,k,3+d) of points, and (h,1,3+d) the places in their middles, which
    have the number k."""
    k = loops.shape[1]
    number = np.arange(k)
    return np.stack([number, (number + 1) % k, np.full(k, k)], axis=1), loops.mean(axis=1)[:, None]


def ring_patches(sides: Floats) -> tuple[list[Indices], Floats]:
    """Faces, lists of as many corners each, that close holes between n ≥ 3 sides (h,n,s+1,3+d), each from a corner to
    the next, counter-clockwise, by rings of quads; and the places (h,m,3+d) of the vertices within.

    Numbers are those of the sides' points one after the other, ends left out, then of those within. What comes after
    the three coordinates is blended as they are. Places are put onto the sphere that a hole's border lies on, where it
    lies on one.
    """
    h = len(sides)
    faces, places = _rings(sides)
    places[..., :3] = _rounded(sides[:, :, :-1, :3].reshape(h, -1, 3), places[..., :3])
    return faces, places


def _rounded(edge: Floats, places: Floats) -> Floats:
    """The places (h,m,3) put onto the spheres that the edges' points (h,k,3) lie on, where they lie on one."""
    p = edge - edge.mean(axis=1)[:, None]
    size = np.abs(p).max(axis=(1, 2))
    # |p|² = 2 p · c + const, by least squares
    u, s, v = np.linalg.svd(np.concatenate([2 * p, np.ones((*p.shape[:2], 1))], axis=2), full_matrices=False)
    solid = s[:, 3] > 1e-9 * s[:, 0]
    square = (p**2).sum(axis=2)
    inverse = np.divide(1.0, s, out=np.zeros_like(s), where=solid[:, None])
    found = ((square[:, None] @ u)[:, 0] * inverse)[:, None] @ v
    centre = found[:, :, :3]
    radii = np.linalg.norm(p - centre, axis=2)
    radius = radii.mean(axis=1)
    solid &= (radius <= 100 * size) & (np.abs(radii - radius[:, None]).max(axis=1) <= _ROUND * radius)
    out = places.copy()
    centre = centre[solid] + edge[solid].mean(axis=1)[:, None]
    away = places[solid] - centre
    out[solid] = centre + away * (radius[solid, None] / np.linalg.norm(away, axis=2))[..., None]
    return out


def _rings(sides: Floats) -> tuple[list[Indices], Floats]:
    """Faces and places (h,m,3+d) as `ring_patches` says, before they are put onto spheres. Ring j, from the border
    inward, has sides with s − 2 j parts; the last is one face, or a point."""
    n, s = sides.shape[1], sides.shape[2] - 1
    faces: list[list[int]] = []
    places: list[Floats] = []
    outer = [[i * s + k for k in range(s)] for i in range(n)]
    made = n * s
    within = _Sectors(sides)
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
    quads = [np.array(faces)]
    last = [np.array([[ring[0] for ring in outer]])] if parts == 1 else []
    return quads + last, np.stack(places, axis=1)


class _Sectors:
    """Holes as n sectors of four sides: from each corner to the middles of the sides beside it, and from these to the
    centre. Places are blended between the four sides (Coons 1967)."""

    def __init__(self, sides: Floats) -> None:
        self.sides, self.s = sides, sides.shape[2] - 1
        corners = sides[:, :, 0]
        self.middles = np.stack([self._along(i, 0.5) for i in range(sides.shape[1])], axis=1)
        mean = self.middles.mean(axis=1)
        self.centre: Floats = 2 * mean - corners.mean(axis=1)
        # a flat or a hollow hole, whose middle would come to lie beyond: between the middles of its sides
        reach = np.linalg.norm((self.middles - mean[:, None])[..., :3], axis=2).min(axis=1)
        beyond = np.linalg.norm((self.centre - mean)[:, :3], axis=1) > reach
        self.centre[beyond] = mean[beyond]

    def _along(self, i: int, share: float) -> Floats:
        """The points (h,3+d) at a share of side i."""
        at = share * self.s
        k = min(int(at), self.s - 1)
        out: Floats = self.sides[:, i, k] + (self.sides[:, i, k + 1] - self.sides[:, i, k]) * (at - k)
        return out

    def place(self, i: int, k: int, j: int) -> Floats:
        """The places (h,3+d) of point k on side i of ring j."""
        p, q = j + k, j
        if 2 * p > self.s:  # in the sector of the next corner
            return self._in_sector((i + 1) % self.sides.shape[1], q, self.s - p)
        return self._in_sector(i, p, q)

    def _in_sector(self, i: int, p: int, q: int) -> Floats:
        """Where one is p parts along the side that begins at corner i, and q along the side that ends there."""
        u, v = 2 * p / self.s, 2 * q / self.s
        corner, ahead, before = self.sides[:, i, 0], self.middles[:, i], self.middles[:, i - 1]
        near, side = self._along(i, u / 2), self._along(i - 1, 1 - v / 2)
        far = before + (self.centre - before) * u
        end = ahead + (self.centre - ahead) * v
        flat = (1 - u) * (1 - v) * corner + u * (1 - v) * ahead + (1 - u) * v * before + u * v * self.centre
        out: Floats = (1 - v) * near + v * far + (1 - u) * side + u * end - flat
        return out
