"""The JSON and the binary of a glTF file. Nothing in it is believed before it is checked."""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Callable
from typing import Any, Final
from urllib.parse import unquote

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError
from able_brick.core.mesh.polymesh import Floats

#: Finds a file that another one names; None when it is not there.
Beside = Callable[[str], bytes | None]

_TYPES: Final = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTH: Final = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
_MOST_JSON: Final = 64 * 2**20
_MOST_ITEMS: Final = 60_000_000
_MOST_TOTAL: Final = 200_000_000
#: Items of an accessor that has no bytes of its own, only sparse changes to zeros.
_MOST_BARE: Final = 4_000_000


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
        size, kind = struct.unpack_from("<II", data, at)
        if at + 8 + size > length:
            raise FileError(f"A chunk claims {size} bytes, beyond the end of the file.", place=f"byte {at}")
        body = data[at + 8 : at + 8 + size]
        if kind == 0x4E4F534A and text is None:
            text = body
        elif kind == 0x004E4942 and not binary:
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


def clean_name(name: str) -> str:
    """A name of a file, as it is kept."""
    plain = name if name.isprintable() else "".join(c for c in name if c.isprintable())
    return plain[:120].strip()


def number(value: object, place: str, low: float, high: float) -> float:
    """The number, or FileError naming the place and the range."""
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not low <= value <= high:
        raise FileError(f"{place} should be a number from {low:g} to {high:g}.", place=place, received=repr(value)[:80])
    return float(value)


