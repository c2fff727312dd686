"""The smallest radius of curvature of cubic spans, found on their polynomials."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.polymesh import Floats

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats

#: A radius under this share of the span's own size is that of a cusp: 0.
CUSP = 1e-10
_CLOSE = 1.002  # how much more curvature is not looked for any further: 0.1 % of the radius
_DEEP = 44


@kernel
def _bernstein(p: Floats, out: Floats) -> None:
    """Bernstein coefficients (5) of a polynomial of degree four from its powers (5)."""
    out[0] = p[0]
    out[1] = p[0] + p[1] / 4
    out[2] = p[0] + p[1] / 2 + p[2] / 6
    out[3] = p[0] + 3 * p[1] / 4 + p[2] / 2 + p[3] / 4
    out[4] = p[0] + p[1] + p[2] + p[3] + p[4]


@kernel
def _halved(b: Floats, left: Floats, right: Floats) -> None:
    """De Casteljau at the middle."""
    w = b.copy()
    for k in range(5):
        left[k] = w[0]
        right[4 - k] = w[4 - k]
        for i in range(4 - k):
            w[i] = (w[i] + w[i + 1]) / 2


@kernel
def _turns_back(d: Floats) -> float:
    """Where a straight span turns round on itself, or −1: its speed along its own line changes sign inside."""
    k = 0
    for i in range(1, 3):
        if d[i] @ d[i] > d[k] @ d[k]:
            k = i
    q0, q1, q2 = d[0] @ d[k], d[1] @ d[k], d[2] @ d[k]
    a, b, c = q0 - 2 * q1 + q2, 2 * (q1 - q0), q0
    if abs(a) < 1e-14 * (abs(q0) + abs(q1) + abs(q2)):
        if b != 0.0 and 0.0 < -c / b < 1.0:
            place: float = -c / b
            return place
        return -1.0
    inside = b * b - 4 * a * c
    if inside <= 0.0:
        return -1.0
    root = math.sqrt(inside)
    t: float
    for t in ((-b - root) / (2 * a), (-b + root) / (2 * a)):
        if 1e-12 < t < 1.0 - 1e-12:
            return t
    return -1.0


@kernel
def smallest_radius(controls: Floats) -> tuple[float, float]:
    """The smallest radius of spans (S,4,3), metres, and the parameter where it is; infinite where all are straight.

    Minimum of |C'|³ / |C' × C''|. Both are polynomials of degree four when squared; intervals are halved, and dropped
    when the Bernstein coefficients prove that they bend no more than what has been found. Cusps count as radius 0.
    """
    best, where = np.inf, -1.0
    speed, bend = np.empty(5), np.empty(5)
    stack = np.empty((2 * _DEEP + 8, 12))
    for s in range(len(controls)):
        c = controls[s]
        d = np.empty((3, 3))
        for i in range(3):
            d[i] = 3 * (c[i + 1] - c[i])
        a, b, e = d[0], 2 * (d[1] - d[0]), d[0] - 2 * d[1] + d[2]
        n0, n1, n2 = np.cross(a, b), 2 * np.cross(a, e), np.cross(b, e)
        _bernstein(np.array([a @ a, 2 * (a @ b), b @ b + 2 * (a @ e), 2 * (b @ e), e @ e]), speed)
        _bernstein(np.array([n0 @ n0, 2 * (n0 @ n1), n1 @ n1 + 2 * (n0 @ n2), 2 * (n1 @ n2), n2 @ n2]), bend)
        fast = speed.max()
        if bend.max() <= 1e-20 * fast * fast:
            at = _turns_back(d)
            if at >= 0.0 and best > 0.0:
                best, where = 0.0, s + at
            continue
        size = math.sqrt(fast)
        most = 0.0 if not math.isfinite(best) or best <= 0.0 else 1.0 / best**2  # squared curvature that is known
        if best <= 0.0:
            break
        stack[0, :5], stack[0, 5:10], stack[0, 10], stack[0, 11] = speed, bend, 0.0, 1.0
        waiting = 1
        while waiting:
            waiting -= 1
            v, n = stack[waiting, :5].copy(), stack[waiting, 5:10].copy()
            low, wide = stack[waiting, 10], stack[waiting, 11]
            for k in (0, 4):
                if v[k] > 0.0:
                    here = max(n[k], 0.0) / v[k] ** 3
                    if here > most:
                        most, where = here, s + low + (wide if k else 0.0)
            least = v.min()
            if least > 0.0 and n.max() / least**3 <= _CLOSE * most:
                continue
            if wide <= 2.0**-_DEEP:
                continue
            first, second = stack[waiting], stack[waiting + 1]
            _halved(v, first[:5], second[:5])
            _halved(n, first[5:10], second[5:10])
            first[10], second[10] = low, low + wide / 2
            first[11], second[11] = wide / 2, wide / 2
            waiting += 2
        if most > 0.0:
            found = 1.0 / math.sqrt(most)
            if found <= CUSP * size:
                found = 0.0
            best = min(best, found)
    return best, where


def radius_of(controls: Floats) -> tuple[float, float]:
    """The smallest radius (metres, infinite where straight, 0 at a cusp) and its parameter, or −1."""
    radius, at = smallest_radius(np.ascontiguousarray(controls))
    return float(radius), float(at)
