"""Finding exactly equal points, in linear time."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.numbering import Numbers, number_rows
from able_brick.core.mesh.polymesh import Floats


def same_points(points: Floats) -> tuple[Numbers, Numbers]:
    """For points (N,3): the number of each one's value (N), counted in order of first appearance, and the first point
    of each value (U). −0 equals 0."""
    clean = np.ascontiguousarray(points, np.float64) + 0.0
    return number_rows(clean.view(np.uint32))
