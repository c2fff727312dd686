"""A delta with its many rows in columns: what is long travels as arrays of numbers, the rest as JSON before them.

Bytes: the word `ABC1`, the length of the head (uint32, little-endian), the head as JSON, filled up with spaces to a
multiple of 8, then the columns, each at a multiple of 8. The head is the delta as it is in JSON, except that

- `placements` are those of the rows in `changed` that are placements of the delta's level without extras:
  `count` of them, `names`, the tables `pieces` and `groups`, and columns of `number` (of the id `placement-number`),
  `piece` and `group` (places in the tables, no group is −1), `flags` (1 hidden, 2 locked; 4, 8, 12 an image along x,
  y, z), `position` (N,3), `turn` (N,4) and `size` (N,3). A column with one row only holds for all.
- `numbers`, `rows` (N,10) and `faces` of each run in `items` are columns.

A column is named by three numbers: where its bytes begin after the head, how many rows it has, and how many numbers a
row. `position`, `turn`, `size` and `rows` are float64, the others int32.
"""

from __future__ import annotations

import json
import re
import struct
from collections.abc import Iterable, Sequence
from itertools import chain
from operator import attrgetter
from typing import TYPE_CHECKING, Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.level.snapshot import ARow
from able_brick.level.texts import Texts, text_of

if TYPE_CHECKING:
    from able_brick.session.delta import Delta

MEDIA: Final = "application/x-able-brick-columns"
MAGIC: Final = b"ABC1"
_STEM: Final = "placement-"
_FIELDS: Final = attrgetter("id", "name", "piece", "group", "hidden", "locked", "position", "turn", "size", "image")
#: An id of a placement as it is numbered here.
_PLAIN: Final = re.compile(rf"{_STEM}[1-9][0-9]{{0,8}}")


class _Columns:
    """Columns that are being written one after the other."""

    def __init__(self) -> None:
        self.parts: list[bytes] = []
        self.size = 0

    def put(self, rows: npt.NDArray[Any], kind: str) -> list[int]:
        """Add a column; its name."""
        data = np.ascontiguousarray(rows, kind).tobytes()
        named = [self.size, len(rows), rows.shape[1] if rows.ndim == 2 else 1]
        self.parts += [data, bytes(-len(data) % 8)]
        self.size += len(data) + len(self.parts[-1])
        return named


def columns_of(delta: Delta, texts: Texts | None) -> bytes:
    """A delta as bytes, as above."""
    columns = _Columns()
    of = text_of if texts is None else texts.of
    level = delta.level
    single = [
        r
        for r in delta.changed
        if r.kind == "placement" and r.level == level and r.extras is None and _PLAIN.fullmatch(r.id)
    ]
    singles = set(map(id, single))
    rest = [of(r) for r in delta.changed if id(r) not in singles]
    items = {
        key: [
            {
                **run.model_dump(mode="json", exclude={"numbers", "rows", "faces"}),
                "numbers": columns.put(run.numbers, "<i4"),
                "rows": columns.put(run.rows, "<f8"),
                "faces": columns.put(run.faces, "<i4"),
            }
            for run in runs
        ]
        for key, runs in delta.items.items()
    }
    more = {"items": items, "placements": _placements(single, columns)}
    head = (
        f'{{"changed":[{",".join(rest)}],{json.dumps(more, allow_nan=False)[1:-1]},'
        f"{delta.model_dump_json(exclude={'changed', 'items'})[1:]}"
    ).encode()
    head += b" " * (-len(head) % 8)
    return b"".join([MAGIC, struct.pack("<I", len(head)), head, *columns.parts])


def _placements(rows: Sequence[ARow], columns: _Columns) -> dict[str, Any]:
    fields = zip(*map(_FIELDS, rows), strict=True) if rows else ((),) * 10
    ids, names, pieces, groups, hidden, locked, positions, turns, sizes, images = fields

    def whole(values: Iterable[int]) -> list[int]:
        return columns.put(_once(np.fromiter(values, np.int32, len(rows))), "<i4")

    def several(values: Sequence[tuple[float, ...]], width: int) -> list[int]:
        if rows and all(v is values[0] for v in values):
            values = values[:1]
        made = np.fromiter(chain.from_iterable(values), np.float64, len(values) * width)
        return columns.put(_once(made.reshape(-1, width)), "<f8")

    of_piece = {piece: k for k, piece in enumerate(dict.fromkeys(pieces))}
    of_group = {None: -1} | {group: k for k, group in enumerate(dict.fromkeys(g for g in groups if g is not None))}
    return {
        "count": len(rows),
        "names": names,
        "number": whole(int(row[len(_STEM) :]) for row in ids),
        "piece": whole(map(of_piece.__getitem__, pieces)),
        "group": whole(map(of_group.__getitem__, groups)),
        "flags": whole(map(_flags, hidden, locked, images)),
        "position": several(positions, 3),
        "turn": several(turns, 4),
        "size": several(sizes, 3),
        "pieces": list(of_piece),
        "groups": list(of_group)[1:],
    }


_IMAGES: Final[dict[str | None, int]] = {None: 0, "x": 4, "y": 8, "z": 12}


def _flags(hidden: bool, locked: bool, image: str | None) -> int:
    return hidden + 2 * locked + _IMAGES[image]


def _once(rows: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """One row, where all are alike to the bit."""
    bits = rows.view(np.int64) if rows.dtype == np.float64 else rows
    return rows[:1] if len(rows) > 1 and (bits == bits[0]).all() else rows
