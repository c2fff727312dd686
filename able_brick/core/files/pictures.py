"""Looking at the head of a picture, without decoding it."""

from __future__ import annotations

import struct
from typing import Final, Literal

from able_brick.core.errors import FileError
from able_brick.core.files.part import Texture

MOST_PIXELS: Final = 64 * 2**20
_MOST_BYTES: Final = 64 * 2**20


def texture(name: str, data: bytes, place: str) -> Texture:
    """The picture, when it is a PNG or JPEG of a size that can be shown.

    Raises FileError for other formats and for pictures whose head claims too many pixels: those would fill the memory
    when they are unpacked.
    """
    media: Literal["image/png", "image/jpeg"]
    if data[:8] == b"\x89PNG\r\n\x1a\n":
        media, size = "image/png", _png_size(data)
    elif data[:3] == b"\xff\xd8\xff":
        media, size = "image/jpeg", _jpeg_size(data)
    else:
        raise FileError(f"{place} is neither a PNG nor a JPEG picture.", place=place)
    if size is None:
        raise FileError(f"{place} is a picture that is cut off or broken.", place=place)
    width, height = size
    if width * height > MOST_PIXELS or len(data) > _MOST_BYTES or width * height == 0:
        raise FileError(
            f"{place} is a picture of {width} × {height} pixels; from 1 to {MOST_PIXELS} are shown.",
            place=place,
            received=[width, height],
            allowed=MOST_PIXELS,
        )
    clean = "".join(c for c in name if c.isprintable() and c not in '/\\"')[:80].strip() or "texture"
    return Texture(clean, media, data)


def _png_size(data: bytes) -> tuple[int, int] | None:
    if len(data) < 33 or data[12:16] != b"IHDR":
        return None
    width, height = struct.unpack_from(">II", data, 16)
    return int(width), int(height)


def _jpeg_size(data: bytes) -> tuple[int, int] | None:
    at = 2
    while at + 9 <= len(data):
        if data[at] != 0xFF:
            return None
        mark = data[at + 1]
        if mark == 0xFF:
            at += 1
            continue
        if 0xC0 <= mark <= 0xCF and mark not in (0xC4, 0xC8, 0xCC):
            height, width = struct.unpack_from(">HH", data, at + 5)
            return int(width), int(height)
        if mark in (0xD9, 0xDA):
            return None
        at += 2 + int(struct.unpack_from(">H", data, at + 2)[0])
    return None
