"""The curve across a bevel."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats


def profiles(first: Floats, middle: Floats, last: Floats, segments: int, shape: float, turn: Floats) -> Floats:
    """(n, segments + 1, 3) points of conics from points (n,3) to others, drawn toward those in the middle.

    `shape` 0 is straight across, 1 goes through the middle, 0.5 is round where both ways are as long and turn by
    `turn` (n, radians); elliptic else. Points divide the turn evenly. Source: rational quadratic Bézier curves (Farin,
    Curves and Surfaces for CAGD).
    """
    half = np.clip(turn / 2, 1e-6, np.pi / 2 - 1e-3)[:, None]
    k = np.arange(segments + 1) / segments
    t = (1.0 + np.tan((k - 0.5) * half) / np.tan(half / 2)) / 2
    t[:, 0], t[:, -1] = 0.0, 1.0
    # how far from the chord's middle to the corner the curve comes
    round_ = np.cos(half) / (1.0 + np.cos(half))
    reach = 2 * shape * round_ if shape <= 0.5 else round_ + (2 * shape - 1) * (1.0 - round_)
    weight = reach / np.maximum(1.0 - reach, 1e-4)
    a, b, c = (1 - t) ** 2, 2 * t * (1 - t) * weight, t**2
    a, b, c = (x[:, :, None] / (a + b + c)[:, :, None] for x in (a, b, c))
    out: Floats = a * first[:, None] + b * middle[:, None] + c * last[:, None]
    out[:, 0], out[:, -1] = first, last
    return out
