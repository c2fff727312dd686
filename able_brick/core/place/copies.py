"""Grid snapping and repeated copies."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pose import Vector, vector
from able_brick.core.text import grouped

#: More things than this in one run are refused.
MOST_ITEMS = 100_000


def check_items(count: int, what: str) -> int:
    """The count, or GeometryError beyond 1 … MOST_ITEMS."""
    if not 1 <= count <= MOST_ITEMS:
        raise GeometryError(
            f"{what} would have {grouped(count)} items; 1 to {grouped(MOST_ITEMS)} are possible. Ask for fewer.",
            received=count,
            allowed=[1, MOST_ITEMS],
        )
    return count


def on_grid(position: Sequence[float], step: float, *, axes: tuple[bool, bool, bool] = (True, True, True)) -> Vector:
    """The nearest grid point (multiples of the step, metres) on the chosen axes; the others keep their value.

    Raises GeometryError unless the step is above 0.
    """
    if not step > 0:
        raise GeometryError(f"The grid step is {step:g} m; give a step above 0.", received=step)
    return vector([round(v / step) * step if on else v for v, on in zip(position, axes, strict=True)])


def repeated(position: Vector, offset: Sequence[float] | Floats, count: int) -> Floats:
    """(count,3) positions of the copies of a thing, the k-th displaced by k times the offset, k from 1."""
    check_items(count, "The run of copies")
    return np.asarray(position) + np.arange(1, count + 1)[:, None] * np.asarray(offset, np.float64)
