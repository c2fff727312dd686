"""The JSON of a GLB, and files with another one."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from typing import Any


def document_of(data: bytes) -> Any:
    (size,) = struct.unpack_from("<I", data, 12)
    return json.loads(data[20 : 20 + size])


def edited(data: bytes, change: Callable[[Any], object]) -> bytes:
    """A GLB with its JSON changed, which the function does."""
    (size,) = struct.unpack_from("<I", data, 12)
    document = json.loads(data[20 : 20 + size])
    change(document)
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    rest = data[20 + size :]
    return struct.pack("<4sIIII", b"glTF", 2, 20 + len(text) + len(rest), len(text), 0x4E4F534A) + text + rest
