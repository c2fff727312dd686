"""Which of many points lie on their convex hull."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats, Ints


def on_hull(points: Floats) -> Ints | None:
    """Numbers of those points (n,d) that lie on the hull, counter-clockwise where d is 2; None where the points are
    too few to have one, or lie in one plane (d = 3) or on one line."""
    from scipy.spatial import ConvexHull, QhullError  # slow to load

    try:
        return np.asarray(ConvexHull(points).vertices)
    except (QhullError, ValueError):
        return None
