"""Runs of numbers, one after the other."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt


def spans(starts: npt.NDArray[Any], sizes: npt.NDArray[Any]) -> npt.NDArray[np.int64]:
    """(Σ sizes) the numbers from each start (n) on, as many as its size (n)."""
    ends = np.cumsum(sizes)
    out: npt.NDArray[np.int64] = np.repeat(starts - ends + sizes, sizes) + np.arange(int(ends[-1]) if len(ends) else 0)
    return out


def within(sizes: npt.NDArray[Any]) -> npt.NDArray[np.int64]:
    """(Σ sizes) the numbers from 0 on within each run of a size (n)."""
    return spans(np.zeros(len(sizes), np.int64), sizes)
