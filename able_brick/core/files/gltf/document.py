"""Checked access to a glTF document: its objects, its buffers, and the numbers in them."""

from __future__ import annotations

import base64
import binascii
from typing import Any, Final, TypeVar, cast
from urllib.parse import unquote

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError
from able_brick.core.files.beside import Beside
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.models import NONE, checked

_TYPES: Final = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTH: Final = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
_MOST_TOTAL: Final = 200_000_000
#: Items of an accessor that has no bytes of its own, only sparse changes to zeros.
_MOST_BARE: Final = 4_000_000
L = TypeVar("L", bound=models.Listed)


class Document:
    """What a file holds, each object checked when it is first asked for. `notes` tell what was left out or mended."""

    def __init__(self, raw: dict[str, Any], binary: bytes | None, beside: Beside) -> None:
        self.raw = raw
        self.root = checked(models.Root, raw, "")
        self.notes: list[str] = []
        self._lists = {key: getattr(self.root, name) for name, key in _LISTS.items()}
        self._binary = binary
        self._beside = beside
        self._objects: dict[str, dict[int, models.Listed]] = {key: {} for key in self._lists}
        self._buffers: dict[int, bytes] = {}
        self._items = 0

    def count(self, model: type[models.Listed]) -> int:
        """How many objects of a model the document lists."""
        return len(self._lists[model.LIST])

    def item(self, model: type[L], index: int, place: str) -> L:
        """The object of that index; `place` is where the index stands."""
        read = self._objects[model.LIST]
        if index not in read:
            self.check_index(model, index, place)
            read[index] = checked(model, self._lists[model.LIST][index], model.LIST, index)
        return cast("L", read[index])

    def check_index(self, model: type[models.Listed], index: int, place: str) -> None:
        """FileError where no such object is listed."""
        count = len(self._lists[model.LIST])
        if not 0 <= index < count:
            received = "nothing" if index == NONE else index
            text = f"{place} should be a whole number from 0 to {count - 1}."
            raise FileError(text, place=place, received=received)

    def fetch(self, uri: str, place: str) -> bytes:
        """The bytes of a data URI, or of a file beside this one."""
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

    def view(self, index: int, place: str) -> bytes:
        """The bytes of a buffer view."""
        data, start, length, _ = self._view(index, place)
        return data[start : start + length]

    def accessor(self, index: int, place: str, types: tuple[str, ...]) -> npt.NDArray[Any]:
        """The accessor's values (n,) or (n,width), integers raw unless they are normalised; sparse ones filled in."""
        a = self.item(models.Accessor, index, place)
        place = f"accessors[{index}]"
        if a.type not in types:
            raise FileError(f"{place} has type {a.type!r}; {' or '.join(sorted(types))} is needed.", place=place)
        dtype, width = np.dtype(_TYPES[a.component_type]), _WIDTH[a.type]
        self._items += a.count * width
        if self._items > _MOST_TOTAL:
            raise FileError("The file reads more numbers than can be held; split it.", place=place)
        if a.buffer_view != NONE:
            raw = self._values(a.buffer_view, a.byte_offset, place, dtype, width, a.count)
            out: npt.NDArray[Any] = np.array(raw, order="C")
        elif a.sparse is None:
            raise FileError(f"{place} has no data.", place=place)
        elif a.count > _MOST_BARE:
            raise FileError(f"{place}.count should be at most {_MOST_BARE} without bytes of its own.", place=place)
        else:
            out = np.zeros((a.count, width), dtype)
        if a.sparse is not None:
            self._fill(out, a.sparse, f"{place}.sparse")
        if a.normalized and dtype.kind in "iu":
            out = np.maximum(out.astype(np.float64) / np.iinfo(dtype).max, -1.0)
        return out[:, 0] if width == 1 else out

    def _buffer(self, index: int, place: str) -> bytes:
        if index not in self._buffers:
            holder = self.item(models.Buffer, index, place)
            place = f"buffers[{index}]"
            if holder.uri is not None:
                data = self.fetch(holder.uri, f"{place}.uri")
            elif index == 0 and self._binary is not None:
                data = self._binary
            else:
                raise FileError(f"{place} has no uri, and the file has no binary part for it.", place=place)
            if holder.byte_length is not None and holder.byte_length > len(data):
                raise FileError(f"{place} claims {holder.byte_length} bytes; {len(data)} are there.", place=place)
            self._buffers[index] = data
        return self._buffers[index]

    def _view(self, index: int, place: str) -> tuple[bytes, int, int, int]:
        """The buffer of a view, where it begins, its length, and its stride or 0."""
        view = self.item(models.BufferView, index, place)
        place = f"bufferViews[{index}]"
        data = self._buffer(view.buffer, f"{place}.buffer")
        if view.byte_offset + view.byte_length > len(data):
            raise FileError(
                f"{place} claims {view.byte_length} bytes from {view.byte_offset} on; its buffer has {len(data)}.",
                place=place,
            )
        return data, view.byte_offset, view.byte_length, view.byte_stride

    def _values(
        self, view: int, offset: int, place: str, dtype: np.dtype[Any], width: int, count: int
    ) -> npt.NDArray[Any]:
        data, start, length, stride = self._view(view, f"{place}.bufferView")
        tight = dtype.itemsize * width
        step = stride or tight
        if step < tight:
            raise FileError(f"{place}: a stride of {step} bytes is less than an item's {tight}.", place=place)
        if offset + (count - 1) * step + tight > length:
            raise FileError(
                f"{place} claims {count} items, more than its {length} bytes hold.", place=place, received=count
            )
        return np.ndarray((count, width), dtype, data, start + offset, (step, dtype.itemsize))

    def _fill(self, out: npt.NDArray[Any], sparse: models.Sparse, place: str) -> None:
        count, at, new = sparse.count, sparse.indices, sparse.values
        if count > len(out):
            raise FileError(f"{place}.count should be at most {len(out)}.", place=place, received=count)
        dtype = np.dtype(_TYPES[at.component_type])
        index = self._values(at.buffer_view, at.byte_offset, f"{place}.indices", dtype, 1, count)[:, 0].astype(np.int64)
        if int(index.max()) >= len(out) or (count > 1 and bool((np.diff(index) <= 0).any())):
            raise FileError(f"{place}.indices do not rise, or leave the {len(out)} items.", place=place)
        out[index] = self._values(new.buffer_view, new.byte_offset, f"{place}.values", out.dtype, out.shape[1], count)


#: The lists of the document by their names in the model.
_LISTS: Final = {name: str(field.alias) for name, field in models.Root.model_fields.items() if name not in {"scene"}}
