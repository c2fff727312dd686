"""How many threads the work on one mesh may take."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

T = TypeVar("T")
_ALONE: ContextVar[bool] = ContextVar("alone", default=False)


@contextmanager
def one_thread() -> Iterator[None]:
    """Within it work takes no second thread: several such are done side by side."""
    token = _ALONE.set(True)
    try:
        yield
    finally:
        _ALONE.reset(token)


def by_halves(work: Callable[[int, int], T], count: int, parallel_from: int) -> list[T]:
    """Work over all of so many, from one number to before another, by two threads from `parallel_from` on: what each
    half gave."""
    if count < parallel_from:
        return [work(0, count)]
    if _ALONE.get():  # by halves too, so that it comes to the same numbers
        return [work(0, count // 2), work(count // 2, count)]
    with ThreadPoolExecutor(1) as other:
        half = other.submit(work, 0, count // 2)
        rest = work(count // 2, count)
        return [half.result(), rest]


def side_by_side(work: Callable[[int], T], starts: range) -> Iterator[T]:
    """What work gives for each start, in their order; two at a time."""
    if _ALONE.get() or len(starts) < 2:
        yield from map(work, starts)
        return
    with ThreadPoolExecutor(2) as workers:
        yield from workers.map(work, starts)
