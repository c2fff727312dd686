"""A path as a chain of cubic spans, measured by arc length."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np

from able_brick.core import tolerances
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import crossed, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats
from able_brick.core.path.arc_kernels import (
    FLAT,
    NODES,
    WEIGHTS,
    derivatives_at,
    parameters_of,
    points_at,
    stations_of,
)
from able_brick.core.path.radius import radius_of
from able_brick.core.threads import by_halves

#: So many places are looked for by two threads.
_PARALLEL_FROM: Final = 4000


@dataclass(frozen=True)
class PathPoint:
    """A point of a path, metres; handles are offsets from it, None where the span is straight or automatic;
    `sharp` ones get no automatic handles."""

    position: tuple[float, float, float]
    handle_in: tuple[float, float, float] | None = None
    handle_out: tuple[float, float, float] | None = None
    sharp: bool = False


@dataclass(frozen=True, eq=False)
class Curve:
    """Cubic Bézier spans, controls (S,4,3); neighbouring spans share their end point exactly.

    `ground`: lengths are measured in plan, as on the ground, but along the path where that is steeper than `STEEP`.
    """

    controls: Floats
    closed: bool
    tolerance: float = tolerances.ARC_LENGTH
    ground: bool = False

    @property
    def span_count(self) -> int:
        return len(self.controls)

    @property
    def nbytes(self) -> int:
        """What it takes in memory with its table of lengths, bytes."""
        return 8 * self.controls.nbytes

    def points(self, at: Floats) -> Floats:
        """(n,3) points at parameters `at` (n,): whole part the span, fraction within it."""
        out: Floats = points_at(self.controls, np.ascontiguousarray(at, np.float64))
        return out

    def derivatives(self, at: Floats) -> Floats:
        """(n,3) first derivatives with respect to the parameter within the span."""
        out: Floats = derivatives_at(self.controls, np.ascontiguousarray(at, np.float64))
        return out

    def tangents(self, at: Floats) -> Floats:
        """(n,3) unit tangents; at a point where the derivative vanishes, the direction a little further inside."""
        d = self.derivatives(at)
        flat = (d * d).sum(axis=1) <= 1e-24
        if flat.any():
            span, t = self._split(at[flat])
            d[flat] = self.derivatives(span + np.clip(t, 1e-4, 1 - 1e-4))
        return unit(d)

    def drawn(self, *, per_span: int = 24) -> Floats:
        """(n,3) points to draw the path with; straight spans have only their ends."""
        a, b, c, d = self.controls.transpose(1, 0, 2)
        off_line = [crossed(d - a, b - a), crossed(d - a, c - a)]
        straight = np.sqrt(dots(off_line[0], off_line[0])) + np.sqrt(dots(off_line[1], off_line[1])) < 1e-9
        share = np.arange(per_span) / per_span
        chosen = (~straight)[:, None] | (share == 0.0)
        at = (np.arange(self.span_count)[:, None] + share)[chosen]
        return self.points(np.append(at, float(self.span_count)))

    @property
    def length(self) -> float:
        """Arc length in metres, within the relative tolerance."""
        return float(self.cells[1][-1])

    @cached_property
    def tightest(self) -> Floats | None:
        """The point (3,) where it bends most, metres; None where all spans are straight."""
        radius, at = radius_of(self.controls)
        return self.points(np.array([at]))[0] if 0 <= at <= self.span_count and radius < 1e6 else None

    @cached_property
    def smallest_radius(self) -> float:
        """Smallest radius of curvature of the spans, metres, to 0.1 %; infinite where all are straight, 0 at a cusp."""
        return radius_of(self.controls)[0]

    @cached_property
    def is_straight(self) -> bool:
        """Whether it goes from its start to its end without turning or coming back."""
        chord = self._speed((self.controls[-1, 3] - self.controls[0, 0])[None])
        return not self.closed and bool(chord[0] >= self.length * (1 - 1e-13))

    @cached_property
    def on_ground(self) -> Curve:
        """The same path, with lengths measured on the ground."""
        return replace(self, ground=True)

    def steep(self, at: Floats) -> Bools:
        """(n) whether it is steeper than `STEEP` at parameters (n)."""
        d = self.derivatives(at)
        return np.asarray(np.hypot(d[:, 0], d[:, 2]) < FLAT * np.linalg.norm(d, axis=1))

    @cached_property
    def ever_steep(self) -> bool:
        """Whether it is that steep anywhere, by 33 places of each span."""
        at = (np.arange(self.span_count)[:, None] + np.linspace(0, 1 - 1e-9, 33)).ravel()
        return bool(self.steep(at).any())

    def stations(self, at: Floats) -> Floats:
        """Lengths from the start to parameters of any shape, metres; clipped to the path."""
        knots, sums = self.cells
        t = np.asarray(at, np.float64)
        every = t.ravel()
        parts = by_halves(
            lambda a, b: stations_of(every[a:b], knots, sums, self.controls, self.ground), len(every), _PARALLEL_FROM
        )
        out: Floats = parts[0] if len(parts) == 1 else np.concatenate(parts)
        return out.reshape(t.shape)

    def parameters(self, stations: Floats) -> Floats:
        """(n,) parameters at arc lengths `stations` (n,), metres from the start; clipped to the path.

        Newton's method on the arc length with bisection as a safeguard.
        """
        knots, sums = self.cells
        s = np.ascontiguousarray(stations, np.float64)
        parts = by_halves(
            lambda a, b: parameters_of(s[a:b], knots, sums, self.controls, self.ground), len(s), _PARALLEL_FROM
        )
        out: Floats = parts[0] if len(parts) == 1 else np.concatenate(parts)
        return out

    def _split(self, at: Floats) -> tuple[np.ndarray, Floats]:
        a = np.asarray(at, np.float64)
        span = np.clip(np.floor(a).astype(np.int64), 0, self.span_count - 1)
        return span, a - span

    def _inner_derivatives(self, base: Floats, t: Floats) -> Floats:
        span = np.clip(np.floor(base).astype(np.int64), 0, self.span_count - 1)
        u = (t - span)[:, None]
        c = self.controls[span]
        return (
            3 * (1 - u) ** 2 * (c[:, 1] - c[:, 0])
            + 6 * (1 - u) * u * (c[:, 2] - c[:, 1])
            + 3 * u**2 * (c[:, 3] - c[:, 2])
        )

    def _speed(self, d: Floats) -> Floats:
        """(n) length per parameter for derivatives (n,3)."""
        whole: Floats = np.linalg.norm(d, axis=1)
        if not self.ground:
            return whole
        flat = np.hypot(d[:, 0], d[:, 2])
        return np.where(flat < FLAT * whole, whole, flat)

    def _arc(self, low: Floats, high: Floats) -> Floats:
        """(n,) arc length between parameters of the same span, by Gauss–Legendre."""
        half = (high - low) / 2
        at = low[:, None] + half[:, None] * (1 + NODES)
        d = self._inner_derivatives(np.repeat(low, len(NODES)), at.ravel())
        speed = self._speed(d).reshape(at.shape)
        out: Floats = (speed * WEIGHTS).sum(axis=1) * half
        return out

    @cached_property
    def cells(self) -> tuple[Floats, Floats]:
        """Knots (K+1) in the parameter and arc length (K+1) up to each; cells are halved until they agree."""
        done: list[tuple[Floats, Floats]] = []
        low = np.arange(self.span_count, dtype=np.float64)
        high = low + 1.0
        scale = max(float(self._arc(low, high).sum()), 1e-12)
        for _ in range(24):
            middle = (low + high) / 2
            whole, first, second = self._arc(low, high), self._arc(low, middle), self._arc(middle, high)
            both = first + second
            fine = np.abs(whole - both) <= self.tolerance * 0.1 * np.maximum(both, 1e-6 * scale)
            # both halves are kept as cells, so that the length up to a cell's end is the very sum that stands here
            done += [(low[fine], first[fine]), (middle[fine], second[fine])]
            if fine.all():
                break
            low, high = (
                np.concatenate([low[~fine], middle[~fine]]),
                np.concatenate([middle[~fine], high[~fine]]),
            )
        else:
            done.append((low, self._arc(low, high)))
        starts = np.concatenate([d[0] for d in done])
        arcs = np.concatenate([d[1] for d in done])
        order = np.argsort(starts, kind="stable")
        knots = np.append(starts[order], float(self.span_count))
        return knots, np.concatenate([[0.0], np.cumsum(arcs[order])])


def curve(points: Sequence[PathPoint], *, closed: bool = False, smooth: bool = False) -> Curve:
    """The curve through the points. A span without handles at both ends is straight.

    With `smooth`, points without handles get automatic ones: along the line joining their neighbours, a third of the
    way to each. Raises GeometryError for fewer than two points, or neighbours on one spot.
    """
    if len(points) < (3 if closed else 2):
        raise GeometryError(
            f"A {'closed ' if closed else ''}path needs at least {3 if closed else 2} points; {len(points)} given.",
            received=len(points),
        )
    p = np.array([q.position for q in points], np.float64)
    if not np.isfinite(p).all():
        raise GeometryError("A path point has a coordinate that is not a finite number.")
    n = len(p)
    spans = n if closed else n - 1
    ahead = (np.arange(spans) + 1) % n
    gap = np.linalg.norm(p[ahead] - p[:spans], axis=1)
    if (gap <= 1e-6).any():
        k = int(np.flatnonzero(gap <= 1e-6)[0])
        raise GeometryError(
            f"Points {k + 1} and {int(ahead[k]) + 1} of the path are on the same spot; move one.", point=k
        )
    out: list[Floats | None] = [None if q.handle_out is None else np.array(q.handle_out) for q in points]
    into: list[Floats | None] = [None if q.handle_in is None else np.array(q.handle_in) for q in points]
    if smooth:
        for k in range(n):
            if points[k].sharp or points[k].handle_in is not None or points[k].handle_out is not None:
                continue
            if closed or 0 < k < n - 1:
                direction = unit(p[(k + 1) % n] - p[k - 1])
                out[k] = direction * float(np.linalg.norm(p[(k + 1) % n] - p[k])) / 3
                into[k] = -direction * float(np.linalg.norm(p[k] - p[k - 1])) / 3
    controls = np.empty((spans, 4, 3))
    for k in range(spans):
        a, b = p[k], p[ahead[k]]
        ha, hb = out[k], into[int(ahead[k])]
        controls[k, 0], controls[k, 3] = a, b
        controls[k, 1] = a + ha if ha is not None else a + ((b + hb if hb is not None else b) - a) / 3
        controls[k, 2] = b + hb if hb is not None else b + ((a + ha if ha is not None else a) - b) / 3
    controls.flags.writeable = False
    return Curve(controls, closed)
