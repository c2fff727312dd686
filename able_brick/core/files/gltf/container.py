"""The JSON and the binary of a glTF file (Khronos: glTF 2.0 Specification, 4)."""

from __future__ import annotations

import json
import struct
from typing import Any, Final

from able_brick.core.errors import FileError

_MOST_JSON: Final = 64 * 2**20
_JSON: Final = 0x4E4F534A
_BINARY: Final = 0x004E4942


def glb_chunks(data: bytes) -> tuple[dict[str, Any], bytes]:
    """The JSON and the binary chunk of a GLB file."""
    if len(data) < 20 or data[:4] != b"glTF":
        raise FileError(
            "This is not a GLB file: it does not begin with “glTF”. Export it as binary glTF 2.0.",
            place="byte 0",
        )
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise FileError(f"GLB version {version} cannot be read, only version 2.", place="byte 4", received=version)
    if length > len(data):
        raise FileError(
            f"The file is cut off: its header says {length} bytes, {len(data)} are there. Get the whole file again.",
            place="byte 8",
        )
    at, text, binary = 12, None, b""
    while at + 8 <= length:
        size, chunk_type = struct.unpack_from("<II", data, at)
        if at + 8 + size > length:
            raise FileError(f"A chunk claims {size} bytes, beyond the end of the file.", place=f"byte {at}")
        body = data[at + 8 : at + 8 + size]
        if chunk_type == _JSON and text is None:
            text = body
        elif chunk_type == _BINARY and not binary:
            binary = body
        at += 8 + size
    if text is None:
        raise FileError("The file has no JSON chunk.", place="byte 12")
    return parsed_json(text), binary


def parsed_json(text: bytes) -> dict[str, Any]:
    """The JSON object of a glTF file."""
    if len(text) > _MOST_JSON:
        raise FileError(f"The JSON has {len(text)} bytes; at most {_MOST_JSON} are read.", place="JSON")
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise FileError("The JSON is broken; export the file again.", place="JSON") from error
    if not isinstance(document, dict):
        raise FileError("The JSON is not an object.", place="JSON")
    return document