class Document:
    """Checked access to a glTF document: objects, numbers, buffers, accessors."""

    def __init__(self, document: dict[str, Any], binary: bytes | None, beside: Beside) -> None:
        self.document = document
        self._binary = binary
        self._beside = beside
        self._buffers: dict[int, bytes] = {}
        self._items = 0

    # -- JSON -

    def list_of(self, key: str) -> list[Any]:
        value = self.document.get(key, [])
        if not isinstance(value, list):
            raise FileError(f"{key} should be a list.", place=key)
        return value

    def item(self, key: str, index: object, place: str) -> dict[str, Any]:
        every = self.list_of(key)
        at = self.whole(index, place, 0, len(every) - 1)
        value = every[at]
        if not isinstance(value, dict):
            raise FileError(f"{key}[{at}] should be an object.", place=f"{key}[{at}]")
        return value

    def whole(self, value: object, place: str, low: int, high: int) -> int:
        if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
            raise FileError(
                f"{place} should be a whole number from {low} to {high}.",
                place=place,
                received=repr(value)[:80],
            )
        return value

    def inner(self, holder: dict[str, Any], key: str, place: str) -> dict[str, Any]:
        value = holder.get(key, {})
        if not isinstance(value, dict):
            raise FileError(f"{place}.{key} should be an object.", place=place)
        return value

    def numbers(self, value: object, place: str, count: int) -> Floats:
        if not isinstance(value, list) or len(value) != count:
            raise FileError(f"{place} should be a list of {count} numbers.", place=place)
        return np.array([number(v, place, -1e12, 1e12) for v in value])

    def name(self, holder: dict[str, Any], fallback: str) -> str:
        value = holder.get("name")
        return (clean_name(value) if isinstance(value, str) else "") or fallback

    # -- binary -

    def fetch(self, uri: object, place: str) -> bytes:
        """The bytes of a data URI, or of a file beside this one."""
        if not isinstance(uri, str):
            raise FileError(f"{place} should be text.", place=place)
        if uri.startswith("data:"):
            head, comma, body = uri.partition(",")
            if not comma or not head.endswith(";base64"):
                raise FileError(f"{place} is a data address that is not base64.", place=place)
            try:
                return base64.b64decode(body, validate=True)
            except (binascii.Error, ValueError) as error:
                raise FileError(f"{place} holds broken base64.", place=place) from error
        if "://" in uri:
            raise FileError(f"{place} points into the network, which is never fetched: {uri[:80]}", place=place)
        name = unquote(uri)
        found = self._beside(name)
        if found is None:
            raise FileError(
                f"{place} needs the file {name[:80]!r}, which is not among those given; bring them in together.",
                place=place,
                needs=name[:200],
            )
        return found

    def buffer(self, index: int) -> bytes:
        if index not in self._buffers:
            holder = self.item("buffers", index, "buffer")
            place = f"buffers[{index}]"
            if "uri" in holder:
                data = self.fetch(holder["uri"], f"{place}.uri")
            elif index == 0 and self._binary is not None:
                data = self._binary
            else:
                raise FileError(f"{place} has no uri, and the file has no binary part for it.", place=place)
            claimed = self.whole(holder.get("byteLength", len(data)), f"{place}.byteLength", 1, 2**40)
            if claimed > len(data):
                raise FileError(f"{place} claims {claimed} bytes; {len(data)} are there.", place=place)
            self._buffers[index] = data
        return self._buffers[index]

    def view(self, index: object, place: str) -> tuple[bytes, int, int, int]:
        """The buffer of a view, where it begins, its length, and its stride or 0."""
        view = self.item("bufferViews", index, place)
        where = f"bufferViews[{index}]"
        at = self.whole(view.get("buffer"), f"{where}.buffer", 0, len(self.list_of("buffers")) - 1)
        data = self.buffer(at)
        start = self.whole(view.get("byteOffset", 0), f"{where}.byteOffset", 0, len(data))
        length = self.whole(view.get("byteLength"), f"{where}.byteLength", 1, len(data) - start)
        stride = self.whole(view.get("byteStride", 0), f"{where}.byteStride", 0, 252)
        return data, start, length, stride

    def _values(
        self, view: object, offset: object, place: str, dtype: np.dtype[Any], width: int, count: int
    ) -> npt.NDArray[Any]:
        data, start, length, stride = self.view(view, f"{place}.bufferView")
        first = self.whole(offset, f"{place}.byteOffset", 0, length)
        tight = dtype.itemsize * width
        step = stride or tight
        if step < tight:
            raise FileError(f"{place}: a stride of {step} bytes is less than an item's {tight}.", place=place)
        if first + (count - 1) * step + tight > length:
            raise FileError(
                f"{place} claims {count} items, more than its {length} bytes hold.", place=place, received=count
            )
        return np.ndarray((count, width), dtype, data, start + first, (step, dtype.itemsize))

    def accessor(self, index: object, place: str, kinds: tuple[str, ...]) -> npt.NDArray[Any]:
        """The accessor's values (n,) or (n,width), integers raw unless they are normalised; sparse ones filled in."""
        a = self.item("accessors", index, place)
        place = f"accessors[{index}]"
        kind = a.get("type")
        if kind not in kinds:
            raise FileError(f"{place} has type {kind!r}; {' or '.join(sorted(kinds))} is needed.", place=place)
        dtype, width = self._component(a.get("componentType"), place), _WIDTH[str(kind)]
        count = self.whole(a.get("count"), f"{place}.count", 1, _MOST_ITEMS)
        self._items += count * width
        if self._items > _MOST_TOTAL:
            raise FileError("The file reads more numbers than can be held; split it.", place=place)
        if "bufferView" in a:
            raw = self._values(a["bufferView"], a.get("byteOffset", 0), place, dtype, width, count)
            out: npt.NDArray[Any] = np.array(raw, order="C")
        elif "sparse" in a:
            self.whole(count, f"{place}.count", 1, _MOST_BARE)
            out = np.zeros((count, width), dtype)
        else:
            raise FileError(f"{place} has no data.", place=place)
        if "sparse" in a:
            self._fill(out, self.inner(a, "sparse", place), f"{place}.sparse")
        if a.get("normalized") is True and dtype.kind in "iu":
            out = np.maximum(out.astype(np.float64) / np.iinfo(dtype).max, -1.0)
        return out[:, 0] if width == 1 else out

    def _component(self, value: object, place: str) -> np.dtype[Any]:
        if isinstance(value, bool) or not isinstance(value, int) or value not in _TYPES:
            raise FileError(f"{place} has component type {str(value)[:40]}; allowed: {sorted(_TYPES)}.", place=place)
        return np.dtype(_TYPES[value])

    def _fill(self, out: npt.NDArray[Any], sparse: dict[str, Any], place: str) -> None:
        count = self.whole(sparse.get("count"), f"{place}.count", 1, len(out))
        at, new = self.inner(sparse, "indices", place), self.inner(sparse, "values", place)
        dtype = self._component(at.get("componentType"), f"{place}.indices")
        if dtype.kind != "u":
            raise FileError(f"{place}.indices are not whole numbers from 0.", place=place)
        index = self._values(at.get("bufferView"), at.get("byteOffset", 0), f"{place}.indices", dtype, 1, count)[
            :, 0
        ].astype(np.int64)
        if int(index.max()) >= len(out) or (count > 1 and bool((np.diff(index) <= 0).any())):
            raise FileError(f"{place}.indices do not rise, or leave the {len(out)} items.", place=place)
        out[index] = self._values(
            new.get("bufferView"), new.get("byteOffset", 0), f"{place}.values", out.dtype, out.shape[1], count
        )
