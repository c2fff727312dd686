"""Looking at the head of a picture, without decoding it."""

from __future__ import annotations

import io
import struct
from typing import TYPE_CHECKING, Final

from able_brick.core.errors import FileError
from able_brick.core.files.scene import Media, Texture

if TYPE_CHECKING:
    from PIL.ImageFile import ImageFile

MOST_PIXELS: Final = 64 * 2**20
_MOST_BYTES: Final = 64 * 2**20


def texture(name: str, data: bytes, place: str) -> Texture:
    """The picture, when it is a PNG, JPEG or WebP of a size that can be shown.

    Raises FileError for other formats and for pictures whose head claims too many pixels: those would fill the memory
    when they are unpacked.
    """
    # loaded with the first picture, so that a start need not wait for it
    from PIL.JpegImagePlugin import JpegImageFile
    from PIL.PngImagePlugin import PngImageFile

    media: Media
    if data[:8] == b"\x89PNG\r\n\x1a\n":
        media, size = "image/png", _size(data, PngImageFile)
    elif data[:3] == b"\xff\xd8\xff":
        media, size = "image/jpeg", _size(data, JpegImageFile)
    elif data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        media, size = "image/webp", _webp_size(data)
    else:
        raise FileError(f"{place} is neither a PNG, a JPEG nor a WebP picture.", place=place)
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


def _size(data: bytes, kind: type[ImageFile]) -> tuple[int, int] | None:
    """Width and height as the head tells them; None where it is broken. Nothing is unpacked."""
    try:
        with kind(io.BytesIO(data)) as picture:
            return picture.size
    except (OSError, ValueError, SyntaxError, EOFError, struct.error):
        return None


def _webp_size(data: bytes) -> tuple[int, int] | None:
    """Width and height of a WebP picture; None where its head is broken. Source: RFC 9649, 2.5 to 2.7."""
    kind, body = data[12:16], data[20:]
    if kind == b"VP8X" and len(body) >= 10:
        return 1 + int.from_bytes(body[4:7], "little"), 1 + int.from_bytes(body[7:10], "little")
    if kind == b"VP8L" and len(body) >= 5 and body[0] == 0x2F:
        bits = int.from_bytes(body[1:5], "little")
        return 1 + (bits & 0x3FFF), 1 + (bits >> 14 & 0x3FFF)
    if kind == b"VP8 " and len(body) >= 10 and body[3:6] == b"\x9d\x01\x2a":
        width, height = struct.unpack_from("<2H", body, 6)
        return width & 0x3FFF, height & 0x3FFF
    return None
