"""Columns read back, plainly: what the page does with them."""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np


def read_columns(data: bytes) -> dict[str, Any]:
    """A delta in columns as its JSON says it; placements come after all other rows."""
    magic, size = struct.unpack_from("<4sI", data)
    assert magic == b"ABC1" and size % 8 == 0
    out: dict[str, Any] = json.loads(data[8 : 8 + size])
    body = data[8 + size :]

    def column(name: list[int], kind: str) -> list[Any]:
        at, rows, width = name
        assert at % 8 == 0
        found = np.frombuffer(body, kind, rows * width, at)
        return list(found.reshape(rows, width).tolist() if width > 1 else found.tolist())

    for runs in out["items"].values():
        for run in runs:
            for field, kind in (("numbers", "<i4"), ("rows", "<f8"), ("faces", "<i4")):
                run[field] = column(run[field], kind)
    told = out.pop("placements")
    count = told["count"]

    def each(field: str, kind: str) -> list[Any]:
        found = column(told[field], kind)
        return found * count if len(found) == 1 else found

    fields = [each(f, "<i4") for f in ("number", "piece", "group", "flags")]
    fields += [each(f, "<f8") for f in ("position", "turn", "size")]
    for name, number, piece, group, flags, position, turn, size in zip(told["names"], *fields, strict=True):
        out["changed"].append(
            {
                "id": f"placement-{number}",
                "level": out["level"],
                "name": name,
                "group": None if group < 0 else told["groups"][group],
                "hidden": bool(flags & 1),
                "locked": bool(flags & 2),
                "kind": "placement",
                "piece": told["pieces"][piece],
                "position": position,
                "turn": turn,
                "size": size,
                "image": [None, "x", "y", "z"][flags >> 2],
                "extras": None,
            }
        )
    return out


def with_placements_last(delta: dict[str, Any]) -> dict[str, Any]:
    """A delta with its rows in the order in which columns tell them."""
    kinds = (
        [r for r in delta["changed"] if r["kind"] != "placement"],
        [r for r in delta["changed"] if r["kind"] == "placement"],
    )
    return {**delta, "changed": [*kinds[0], *kinds[1]]}
