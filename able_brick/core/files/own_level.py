"""What the nodes of a glTF file would lose of a level that Able Brick wrote: its rows, packed into a buffer view of
their own, with a sum for each thing of the nodes that show it."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

import numpy as np

FORMAT: Final = 1
#: Bytes of rows that are read.
_MOST: Final = 256 * 2**20


class NoLevelError(Exception):
    """The bytes hold no level."""


def packed_level(rows: Mapping[str, Any], sums: Mapping[str, str]) -> bytes:
    """The rows of a level as bytes, with the sum of each of its things."""
    text = json.dumps({"rows": rows, "sums": sums}, separators=(",", ":"), ensure_ascii=False, allow_nan=False)
    return zlib.compress(text.encode(), 6)


def unpacked_level(data: bytes) -> tuple[dict[str, Any], dict[str, str]]:
    """Them again. Raises NoLevelError for bytes that are no such."""
    stream = zlib.decompressobj()
    try:
        text = stream.decompress(data, _MOST)
        if not stream.eof:
            raise NoLevelError
        found = json.loads(text)
    except (zlib.error, ValueError, RecursionError) as error:
        raise NoLevelError from error
    rows, sums = (found.get("rows"), found.get("sums")) if isinstance(found, dict) else (None, None)
    if not isinstance(rows, dict) or not isinstance(sums, dict):
        raise NoLevelError
    return rows, sums


def node_sum(stand: Sequence[float], shows: str, within: Iterable[str]) -> str:
    """Of the ten numbers by which a node stands in its parent, of what it shows, and of the nodes in it that are no
    things themselves, by their sums.

    Numbers count as float32, so that other ways to write them have the same sum.
    """
    with np.errstate(over="ignore"):
        numbers = np.array(stand, np.float64).astype("<f4")
    found = hashlib.blake2b((numbers + np.float32(0.0)).tobytes(), digest_size=8)
    found.update(shows.encode())
    for one in within:
        found.update(b"/" + one.encode())
    return found.hexdigest()
