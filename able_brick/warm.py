"""Runs every compiled kernel once on a small mesh; their machine code is then kept on disk."""

from __future__ import annotations

import numpy as np

from able_brick.core.path.curve import PathPoint, curve
from able_brick.core.path.frames import following
from able_brick.core.shapes.turned import turned
from able_brick.core.slim.deviation import deviation
from able_brick.core.slim.reduce import reduce_to


def warm_kernels() -> None:
    """Compile, or load what has been compiled before."""
    ball = turned([(0.0, -1.0), (0.8, -0.6), (1.0, 0.0), (0.8, 0.6), (0.0, 1.0)], sides=24)
    deviation(ball, reduce_to(ball, 40).mesh, samples=10)
    bow = curve([PathPoint((0.0, 0.0, 0.0)), PathPoint((1.0, 0.2, 0.0)), PathPoint((2.0, 0.0, 1.0))], smooth=True)
    following(bow, np.array([0.0, 1.0]))
