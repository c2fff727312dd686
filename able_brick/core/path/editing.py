"""Changing paths: points inserted, cut and joined without changing the curve; corners rounded; arcs and starters."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.path.curve import Curve, PathPoint

#: An arc is drawn by spans of at most this angle, which keep within 1e-5 of its radius.
_LARGEST_SPAN = math.radians(50.0)


def explicit(curve: Curve) -> list[PathPoint]:
    """The curve's points with their handles as they are, so that nothing about them is automatic any more."""
    c = curve.controls
    n = curve.span_count + (0 if curve.closed else 1)
    out: list[PathPoint] = []
    for k in range(n):
        after = c[k] if k < curve.span_count else None
        before = c[k - 1] if k > 0 or curve.closed else None
        position = after[0] if after is not None else c[-1, 3]
        out.append(
            PathPoint(
                _plain(position),
                None if before is None or is_straight(before) else _plain(before[2] - before[3]),
                None if after is None or is_straight(after) else _plain(after[1] - after[0]),
            )
        )
    return out


def is_straight(controls: Floats) -> bool:
    """Whether a span (4,3) is straight and evenly run."""
    a, d = controls[0], controls[3]
    even = np.stack([a + (d - a) / 3, a + (d - a) * 2 / 3])
    return bool(np.abs(controls[1:3] - even).max() <= 1e-9 * max(1.0, float(np.abs(d - a).max())))


def _plain(v: Floats) -> tuple[float, float, float]:
    x, y, z = (float(t) + 0.0 for t in v)
    return (x, y, z)


def halves(controls: Floats, share: float) -> tuple[Floats, Floats]:
    """A span (4,3) cut at a share of its parameter: two spans that together are the same curve (de Casteljau)."""
    p = np.array(controls, np.float64)
    first, second = [p[0]], [p[3]]
    while len(p) > 1:
        p = p[:-1] + (p[1:] - p[:-1]) * share
        first.append(p[0])
        second.append(p[-1])
    return np.stack(first), np.stack(second[::-1])


def with_point(curve: Curve, at: float) -> Curve:
    """The same curve with one more point, at a parameter within one of its spans."""
    k = min(int(at), curve.span_count - 1)
    share = at - k
    if not 1e-6 < share < 1 - 1e-6:
        raise GeometryError("There is a point already; choose a place between two points.", received=at)
    first, second = halves(curve.controls[k], share)
    return Curve(np.concatenate([curve.controls[:k], first[None], second[None], curve.controls[k + 1 :]]), curve.closed)


def arc_points(centre: Floats, first: Floats, second: Floats, *, sweep: float, radius: float) -> list[PathPoint]:
    """Points of an arc round a centre (3,) in the plane of two unit vectors (3,), from the first toward the second by
    `sweep` radians: within 1e-5 of its radius."""
    parts = max(1, math.ceil(abs(sweep) / _LARGEST_SPAN - 1e-9))
    step = sweep / parts
    pull = 4 / 3 * math.tan(step / 4) * radius
    out: list[PathPoint] = []
    for k in range(parts + 1):
        angle = k * step
        way = first * math.cos(angle) + second * math.sin(angle)
        along = second * math.cos(angle) - first * math.sin(angle)
        out.append(
            PathPoint(
                _plain(centre + way * radius),
                None if k == 0 else _plain(-along * pull),
                None if k == parts else _plain(along * pull),
            )
        )
    return out


def circle_points(radius: float) -> list[PathPoint]:
    """Points of a closed circle round the origin on the ground, as exact as arcs are."""
    x, z = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])
    points = arc_points(np.zeros(3), x, z, sweep=2 * math.pi, radius=radius)
    return [replace(points[0], handle_in=points[-1].handle_in), *points[1:-1]]


def largest_fillet(before: Floats, corner: Floats, after: Floats) -> tuple[float, float]:
    """The largest radius that rounds a corner between straight spans, metres, and by how much it turns, radians."""
    u, v = corner - before, after - corner
    lu, lv = float(np.linalg.norm(u)), float(np.linalg.norm(v))
    turn = math.atan2(float(np.linalg.norm(np.cross(u, v))), float(u @ v))
    return min(lu, lv) / max(math.tan(turn / 2), 1e-12), turn


def rounded_corner(before: Floats, corner: Floats, after: Floats, radius: float) -> list[PathPoint]:
    """The points that take the place of a corner: an arc that touches both of its sides."""
    u = (corner - before) / np.linalg.norm(corner - before)
    v = (after - corner) / np.linalg.norm(after - corner)
    turn = math.atan2(float(np.linalg.norm(np.cross(u, v))), float(u @ v))
    reach = radius * math.tan(turn / 2)
    inward = v - u * float(v @ u)
    inward = inward / np.linalg.norm(inward)
    start = corner - u * reach
    return arc_points(start + inward * radius, -inward, u, sweep=turn, radius=radius)


def reversed_points(points: Sequence[PathPoint]) -> list[PathPoint]:
    """The same curve from its end to its start."""
    return [PathPoint(p.position, p.handle_out, p.handle_in, p.sharp) for p in reversed(points)]
