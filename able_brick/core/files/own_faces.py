"""What the triangles of a glTF file would lose of a mesh that Able Brick wrote: its faces, vertices, facets and sharp
edges, packed into a buffer view of their own, with a checksum of the triangles that they belong to."""

from __future__ import annotations

import hashlib
import struct
import zlib
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.polymesh import Floats, PolyMesh

#: 1: accessors of whole numbers, without a checksum.
FORMAT: Final = 2
_HEAD: Final = struct.Struct("<3I")
_MOST: Final = 2**28
Whole = npt.NDArray[np.int64]


class OtherTrianglesError(Exception):
    """They do not belong to the triangles that are there."""


@dataclass(frozen=True, eq=False)
class Triangles:
    """What a primitive holds, decoded: for each hardware vertex (H) position (3), normal (3), uv (2) and colour (4),
    None where it has none; the hardware vertices (n,3) of its triangles."""

    position: Floats
    triangles: npt.NDArray[np.integer]
    normal: npt.NDArray[np.floating] | None = None
    uv: Floats | None = None
    colour: Floats | None = None


@dataclass(frozen=True, eq=False)
class OwnFaces:
    """Sizes, materials and facets of faces (F); for each of their corners (C) the hardware vertex and whether the edge
    from it is sharp; for each hardware vertex (H), as they stand in the primitives, the vertex."""

    sizes: Whole
    material: Whole
    facet: Whole
    corners: Whole
    sharp: npt.NDArray[np.bool_]
    vertex: Whole


def packed(mesh: PolyMesh, corners: Whole, vertex: Whole) -> bytes:
    """The faces of a mesh, for the hardware vertex (C) of each corner and the vertex (H) of each of those."""
    numbers = (mesh.face_sizes, mesh.material, mesh.facet, corners, vertex)
    body = b"".join(_planes(np.asarray(n, np.int64)) for n in numbers) + np.packbits(mesh.sharp).tobytes()
    return zlib.compress(_HEAD.pack(mesh.face_count, len(corners), len(vertex)) + body, 6)


def unpacked(data: bytes, vertices: int) -> OwnFaces:
    """Them again, for so many hardware vertices. Raises OtherTrianglesError for bytes that are no such."""
    stream = zlib.decompressobj()
    try:
        head = stream.decompress(data, _HEAD.size)
        if len(head) != _HEAD.size:
            raise OtherTrianglesError
        faces, corners, count = _HEAD.unpack(head)
        if count != vertices or not 0 < faces <= corners <= _MOST:
            raise OtherTrianglesError
        long = 4 * (3 * faces + corners + count) + (corners + 7) // 8
        body = stream.decompress(stream.unconsumed_tail, long + 1)
    except zlib.error as error:
        raise OtherTrianglesError from error
    if len(body) != long or not stream.eof:
        raise OtherTrianglesError
    out, at = [], 0
    for n in (faces, faces, faces, corners, count):
        out.append(_numbers(body[at : at + 4 * n], n))
        at += 4 * n
    sizes, material, facet, at_corner, vertex = out
    sharp = np.unpackbits(np.frombuffer(body[at:], np.uint8), count=corners).astype(np.bool_)
    fits = all(int(v.min()) >= 0 and int(v.max()) < most for v, most in ((at_corner, count), (vertex, count)))
    fits = fits and all(int(v.min()) >= 0 for v in (material, facet)) and int(sizes.min()) > 2
    if not fits or int(sizes.sum()) != corners:
        raise OtherTrianglesError
    return OwnFaces(sizes, material, facet, at_corner, sharp, vertex)


def checksum(primitives: Iterable[Triangles]) -> str:
    """Of what primitives hold, decoded. Other ways to write the same numbers have the same checksum; normals have no
    part in it."""
    found = hashlib.blake2b(digest_size=16)
    for p in primitives:
        for values in (p.position, p.uv, p.colour):
            found.update(b"-" if values is None else np.ascontiguousarray(values, "<f4").tobytes())
        found.update(np.ascontiguousarray(p.triangles, "<u4").tobytes())
    return found.hexdigest()


def _planes(numbers: Whole) -> bytes:
    """Steps from one number to the next, the signs last, byte by byte: runs and slopes pack to next to nothing."""
    steps = np.diff(numbers, prepend=0)
    folded = ((steps << 1) ^ (steps >> 63)).astype("<u4")
    return np.ascontiguousarray(folded.view(np.uint8).reshape(-1, 4).T).tobytes()


def _numbers(data: bytes, count: int) -> Whole:
    folded = np.ascontiguousarray(np.frombuffer(data, np.uint8).reshape(4, count).T).view("<u4").ravel()
    wide = folded.astype(np.int64)
    return np.cumsum((wide >> 1) ^ -(wide & 1))
