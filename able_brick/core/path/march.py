"""Walking along a path in straight strides of given lengths, from point of the path to point of the path."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import inline_kernel, kernel
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.threads import by_halves

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats

_TRACES = 2000
#: So many strides are looked for by two threads.
_PARALLEL_FROM = 4000


@inline_kernel
def _along(a, b, c, e, u):  # type: ignore[no-untyped-def]
    """A coordinate of a cubic and how it changes."""
    s = 1.0 - u
    value = s * s * s * a + 3 * s * s * u * b + 3 * s * u * u * c + u * u * u * e
    return value, 3 * (s * s * (b - a) + 2 * s * u * (c - b) + u * u * (e - c))


@kernel
def _at(controls: Floats, closed: bool, t: float) -> tuple[float, float, float, float, float, float]:
    """Point and derivative (x, y, z, x', y', z') at a parameter. Beyond its ends an open path goes straight on, a
    closed one round again. Numbers, not arrays: those would cost more than what is computed."""
    spans = len(controls)
    if closed:
        k = math.floor(t)
        u = t - k
        k = k % spans
    else:
        k = min(max(math.floor(t), 0), spans - 1)
        u = min(max(t - k, 0.0), 1.0)
    x, dx = _along(controls[k, 0, 0], controls[k, 1, 0], controls[k, 2, 0], controls[k, 3, 0], u)
    y, dy = _along(controls[k, 0, 1], controls[k, 1, 1], controls[k, 2, 1], controls[k, 3, 1], u)
    z, dz = _along(controls[k, 0, 2], controls[k, 1, 2], controls[k, 2, 2], controls[k, 3, 2], u)
    if not closed and (t > spans or t < 0.0):
        over = t - spans if t > spans else t
        if math.sqrt(dx * dx + dy * dy + dz * dz) < 1e-12:  # a handle of no length: on along the chord
            dx = controls[k, 3, 0] - controls[k, 0, 0]
            dy = controls[k, 3, 1] - controls[k, 0, 1]
            dz = controls[k, 3, 2] - controls[k, 0, 2]
        x, y, z = x + dx * over, y + dy * over, z + dz * over
    return x, y, z, dx, dy, dz


@kernel
def _fastest(controls: Floats) -> Floats:
    """(S) a bound of the speed in each span."""
    out = np.empty(len(controls))
    for k in range(len(controls)):
        most = 0.0
        for j in range(3):
            q = 0.0
            for i in range(3):
                q += (controls[k, j + 1, i] - controls[k, j, i]) ** 2
            most = max(most, 9 * q)
        chord = 0.0
        for i in range(3):
            chord += (controls[k, 3, i] - controls[k, 0, i]) ** 2
        out[k] = math.sqrt(max(most, chord))
    return out


@kernel
def _newton(
    controls: Floats,
    closed: bool,
    p0: tuple[float, float, float],
    d0: tuple[float, float, float],
    t: float,
    length: float,
    way: int,
    grain: float,
) -> float:
    """Newton's method from a parameter; NaN where the path does not go on in about one direction from p0."""
    for k in range(24):
        x, y, z, dx, dy, dz = _at(controls, closed, t)
        x, y, z = x - p0[0], y - p0[1], z - p0[2]
        r = math.sqrt(x * x + y * y + z * z)
        speed = math.sqrt(dx * dx + dy * dy + dz * dz)
        if r <= 0.0 or speed <= 0.0:
            return np.nan
        slope = way * (x * dx + y * dy + z * dz) / r
        if slope <= 0.2 * speed or dx * d0[0] + dy * d0[1] + dz * d0[2] <= 0.0:
            return np.nan
        miss = r - length
        if abs(miss) <= grain or (k >= 6 and abs(miss) <= 64 * grain):
            return t
        t = t - way * miss / slope
    return np.nan


@kernel
def _stride(controls: Floats, closed: bool, fastest: Floats, grain: float, t0: float, length: float, way: int) -> float:
    """The nearest parameter ahead (way 1) or behind (−1) at which the path is so far from where it is at t0, or NaN.

    Newton's method where the path goes on in about one direction, else steps that are too short to pass it.
    """
    spans = len(controls)
    if length <= grain:
        return t0
    x, y, z, dx, dy, dz = _at(controls, closed, t0)
    p0, d0 = (x, y, z), (dx, dy, dz)
    speed = math.sqrt(dx * dx + dy * dy + dz * dz)
    if speed > 0.0:
        t = _newton(controls, closed, p0, d0, t0 + way * length / speed, length, way, grain)
        if math.isfinite(t) and 0.0 < way * (t - t0) <= 1.0:
            return t
    t = t0
    for _ in range(_TRACES):
        x, y, z, dx, dy, dz = _at(controls, closed, t)
        x, y, z = x - p0[0], y - p0[1], z - p0[2]
        left = length - math.sqrt(x * x + y * y + z * z)
        if left <= grain:
            return t
        k = math.floor(t)
        if way < 0 and t == k:
            k -= 1
        most = fastest[k % spans] if closed else fastest[min(max(k, 0), spans - 1)]
        if most <= 0.0:
            return np.nan
        if left < 1e-3 * length:  # near: to the end by Newton's method, in the direction that the path has here
            near = _newton(controls, closed, p0, (dx, dy, dz), t + way * left / most, length, way, grain)
            if math.isfinite(near) and way * (near - t) >= 0.0:
                return near
        step = max(left / most, 1e-15 * max(abs(t), 1.0))
        if closed or 0 <= k < spans:
            edge = k + 1.0 if way > 0 else float(k)
            if step >= abs(edge - t) > 0.0:
                t = edge
                continue
        t += way * step
        if closed and abs(t - t0) > spans:
            return np.nan
    return np.nan


@kernel
def _grain(controls: Floats) -> float:
    """How finely places along spans can be distinguished, metres."""
    reach: float = np.abs(controls).max()
    return 8e-16 * max(1.0, reach)


@kernel
def _walk(
    controls: Floats,
    closed: bool,
    fastest: Floats,
    grain: float,
    begin: float,
    lengths: Floats,
    factor: float,
    gap: float,
    whole: bool,
    ends: Floats,
) -> float:
    """Fill ends (n,2) with the parameters of strides with gaps between them; where the last one ends, or NaN."""
    t = begin
    count = len(lengths)
    for k in range(count):
        ends[k, 0] = t
        t = _stride(controls, closed, fastest, grain, t, lengths[k] * factor, 1)
        if not math.isfinite(t):
            return np.nan
        ends[k, 1] = t
        if k < count - 1 or whole:
            t = _stride(controls, closed, fastest, grain, t, abs(gap), 1 if gap >= 0 else -1)
            if not math.isfinite(t):
                return np.nan
    return t


@kernel
def _beyond(controls: Floats, closed: bool, t: float, end: float) -> float:
    """How far a parameter is beyond another, metres; negative before it."""
    x, y, z, _, _, _ = _at(controls, closed, t)
    u, v, w, _, _, _ = _at(controls, closed, end)
    away = math.sqrt((x - u) ** 2 + (y - v) ** 2 + (z - w) ** 2)
    # whole spans in between count as well, so that a path that comes back to its end is not mistaken for it
    return (away + max(t - end - 0.5, 0.0)) if t >= end else -(away + max(end - t - 0.5, 0.0))


@kernel
def _fitted(
    controls: Floats,
    closed: bool,
    begin: float,
    end: float,
    whole: bool,
    lengths: Floats,
    factor: float,
    gap: float,
    ends: Floats,
) -> float:
    """The one factor of all lengths with which the last stride ends where the path does; NaN where none is found."""
    fastest, grain = _fastest(controls), _grain(controls)
    low, high = 0.0, 0.0
    f_low, f_high = 0.0, 0.0
    for k in range(60):
        t = _walk(controls, closed, fastest, grain, begin, lengths, factor, gap, whole, ends)
        if not math.isfinite(t):
            return np.nan
        f = _beyond(controls, closed, t, end)
        if f == 0.0:
            return factor
        if f > 0.0:
            high, f_high = factor, f
            if low > 0.0:
                break
            factor *= 0.985 if k < 20 else 0.9
        else:
            low, f_low = factor, f
            if high > 0.0:
                break
            factor *= 1.015 if k < 20 else 1.1
    if low <= 0.0 or high <= 0.0:
        return np.nan
    side = 0
    longest = lengths.max()
    for k in range(80):
        middle = (low * f_high - high * f_low) / (f_high - f_low)
        if k % 12 == 11 or not low < middle < high:
            middle = (low + high) / 2
        t = _walk(controls, closed, fastest, grain, begin, lengths, middle, gap, whole, ends)
        if not math.isfinite(t):
            return np.nan
        f = _beyond(controls, closed, t, end)
        if abs(f) <= 4 * grain * math.sqrt(len(lengths)) or high - low <= 4e-16 * high:
            return middle if abs(f) <= 1e-9 * max(1.0, middle * longest) else np.nan
        if f > 0.0:
            high, f_high = middle, f
            if side == 1:
                f_low /= 2
            side = 1
        else:
            low, f_low = middle, f
            if side == -1:
                f_high /= 2
            side = -1
    return np.nan


@kernel
def _ahead(controls: Floats, closed: bool, starts: Floats, lengths: Floats, out: Floats) -> None:
    fastest, grain = _fastest(controls), _grain(controls)
    for k in range(len(starts)):
        way = 1 if lengths[k] > 0 else -1
        out[k] = _stride(controls, closed, fastest, grain, starts[k], abs(lengths[k]), way)


def fitted_strides(
    controls: Floats, lengths: Floats, *, closed: bool, begin: float, end: float, whole: bool, first: float, gap: float
) -> tuple[float, Floats] | None:
    """Straight strides from parameter `begin` to the very `end` of spans (S,4,3), gaps (m, negative: overlaps) between.

    Their lengths (n, m) are all made longer by one factor; `first` is one to begin the search with. `closed`: the path
    goes round; `whole`: there is a gap behind the last stride too, as after a whole round. The factor found, and the
    parameters (n,2) at which each begins and ends; None where there is no such walk: on paths that wind more tightly
    than the strides are long.
    """
    ends = np.empty((len(lengths), 2))
    held = np.ascontiguousarray(lengths, np.float64)
    factor = float(_fitted(np.ascontiguousarray(controls), closed, begin, end, whole, held, first, gap, ends))
    if not math.isfinite(factor) or not (ends[:, 1] > ends[:, 0]).all():
        return None
    if not whole:
        ends[-1, 1] = end
    return factor, ends


def strides_from(controls: Floats, starts: Floats, lengths: Floats | float, *, closed: bool) -> Floats:
    """(n) the parameters at which straight strides from parameters (n) end; NaN where there is none.

    The lengths (n) are in metres; negative goes backward.
    """
    out = np.empty(len(starts))
    far = np.ascontiguousarray(np.broadcast_to(np.asarray(lengths, np.float64), (len(starts),)))
    held, begin = np.ascontiguousarray(controls), np.ascontiguousarray(starts, np.float64)
    by_halves(lambda a, b: _ahead(held, closed, begin[a:b], far[a:b], out[a:b]), len(out), _PARALLEL_FROM)
    return out
