"""Stairs, straight and turning."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.shapes.limits import SHORTEST, check_count, check_length, check_optional
from able_brick.core.shapes.mesh_builder import Grid, MeshBuilder


def steps_for(height: float, step_height: float) -> int:
    """The number of steps whose height comes nearest to the wanted one; all are equal, the total is exact."""
    check_length("step height", step_height, most=height)
    fewer = max(1, math.floor(height / step_height))
    return min((fewer, fewer + 1), key=lambda n: abs(height / n - step_height))


def stairs(width: float, height: float, depth: float, *, steps: int, thickness: float = 0.0) -> PolyMesh:
    """Closed straight flight in metres, climbing from +Z to −Z over `depth` in equal steps, `width` along X.

    `thickness` 0 makes it solid to the ground, else the flight is a slab with a sloping underside, so thick upright.
    Facets: treads, risers, sides, underside, back. Sides are quads with one triangle for each step.
    """
    for name, value in (("width", width), ("height", height), ("depth", depth)):
        check_length(name, value)
    check_count("steps", steps, 1, 1000)
    thickness = check_optional("thickness", thickness)

    def place(s: Floats, y: Floats, side: float) -> Floats:
        return np.stack([np.full_like(s, side * width / 2), y, depth / 2 - s * depth], axis=-1)

    return _flight(place, (width, width), (depth, depth), height, steps, 1, thickness)


def spiral_stairs(
    radius: float,
    height: float,
    *,
    core: float,
    sweep: float,
    steps: int,
    thickness: float = 0.2,
    divisions: int = 1,
    clockwise: bool = False,
) -> PolyMesh:
    """Closed turning flight in metres about Y: from `core` to `radius`, through `sweep` radians, in equal steps.

    It begins at −X or +X and climbs counter-clockwise seen from above unless `clockwise`. `divisions` quads follow the
    curve of each step; `thickness` is that of the slab, upright; 0 makes it solid to the ground, up to a full turn.
    """
    check_length("radius", radius)
    check_length("height", height)
    check_length("core radius", core, most=radius - SHORTEST)
    check_count("steps", steps, 1, 1000)
    check_count("divisions", divisions, 1, 100)
    thickness = check_optional("thickness", thickness)
    whole = 2 * math.pi
    if not math.radians(1) <= sweep <= 100 * whole:
        raise GeometryError(
            f"Sweep is {math.degrees(sweep):g}°; give 1° to 36 000°.", field="sweep", received=math.degrees(sweep)
        )
    if sweep >= whole - 1e-9 and thickness <= 0:
        raise GeometryError(
            "A solid flight cannot turn all the way round; give a thickness, or a sweep below 360°.", field="thickness"
        )
    least = height * (whole / sweep) if sweep > whole else math.inf
    if thickness + height / steps >= least:
        raise GeometryError(
            f"The turns would run into each other: one turn climbs {least:.4g} m; make the slab thinner.",
            field="thickness",
            received=thickness,
            allowed=least - height / steps,
        )
    if sweep / (steps * divisions) > math.pi / 2:
        raise GeometryError("Each step turns more than 90°; give more steps or divisions.", field="steps")
    hand = -1.0 if clockwise else 1.0

    def place(s: Floats, y: Floats, side: float) -> Floats:
        r = core if side < 0 else radius
        return np.stack([hand * r * np.cos(s * sweep), y, -r * np.sin(s * sweep)], axis=-1)

    inner, outer = core * sweep, radius * sweep
    widths = (radius - core, radius - core)
    return _flight(place, widths, (inner, outer), height, steps, divisions, thickness, turned_over=hand < 0)


def _flight(
    place: Callable[[Any, Any, float], Floats],
    widths: tuple[float, float],
    runs: tuple[float, float],
    height: float,
    steps: int,
    divisions: int,
    thickness: float,
    *,
    turned_over: bool = False,
) -> PolyMesh:
    """The flight from its section; `place(s, y, side)` puts a point of the section on the left (−1) or right (1)."""
    n = steps * divisions
    s = np.arange(n + 1) / n
    step = height / steps
    bottom = np.zeros(n + 1) if thickness <= 0 else np.maximum(0.0, s * height - thickness)
    if thickness > 0 and bottom[-1] <= 0.0:
        bottom[:] = 0.0
    k = np.arange(n)
    top = (k // divisions + 1) * step
    top[-divisions:] = height
    builder = MeshBuilder()
    fields = [builder.new_facet() for _ in range(6)]
    treads, risers, left, right, under, back = fields

    def both(where: Any, y: Any) -> Grid:
        return np.stack([builder.points(place(where, y, -1.0)), builder.points(place(where, y, 1.0))], axis=-1)

    low = both(s, bottom)
    # upper points: at each boundary the tread that ends there, and at the start of a step the one that begins
    end = both(s[1:], top)
    start = np.empty_like(end)
    first = k % divisions == 0
    start[first] = both(s[k[first]], top[first])
    start[~first] = end[k[~first] - 1]
    foot = np.empty((steps, 2), np.int64)  # where each riser begins
    foot[0] = low[0]
    foot[1:] = end[np.arange(1, steps) * divisions - 1]

    def put(corners: np.ndarray, uv: np.ndarray, facet: int) -> None:
        if turned_over:
            corners, uv = corners[:, ::-1], uv[:, ::-1] * [-1.0, 1.0]
        builder.faces(corners, uv, facet)

    def across(a: Grid, b: Grid, va: Any, vb: Any, facet: int) -> None:
        """Quads from a (m,2) to b (m,2), left to right, with v coordinates."""
        m = len(a)
        w = np.broadcast_to(np.array(widths[0]), (m,))
        zero = np.zeros(m)
        uv = np.stack(
            [np.stack([zero, va], 1), np.stack([w, va], 1), np.stack([w, vb], 1), np.stack([zero, vb], 1)], axis=1
        )
        put(np.stack([a[:, 0], a[:, 1], b[:, 1], b[:, 0]], axis=1), uv, facet)

    run = runs[1]
    across(start, end, s[:-1] * run, s[1:] * run, treads)
    rise0 = np.concatenate([[0.0], top[divisions - 1 : -1 : divisions]])
    across(foot, start[first], rise0, top[first], risers)
    slope = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(s * run), np.diff(bottom)))])
    across(low[1:], low[:-1], -slope[1:], -slope[:-1], under)
    across(end[-1:], low[-1:], -top[-1:], -bottom[-1:], back)
    for side, facet, length in ((1, right, runs[1]), (0, left, runs[0])):
        # beside the tread: quad low, low, end, and the riser's foot or the tread's start
        upper = start[:, side].copy()
        upper_y = top.copy()
        at = np.flatnonzero(first)
        upper[at[1:]], upper_y[at[1:]] = foot[1:, side], rise0[1:]
        u0, u1 = s[:-1] * length, s[1:] * length
        quad = np.stack([low[:-1, side], low[1:, side], end[:, side], upper], axis=1)
        uv = np.stack(
            [
                np.stack([u0, bottom[:-1]], 1),
                np.stack([u1, bottom[1:]], 1),
                np.stack([u1, top], 1),
                np.stack([u0, upper_y], 1),
            ],
            axis=1,
        )
        later = at[1:]
        tri = np.stack([upper[later], end[later, side], start[later, side]], axis=1)
        tri_uv = np.stack(
            [
                np.stack([u0[later], upper_y[later]], 1),
                np.stack([u1[later], top[later]], 1),
                np.stack([u0[later], top[later]], 1),
            ],
            axis=1,
        )
        if side == 0:
            quad, uv, tri, tri_uv = quad[:, ::-1], uv[:, ::-1] * [-1, 1], tri[:, ::-1], tri_uv[:, ::-1] * [-1, 1]
        put(quad, uv, facet)
        if len(tri):
            put(tri, tri_uv, facet)
    return builder.built()
