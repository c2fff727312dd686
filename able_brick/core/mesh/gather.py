"""Rows of arrays, chosen and summed, in the ways that are quick for few columns."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt


def chosen_rows(a: npt.NDArray[Any], chosen: npt.NDArray[np.bool_]) -> npt.NDArray[Any]:
    """The rows of an array (n,…) that are chosen (n): the array itself where all are."""
    if chosen.all():
        return a
    return a[chosen] if a.ndim == 1 else np.compress(chosen, a, axis=0)


def sums_at(at: npt.NDArray[np.integer[Any]], values: npt.NDArray[np.float64], count: int) -> npt.NDArray[np.float64]:
    """(count,m) the sums of the rows of values (n,m) that belong to each number `at` (n), added up in their order."""
    columns = [np.bincount(at, values[:, k], minlength=count) for k in range(values.shape[1])]
    return np.stack(columns, axis=1) if columns else np.zeros((count, 0))


def lowest_of(label: npt.NDArray[np.integer[Any]], count: int) -> npt.NDArray[np.int32]:
    """(n) for each element the lowest one with its label, of labels (n) below `count`."""
    lowest = np.full(count, len(label), np.int32)
    np.minimum.at(lowest, label, np.arange(len(label), dtype=np.int32))
    out: npt.NDArray[np.int32] = lowest[label]
    return out
