"""Kernels of arc lengths: from parameters to lengths from the start and back."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Final

import numpy as np

from able_brick.core.kernel import inline_kernel, kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats

#: Paths steeper than this are followed, whatever is asked, degrees.
STEEP: Final = 80.0
FLAT: Final = float(np.cos(np.radians(STEEP)))
_FLAT_SQUARED: Final = FLAT * FLAT
#: So near, as a share of a cell, one more step of Newton's method is exact.
_QUADRATIC: Final = 1e-8
NODES, WEIGHTS = np.polynomial.legendre.leggauss(8)
_NODES = np.ascontiguousarray((NODES + 1.0) / 2.0)
_WEIGHTS = np.ascontiguousarray(WEIGHTS / 2.0)


@inline_kernel
def hodograph(c, k):  # type: ignore[no-untyped-def]
    """The nine numbers from which the derivative in a span is computed."""
    return (
        c[k, 1, 0] - c[k, 0, 0],
        c[k, 1, 1] - c[k, 0, 1],
        c[k, 1, 2] - c[k, 0, 2],
        c[k, 2, 0] - c[k, 1, 0],
        c[k, 2, 1] - c[k, 1, 1],
        c[k, 2, 2] - c[k, 1, 2],
        c[k, 3, 0] - c[k, 2, 0],
        c[k, 3, 1] - c[k, 2, 1],
        c[k, 3, 2] - c[k, 2, 2],
    )


@inline_kernel
def derivative(h, u):  # type: ignore[no-untyped-def]
    s = 1.0 - u
    a, b, e = 3 * s * s, 6 * s * u, 3 * u * u
    return a * h[0] + b * h[3] + e * h[6], a * h[1] + b * h[4] + e * h[7], a * h[2] + b * h[5] + e * h[8]


@inline_kernel
def speed_of(x, y, z, ground):  # type: ignore[no-untyped-def]
    flat = x * x + z * z
    whole = flat + y * y
    return math.sqrt(whole if not ground or flat < _FLAT_SQUARED * whole else flat)


@kernel
def parameters_of(stations: Floats, knots: Floats, sums: Floats, controls: Floats, ground: bool) -> Floats:
    """(n) parameters at lengths (n), by Newton's method on the length with bisection as a safeguard; at a knot's very
    own length the knot's very own parameter."""
    out = np.empty(len(stations))
    cells, spans = len(knots) - 1, len(controls)
    total = sums[cells]
    for i in range(len(stations)):
        s = min(max(stations[i], 0.0), total)
        k = np.searchsorted(sums, s, side="right") - 1
        if k >= cells:
            out[i] = float(spans)
            continue
        want = s - sums[k]
        if want <= 0.0:
            out[i] = knots[k]
            continue
        span = math.floor(knots[k])
        base, low, high = knots[k] - span, knots[k] - span, knots[k + 1] - span
        c = hodograph(controls, span)
        cell = sums[k + 1] - sums[k]
        # to begin with, the cubic of the inverse that has its speed at both ends of the cell
        x, y, z = derivative(c, low)
        v_low = speed_of(x, y, z, ground)
        x, y, z = derivative(c, high)
        v_high = speed_of(x, y, z, ground)
        q = want / cell
        u = low + (high - low) * q
        if v_low > 0.0 and v_high > 0.0:
            r, wide = 1.0 - q, high - low
            cubic = low + wide * q * q * (3 - 2 * q) + cell * q * r * (r / v_low - q / v_high)
            u = cubic if low < cubic < high else u
        for _ in range(30):
            arc = 0.0
            for j in range(len(_NODES)):
                x, y, z = derivative(c, base + (u - base) * _NODES[j])
                arc += _WEIGHTS[j] * speed_of(x, y, z, ground)
            miss = arc * (u - base) - want
            if miss <= 0.0:
                low = u
            else:
                high = u
            if abs(miss) <= 1e-13 * max(total, 1.0):
                break
            x, y, z = derivative(c, u)
            v = speed_of(x, y, z, ground)
            after = u - miss / v if v > 0.0 else (low + high) / 2
            if not low <= after <= high:
                after = (low + high) / 2
            done = after == u or abs(miss) <= _QUADRATIC * cell
            u = after
            if done:
                break
        out[i] = span + u
    return out


@kernel
def stations_of(at: Floats, knots: Floats, sums: Floats, controls: Floats, ground: bool) -> Floats:
    """(n) lengths from the start to parameters (n); clipped to the path, and at a knot its very own length."""
    out = np.empty(len(at))
    cells, spans = len(knots) - 1, len(controls)
    for i in range(len(at)):
        t = min(max(at[i], 0.0), float(spans))
        k = min(np.searchsorted(knots, t, side="right") - 1, cells - 1)
        if t >= knots[k + 1]:
            out[i] = sums[k + 1]
            continue
        span = math.floor(knots[k])
        base = knots[k] - span
        wide = t - knots[k]
        arc = 0.0
        c = hodograph(controls, span)
        for j in range(len(_NODES)):
            x, y, z = derivative(c, base + wide * _NODES[j])
            arc += _WEIGHTS[j] * speed_of(x, y, z, ground)
        out[i] = sums[k] + arc * wide
    return out


@kernel
def points_at(controls: Floats, at: Floats) -> Floats:
    """(n,3) points at parameters (n)."""
    out = np.empty((len(at), 3))
    for i in range(len(at)):
        k = int(min(max(math.floor(at[i]), 0), len(controls) - 1))
        u = at[i] - k
        r = 1.0 - u
        c = controls[k]
        for j in range(3):
            out[i, j] = r * r * r * c[0, j] + 3 * r * r * u * c[1, j] + 3 * r * u * u * c[2, j] + u * u * u * c[3, j]
    return out


@kernel
def derivatives_at(controls: Floats, at: Floats) -> Floats:
    """(n,3) first derivatives, with respect to the parameter within the span, at parameters (n)."""
    out = np.empty((len(at), 3))
    for i in range(len(at)):
        k = int(min(max(math.floor(at[i]), 0), len(controls) - 1))
        out[i] = derivative(hodograph(controls, k), at[i] - k)
    return out
