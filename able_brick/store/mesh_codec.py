"""Meshes as bytes: a JSON header and raw little-endian arrays, compressed."""

from __future__ import annotations

import json
import math
import struct
import zlib
from collections.abc import Iterator
from typing import Final

import numpy as np
import zstandard

from able_brick.core.errors import StorageError
from able_brick.core.mesh.polymesh import PolyMesh, little_bytes

FORMAT: Final = 2
_OLD: Final = 1
#: Bytes that are worth two threads.
_LARGE: Final = 2**20
_FIELDS: Final = ("positions", "face_starts", "corners", "material", "facet", "sharp", "uv", "colour")


def encode(mesh: PolyMesh) -> bytes:
    """The mesh as compressed bytes, lossless."""
    data = b"".join(packed(mesh))
    return zstandard.ZstdCompressor(level=1, threads=2 if len(data) > _LARGE else 0).compress(data)


def decode(data: bytes, form: int = FORMAT) -> PolyMesh:
    """The mesh of `encode`. Raises StorageError for bytes of an unknown format."""
    if form not in (FORMAT, _OLD):
        raise StorageError(f"A mesh is stored in format {form}; this version reads {FORMAT}. Use a newer Able Brick.")
    return unpack(zlib.decompress(data) if form == _OLD else zstandard.ZstdDecompressor().decompress(data))


def packed(mesh: PolyMesh) -> Iterator[bytes | memoryview]:
    """The mesh as bytes, in pieces: the length of a JSON header, the header, the arrays."""
    arrays: list[list[object]] = []
    body: list[bytes | memoryview] = []
    for name in _FIELDS:
        array = getattr(mesh, name)
        if array is not None:
            arrays.append([name, array.dtype.newbyteorder("<").str, list(array.shape)])
            body.append(little_bytes(array))
    text = json.dumps({"smooth_angle": mesh.smooth_angle, "arrays": arrays}).encode()
    yield struct.pack("<I", len(text)) + text
    yield from body


def unpack(raw: bytes | memoryview) -> PolyMesh:
    """The mesh of `packed`."""
    (size,) = struct.unpack_from("<I", raw)
    header = json.loads(bytes(raw[4 : 4 + size]))
    at = 4 + size
    arrays: dict[str, np.ndarray] = {}
    for name, dtype, shape in header["arrays"]:
        kind = np.dtype(dtype)
        count = math.prod(shape)
        arrays[name] = np.frombuffer(raw, kind, count, at).reshape(shape)
        at += count * kind.itemsize
    return PolyMesh.trusted(
        arrays.pop("positions"),
        arrays.pop("face_starts"),
        arrays.pop("corners"),
        smooth_angle=header["smooth_angle"],
        **arrays,
    )
