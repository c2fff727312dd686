"""Directions that travel along a path."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.curve import Curve

UP = np.array([0.0, 1.0, 0.0])


@dataclass(frozen=True, eq=False)
class Frames:
    """Points (n,3) and unit directions (n,3): tangent, side (left of the way one walks), up = tangent × side."""

    points: Floats
    tangent: Floats
    side: Floats
    up: Floats


def upright_sides(tangent: Floats) -> Floats:
    """(n,3) Y × tangent, normalised; where the tangent is vertical, the last side is kept."""
    cross = np.cross(UP, tangent)
    good = np.linalg.norm(cross, axis=1) > 1e-9
    if not good.any():
        return np.broadcast_to(np.array([1.0, 0.0, 0.0]), tangent.shape).copy()
    last = np.maximum.accumulate(np.where(good, np.arange(len(good)), -1))
    last[last < 0] = int(np.flatnonzero(good)[0])
    return unit(cross[last])


def upright(curve: Curve, stations: Floats) -> Frames:
    """Frames at arc lengths (n,), metres: up stays as near to world Y as the tangent allows."""
    at = curve.parameters(stations)
    tangent = curve.tangents(at)
    side = upright_sides(tangent)
    return Frames(curve.points(at), tangent, side, np.cross(tangent, side))


def following(curve: Curve, stations: Floats) -> Frames:
    """Rotation-minimising frames at rising arc lengths (n,), metres.

    Source: Wang, Jüttler, Zheng & Liu 2008, Computation of rotation minimizing frames, by double reflection, with
    samples added between the stations. On a closed path the closing twist is spread evenly over the length.
    """
    stations = np.asarray(stations, np.float64)
    extra = np.linspace(0.0, curve.length, 32 * curve.span_count + 1)
    every = np.unique(np.concatenate([extra, stations]))
    at = curve.parameters(every)
    points, tangent = curve.points(at), curve.tangents(at)
    first = upright_sides(tangent[:1])[0]
    first = unit(first - tangent[0] * float(first @ tangent[0]))
    side = _reflect(points, tangent, first)
    if curve.closed:
        back = side[-1] - tangent[0] * float(side[-1] @ tangent[0])
        angle = np.arctan2(float(np.cross(back, first) @ tangent[0]), float(back @ first))
        turn = angle * every / curve.length
        across = np.cross(tangent, side)
        side = np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * across
    index = np.searchsorted(every, stations)
    return Frames(points[index], tangent[index], side[index], np.cross(tangent[index], side[index]))


@njit(cache=True, nogil=True)
def _reflect(points: Floats, tangent: Floats, first: Floats) -> Floats:
    side = np.empty_like(points)
    side[0] = first
    for i in range(len(points) - 1):
        v1 = points[i + 1] - points[i]
        c1 = v1 @ v1
        if c1 < 1e-24:
            side[i + 1] = side[i]
            continue
        r = side[i] - (2.0 / c1) * (v1 @ side[i]) * v1
        t = tangent[i] - (2.0 / c1) * (v1 @ tangent[i]) * v1
        v2 = tangent[i + 1] - t
        c2 = v2 @ v2
        s = r if c2 < 1e-24 else r - (2.0 / c2) * (v2 @ r) * v2
        s = s - (s @ tangent[i + 1]) * tangent[i + 1]
        side[i + 1] = s / np.sqrt(s @ s)
    return side
