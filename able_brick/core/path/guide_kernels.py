"""Kernels of guides: sections across a path."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import inline_kernel, kernel
from able_brick.core.path.arc_kernels import FLAT, derivative, hodograph, speed_of

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats


@inline_kernel
def _reflected(p, t, s, q, w):  # type: ignore[no-untyped-def]
    """The side s at point p with tangent t, carried on to point q with tangent w by double reflection."""
    x, y, z = q[0] - p[0], q[1] - p[1], q[2] - p[2]
    c = x * x + y * y + z * z
    if c < 1e-26:
        a, b, e = s[0], s[1], s[2]
    else:
        f = 2.0 / c * (x * s[0] + y * s[1] + z * s[2])
        a, b, e = s[0] - f * x, s[1] - f * y, s[2] - f * z
        f = 2.0 / c * (x * t[0] + y * t[1] + z * t[2])
        g, h, i = w[0] - (t[0] - f * x), w[1] - (t[1] - f * y), w[2] - (t[2] - f * z)
        c = g * g + h * h + i * i
        if c >= 1e-26:
            f = 2.0 / c * (g * a + h * b + i * e)
            a, b, e = a - f * g, b - f * h, e - f * i
    f = a * w[0] + b * w[1] + e * w[2]
    a, b, e = a - f * w[0], b - f * w[1], e - f * w[2]
    size = math.sqrt(a * a + b * b + e * e)
    return a / size, b / size, e / size


@kernel
def carried_sides(points: Floats, tangents: Floats, into: Floats, out: Floats, first: Floats) -> Floats:
    """(S,M,3) sides at samples (S,M,3) of each span, without twist; over corners by the least turn."""
    sides = np.empty_like(points)
    for k in range(len(points)):
        if k == 0:
            sides[0, 0] = first
        else:
            s = sides[k - 1, -1]
            cosine = 0.0
            ahead = 0.0
            for i in range(3):
                cosine += into[k, i] * out[k, i]
                ahead += s[i] * out[k, i]
            for i in range(3):
                turn = (into[k, i] + out[k, i]) * ahead / (1.0 + cosine) if cosine > -1.0 + 1e-12 else 0.0
                sides[k, 0, i] = s[i] - turn
        for j in range(1, points.shape[1]):
            a, b, c = _reflected(points[k, j - 1], tangents[k, j - 1], sides[k, j - 1], points[k, j], tangents[k, j])
            sides[k, j, 0], sides[k, j, 1], sides[k, j, 2] = a, b, c
    return sides


@kernel
def lengths_inside(stations: Floats, length: float, closed: bool, stops: Floats) -> Floats:
    """(n) lengths clipped to an open path, or once round a closed one, where a stop (rising) comes back to its very
    number."""
    out = np.empty(len(stations))
    grain = 1e-12 * max(1.0, length)
    for i in range(len(stations)):
        s = stations[i]
        if closed:
            s = s % length
            s = 0.0 if s >= length else s
            k = np.searchsorted(stops, s - grain)
            if k < len(stops) and stops[k] <= s + grain:
                s = stops[k]
        else:
            s = min(max(s, 0.0), length)
        out[i] = s
    return out


@kernel
def guided(
    controls: Floats,
    at: Floats,
    roll: Floats,
    table: Floats,
    into: Floats,
    out: Floats,
    mitred: Bools,
    upright: bool,
    ground: bool,
    longest: float,
    sideways: float,
    over_it: float,
) -> tuple[Floats, Floats, Floats, Floats]:
    """Origins, directions along, sides and ups (n,3) at parameters (n); origins shifted sideways and up, metres."""
    n, spans, samples = len(at), len(controls), table.shape[1] - 1
    origin, along = np.empty((n, 3)), np.empty((n, 3))
    side, up = np.empty((n, 3)), np.empty((n, 3))
    p, q, t, w, s = np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    m, e = np.empty(3), np.empty(3)
    for i in range(n):
        k = int(min(max(math.floor(at[i]), 0), spans - 1))
        u = at[i] - k
        c = controls[k]
        h = hodograph(controls, k)
        r = 1.0 - u
        for j in range(3):
            q[j] = r * r * r * c[0, j] + 3 * r * r * u * c[1, j] + 3 * r * u * u * c[2, j] + u * u * u * c[3, j]
        x, y, z = derivative(h, u)
        speed = math.sqrt(x * x + y * y + z * z)
        if speed < 1e-12:  # a handle of no length: the direction a little further inside
            x, y, z = derivative(h, min(max(u, 1e-4), 1 - 1e-4))
            speed = max(math.sqrt(x * x + y * y + z * z), 1e-300)
        measured = max(speed_of(x, y, z, ground), 1e-300)
        w[0], w[1], w[2] = x / speed, y / speed, z / speed
        j = int(min(max(math.floor(u * samples), 0), samples - 1))
        corner = u == 0.0 and mitred[k]
        if corner:
            w[:] = into[k]
        if upright:
            flat = math.sqrt(w[0] * w[0] + w[2] * w[2])
            if flat > 1e-9:
                s[0], s[1], s[2] = w[2] / flat, 0.0, -w[0] / flat
            else:
                s[:] = table[k, j]
            m[0], m[1], m[2] = 0.0, 1.0, 0.0
            if flat < FLAT:  # steep: over to what stands across the path, within 5°
                over = (math.acos(min(flat, 1.0)) - math.acos(FLAT)) / math.radians(5.0)
                over = min(max(over, 0.0), 1.0)
                over = over * over * (3.0 - 2.0 * over)
                x2 = w[1] * s[2] - w[2] * s[1]
                y2 = w[2] * s[0] - w[0] * s[2]
                z2 = w[0] * s[1] - w[1] * s[0]
                m[0], m[1], m[2] = over * x2, 1.0 - over + over * y2, over * z2
                size = math.sqrt(m[0] * m[0] + m[1] * m[1] + m[2] * m[2])
                m[0], m[1], m[2] = m[0] / size, m[1] / size, m[2] / size
        else:
            if u == 0.0 and not corner:
                s[:] = table[k, 0]
            elif corner and k == 0:
                # back over the corner of a closed path: the least turn the other way
                cosine, ahead = 0.0, 0.0
                for a in range(3):
                    cosine += into[k, a] * out[k, a]
                    ahead += table[k, 0, a] * into[k, a]
                for a in range(3):
                    turn = (into[k, a] + out[k, a]) * ahead / (1.0 + cosine) if cosine > -1.0 + 1e-12 else 0.0
                    s[a] = table[k, 0, a] - turn
            elif corner:
                s[:] = table[k - 1, samples]
            else:
                v = j / samples
                r = 1.0 - v
                for a in range(3):
                    p[a] = r**3 * c[0, a] + 3 * r * r * v * c[1, a] + 3 * r * v * v * c[2, a] + v**3 * c[3, a]
                x2, y2, z2 = derivative(h, v)
                size = math.sqrt(x2 * x2 + y2 * y2 + z2 * z2)
                if size < 1e-12:
                    s[:] = table[k, j]
                    f = s[0] * w[0] + s[1] * w[1] + s[2] * w[2]
                    for a in range(3):
                        s[a] -= f * w[a]
                    size = math.sqrt(s[0] * s[0] + s[1] * s[1] + s[2] * s[2])
                    for a in range(3):
                        s[a] /= size
                else:
                    t[0], t[1], t[2] = x2 / size, y2 / size, z2 / size
                    s[0], s[1], s[2] = _reflected(p, t, table[k, j], q, w)
            m[0] = w[1] * s[2] - w[2] * s[1]
            m[1] = w[2] * s[0] - w[0] * s[2]
            m[2] = w[0] * s[1] - w[1] * s[0]
        if roll[i] != 0.0:
            cosine, sine = math.cos(roll[i]), math.sin(roll[i])
            for a in range(3):
                x2, y2 = s[a], m[a]
                s[a], m[a] = cosine * x2 + sine * y2, cosine * y2 - sine * x2
        if corner:
            # along the way into the corner up to the plane that halves it
            if upright:
                size = math.sqrt(w[0] * w[0] + w[2] * w[2])
                over = math.sqrt(out[k, 0] ** 2 + out[k, 2] ** 2)
                if size > 1e-9 and over > 1e-9:
                    w[0], w[1], w[2] = w[0] / size, 0.0, w[2] / size
                    e[0], e[1], e[2] = out[k, 0] / over, 0.0, out[k, 2] / over
                else:
                    e[:] = out[k]
            else:
                e[:] = out[k]
            e[0], e[1], e[2] = e[0] + w[0], e[1] + w[1], e[2] + w[2]
            ahead = w[0] * e[0] + w[1] * e[1] + w[2] * e[2]
            ahead = max(ahead, 2.0 / (longest * longest))
            f = -(s[0] * e[0] + s[1] * e[1] + s[2] * e[2]) / ahead
            g = -(m[0] * e[0] + m[1] * e[1] + m[2] * e[2]) / ahead
            for a in range(3):
                s[a] += f * w[a]
                m[a] += g * w[a]
        side[i], up[i] = s, m
        for a in range(3):
            origin[i, a] = q[a] + s[a] * sideways + m[a] * over_it if sideways != 0.0 or over_it != 0.0 else q[a]
        along[i, 0], along[i, 1], along[i, 2] = x / measured, y / measured, z / measured
    return origin, along, side, up


@kernel
def lean_to_mitres(
    stations: Floats,
    corners: Floats,
    before: Floats,
    after: Floats,
    bisectors: Floats,
    around: float,
    upright: bool,
    longest: float,
    sideways: float,
    over_it: float,
    origin: Floats,
    along: Floats,
    side: Floats,
    up: Floats,
) -> None:
    """Lean sections (n,3 each, changed in place) at lengths (n) towards the mitres of corners at lengths (k).

    Over lengths before and after (k) each, from not at all to as far as the plane with normal (k,3). `around` is the
    length of a closed path, else 0. Sections in corners stand in their mitres already.
    """
    n = len(corners)
    for i in range(len(stations)):
        s = stations[i]
        following = np.searchsorted(corners, s)
        for way in range(2):
            # the corner ahead, then the one behind
            k = following if way == 0 else following - 1
            shift = 0.0
            if k < 0 or k >= n:
                if around == 0.0:
                    continue
                shift = around if k >= n else -around
                k = 0 if k >= n else n - 1
            away = corners[k] + shift - s if way == 0 else s - corners[k] - shift
            zone = before[k] if way == 0 else after[k]
            if away <= 0.0 or away >= zone * (1 - 1e-9):
                continue
            x, y, z = along[i, 0], along[i, 1], along[i, 2]
            if upright and x * x + z * z > 1e-18 * (x * x + y * y + z * z):
                y = 0.0
            size = math.sqrt(x * x + y * y + z * z)
            x, y, z = x / size, y / size, z / size
            a, b, c = bisectors[k, 0], bisectors[k, 1], bisectors[k, 2]
            ahead = max(x * a + y * b + z * c, 2.0 / (longest * longest))
            share = (1.0 - away / zone) / ahead
            f = -(side[i, 0] * a + side[i, 1] * b + side[i, 2] * c) * share
            g = -(up[i, 0] * a + up[i, 1] * b + up[i, 2] * c) * share
            h = f * sideways + g * over_it
            side[i, 0] += f * x
            side[i, 1] += f * y
            side[i, 2] += f * z
            up[i, 0] += g * x
            up[i, 1] += g * y
            up[i, 2] += g * z
            origin[i, 0] += h * x
            origin[i, 1] += h * y
            origin[i, 2] += h * z
