"""Reading STL: binary and text."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Final

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError, GeometryError
from able_brick.core.files.from_faces import RawFaces, floats, mesh_from
from able_brick.core.files.scene import Instance, Material, Scene, ScenePart
from able_brick.core.files.text_kernels import blank, number_at
from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats

RECORD: Final = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
_MOST: Final = 20_000_000


def read_stl(data: bytes, *, weld: bool = True) -> Scene:
    """One part of triangles from the bytes of an STL file. Raises FileError naming the place."""
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else -1
    binary = count >= 0 and len(data) >= 84 + 50 * count and not _looks_like_text(data, count)
    if not binary and data.lstrip()[:5].lower() != b"solid":
        if count >= 0:
            raise FileError(
                f"The file claims {count} triangles of 50 bytes; {len(data) - 84} bytes are there. It is cut off, "
                "or no STL file.",
                place="byte 80",
                received=count,
            )
        raise FileError("This is not an STL file: it is too short, and does not begin with “solid”.", place="byte 0")
    name, file_notes = "Piece", list[str]()
    if binary:
        if count > _MOST:
            raise FileError(f"The file has {count} triangles; at most {_MOST} are read.", place="byte 80")
        there, rest = divmod(len(data) - 84, 50)
        if there > count and not rest and there <= _MOST:
            file_notes.append(f"The file claims {count} triangles; all {there} that are there were read.")
            count = there
        points = floats(np.frombuffer(data, RECORD, count, 84)["corners"].reshape(-1, 3))
    else:
        found = re.match(rb"\s*solid[ \t]+([^\r\n]{1,120})", data, re.IGNORECASE)
        if found:
            name = "".join(c for c in found.group(1).decode("utf-8", "replace") if c.isprintable()).strip() or name
        points = _text(data)
    if not len(points):
        raise FileError("The file holds no triangles.", place="file")
    try:
        mesh, notes = mesh_from(RawFaces(points, np.full(len(points) // 3, 3), np.arange(len(points))), weld=weld)
    except GeometryError as error:
        raise FileError(str(error), place="triangles") from error
    if not mesh.face_count:
        raise FileError("No triangle of the file has an area.", place="file")
    return Scene((ScenePart(name, mesh, (Material("Plain"),)),), (Instance(0, name, np.eye(4)),), (*file_notes, *notes))


def _looks_like_text(data: bytes, count: int) -> bool:
    """Text files begin with `solid`; some binary ones do as well, but then their length is right."""
    return data[:5].lower() == b"solid" and len(data) != 84 + 50 * count and b"facet" in data[:2048]


def _text(data: bytes) -> np.ndarray:
    text = np.frombuffer(data, np.uint8)
    most = min(len(data) // 9 + 1, 3 * _MOST + 1)
    points = np.empty((most, 3))
    n, wrong = _vertices(text, points)
    if wrong >= 0:
        line = data.count(b"\n", 0, int(wrong)) + 1
        raise FileError(f"Line {line} should have three numbers after “vertex”.", place=f"line {line}")
    if n % 3 or n >= most:
        raise FileError(f"The file has {n} vertices, which are not whole triangles; it is cut off.", place="end")
    return points[:n].copy()


@kernel
def _vertices(text: npt.NDArray[np.uint8], out: Floats) -> tuple[int, int]:
    word = (118, 101, 114, 116, 101, 120)  # vertex
    i = 0
    n = 0
    end = len(text)
    while i < end and n < len(out):
        while i < end and (blank(text[i]) or text[i] == 10):
            i += 1
        start = i
        match = end - i >= 6
        for k in range(6):
            if match and (text[i + k] | 32) != word[k]:
                match = False
        if match and (i + 6 >= end or blank(text[i + 6])):
            i += 6
            for k in range(3):
                while i < end and blank(text[i]):
                    i += 1
                value, j = number_at(text, i, end)
                if j < 0:
                    return n, start
                out[n, k] = value
                i = j
            n += 1
        while i < end and text[i] != 10:
            i += 1
    return n, -1
