"""Meshes as bytes: a JSON header and raw little-endian arrays, compressed."""

from __future__ import annotations

import json
import math
import struct
import zlib
from binascii import crc32
from collections.abc import Iterator
from typing import Final

import numpy as np
import zstandard

from able_brick.core.errors import StorageError
from able_brick.core.mesh.arrays import array_fault
from able_brick.core.mesh.hashing import rule_of
from able_brick.core.mesh.little import little_bytes
from able_brick.core.mesh.polymesh import PolyMesh

#: The newest format. 3 is 2 with normals of a file, which earlier versions do not know.
FORMAT: Final = 3
_WITHOUT_NORMALS: Final = 2
_OLD: Final = 1
#: Bytes that are worth two threads.
_LARGE: Final = 2**20
#: The arrays, and the numbers that they hold.
_FIELDS: Final = {
    "positions": "<f8",
    "face_starts": "<i4",
    "corners": "<i4",
    "material": "<i4",
    "facet": "<i4",
    "sharp": "|b1",
    "uv": "<f8",
    "colour": "<f8",
    "normal": "<f8",
}
_BROKEN: Final = (
    *(zstandard.ZstdError, zlib.error, struct.error, MemoryError, RecursionError),
    *(ValueError, KeyError, TypeError, IndexError, OverflowError),
)


class DamagedMeshError(StorageError):
    """The bytes of a mesh are not what was stored."""


def format_of(mesh: PolyMesh) -> int:
    """The format in which it is stored: the oldest that holds it."""
    return _WITHOUT_NORMALS if mesh.normal is None else FORMAT


def encode(mesh: PolyMesh) -> bytes:
    """The mesh as compressed bytes, lossless."""
    data = b"".join(packed(mesh))
    return zstandard.ZstdCompressor(level=1, threads=2 if len(data) > _LARGE else 0).compress(data)


def decode(data: bytes, form: int = FORMAT) -> PolyMesh:
    """The mesh of `encode`, whose arrays fit together. Raises StorageError for bytes of an unknown format, and
    DamagedMeshError for those of no mesh."""
    if form not in (FORMAT, _WITHOUT_NORMALS, _OLD):
        raise StorageError(f"A mesh is stored in format {form}; this version reads {FORMAT}. Use a newer Able Brick.")
    try:
        mesh = unpack(zlib.decompress(data) if form == _OLD else zstandard.ZstdDecompressor().decompress(data))
        fault = array_fault(mesh)
    except _BROKEN as error:
        raise DamagedMeshError(f"It cannot be read ({type(error).__name__}).") from error
    if fault is not None:
        raise DamagedMeshError(f"It cannot be read: {fault}.")
    return mesh


def decode_checked(key: str, data: bytes, form: int, crc: int | None, rule: int | None) -> tuple[PolyMesh, int]:
    """The mesh that was stored under a hash, and the rule by which it has that. Raises as `decode` does, also where
    the bytes are others, or another mesh."""
    if crc is not None and crc32(data) != crc:
        raise DamagedMeshError("Its bytes are not those that were stored.")
    mesh = decode(data, form)
    found = rule_of(mesh, key, rule)
    if found is None:
        raise DamagedMeshError("It is not the mesh that was stored.")
    mesh.keep_name(key, found)
    return mesh, found


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
        if _FIELDS.get(name) != dtype or name in arrays:
            raise ValueError(f"{name!r} is no array of a mesh")
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
