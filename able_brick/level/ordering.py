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
    return put_all(target, ((key, value, there),))


def put_all(target: dict[str, Any], rows: Iterable[tuple[str, Any, bool]]) -> bool:
    """Put rows by their ids, or remove those that are not there; whether one stands out of order now."""
    unsorted = False
    last: str | None = None
    for key, value, there in rows:
        if not there:
            target.pop(key, None)
            last = None
        elif key in target:
            target[key] = value
        else:
            last = next(reversed(target), None) if last is None else last
            target[key] = value
            # numbers of the same length compare as they are written
            if last is not None and not (
                len(key) == len(last) and last < key and key[-1].isdecimal() and last[-1].isdecimal()
            ):
                unsorted = unsorted or row_order(key) < row_order(last)
            last = key
    return unsorted


def sorted_rows(rows: dict[str, R]) -> dict[str, R]:
    """Rows in their order."""
    return dict(sorted(rows.items(), key=lambda kv: row_order(kv[0])))


def rows_after(ids: Ids, pairs: Sequence[tuple[R | None, R | None]], of: Callable[[R], Iterable[str]]) -> Ids:
    """Ids by what rows belong to, `of` each, with rows before and after."""
    changes: dict[str, list[tuple[str, None, bool]]] = {}
    for old, new in pairs:
        before = () if old is None else tuple(of(old))
        after = () if new is None else tuple(of(new))
        if before == after:
            continue
        row: Any = new if old is None else old
        for there, keys, others in ((False, before, after), (True, after, before)):
            for key in keys:
                if key not in others:
                    changes.setdefault(key, []).append((row.id, None, there))
    if not changes:
        return ids
    out = dict(ids)
    for key, rows in changes.items():
        some = dict(out.get(key, ()))
        if put_all(some, rows):
            some = sorted_rows(some)
        if some:
            out[key] = some
        else:
            out.pop(key, None)
    return out
