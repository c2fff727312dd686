"""Kernels that gather what many items of one mesh are drawn with."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices


@kernel
def gather(values: Floats, chosen: Indices, out: npt.NDArray[np.float32], begin: int) -> int:
    """Rows `chosen` (h) of each item of values (n,V,w), item after item, into out (…,w) from row `begin` on."""
    row = begin
    for i in range(values.shape[0]):
        for at in chosen:
            for j in range(values.shape[2]):
                out[row, j] = values[i, at, j]
            row += 1
    return row


@kernel
def repeat(
    values: Indices, n: int, step: int, first: int, out: npt.NDArray[np.uint32] | npt.NDArray[np.uint16], begin: int
) -> int:
    """Numbers (k) n times, from `first` and each time `step` on, into out from `begin` on."""
    place = begin
    for i in range(n):
        shift = first + i * step
        for value in values:
            out[place] = value + shift
            place += 1
    return place
