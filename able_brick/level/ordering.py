"""Rows in their order, and ids of rows by what they belong to; changed by copying what a change touches alone."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, TypeAlias, TypeVar

#: Ids, in the order of rows, by another id.
Ids: TypeAlias = dict[str, dict[str, None]]
R = TypeVar("R")


def row_order(row: str) -> tuple[str, int]:
    """Rows are kept by kind, and in each kind as they were made; an id without a number comes first."""
    kind, _, number = row.rpartition("-")
    return (kind, int(number)) if number.isdecimal() and len(number) < 19 else (row, -1)


def put_into(target: dict[str, Any], key: str, value: object, *, there: bool) -> bool:
    """Put or remove a row; whether a new one stands out of order now."""
    if not there:
        target.pop(key, None)
        return False
    last = next(reversed(target), None) if key not in target else None
    target[key] = value
    # numbers of the same length compare as they are written
    if last is None or (len(key) == len(last) and last < key and key[-1].isdecimal() and last[-1].isdecimal()):
        return False
    return row_order(key) < row_order(last)


def sorted_rows(rows: dict[str, R]) -> dict[str, R]:
    """Rows in their order."""
    return dict(sorted(rows.items(), key=lambda kv: row_order(kv[0])))


def rows_after(ids: Ids, pairs: Sequence[tuple[R | None, R | None]], of: Callable[[R], Iterable[str]]) -> Ids:
    """Ids by what rows belong to, `of` each, with rows before and after."""
    out, own, unsorted = ids, set(), set()
    for old, new in pairs:
        before = () if old is None else tuple(of(old))
        after = () if new is None else tuple(of(new))
        if before == after:
            continue
        row: Any = new if old is None else old
        for there, keys in ((False, before), (True, after)):
            for key in keys:
                if (key in before) == (key in after):
                    continue
                if key not in own:
                    out = dict(ids) if out is ids else out
                    out[key] = dict(out.get(key, ()))
                    own.add(key)
                if put_into(out[key], row.id, None, there=there):
                    unsorted.add(key)
    for key in unsorted:
        out[key] = sorted_rows(out[key])
    for key in own:
        if not out[key]:
            del out[key]
    return out
