"""Arrays as bytes that are the same on every machine."""

from __future__ import annotations

import sys
from typing import Any, Final

import numpy as np
import numpy.typing as npt

#: Bytes that are copied sooner than looked at in place.
_FEW_BYTES: Final = 4096


def little_bytes(a: npt.NDArray[Any]) -> bytes | memoryview:
    """The bytes of an array, little-endian, row by row."""
    if not a.size or (a.nbytes < _FEW_BYTES and sys.byteorder == "little"):
        return a.tobytes()
    return np.ascontiguousarray(a.astype(a.dtype.newbyteorder("<"), copy=False)).data.cast("B")
