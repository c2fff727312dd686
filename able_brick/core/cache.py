"""Things that were computed or read and may be wanted again, as many as fit into a number of bytes."""

from __future__ import annotations

import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from itertools import count
from typing import Any, Final, Generic, TypeVar
from weakref import WeakSet

V = TypeVar("V")
_MEGABYTE: Final = 2**20
#: What all caches together may take where nothing else is said, megabytes.
_USUAL: Final = 768


class Budget:
    """Bytes that several caches share. What can be computed again from what is kept goes before that, and of it what
    has not been used for longest."""

    def __init__(self, most: int) -> None:
        self.most = most
        self.guard = threading.RLock()
        self.clock = count()
        self._caches: WeakSet[ByteCache[Any]] = WeakSet()
        self._held = 0  # at least what all of them hold; more where one has gone as a whole

    def join(self, cache: ByteCache[Any]) -> None:
        """Have a cache share the budget."""
        self._caches.add(cache)

    @property
    def bytes(self) -> int:
        """What all of them hold."""
        with self.guard:
            return sum(c.bytes for c in self._caches)

    def count_in(self, bytes_more: int) -> None:
        """Have so many more bytes held, or fewer."""
        self._held += bytes_more

    def make_room(self) -> None:
        """Let go of as much as is too much."""
        with self.guard:
            if self._held <= self.most:
                return
            held = self._held = self.bytes
            while held > self.most:
                some = (c for c in self._caches if c.spares)
                worst = min(some, key=lambda c: (not c.derived, c.oldest), default=None)
                if worst is None:
                    return
                held -= worst.let_go()


def _asked_for() -> int:
    """The bytes that `ABLE_BRICK_MEMORY` grants, in megabytes there."""
    text = os.environ.get("ABLE_BRICK_MEMORY", "")
    return max(64, int(text)) * _MEGABYTE if text.isdecimal() and len(text) < 8 else _USUAL * _MEGABYTE


BUDGET: Final = Budget(_asked_for())


class ByteCache(Generic[V]):
    """What was used last stays; what has not been used for longest goes first. Safe to use from several threads.

    `most` bytes are its own limit, beside the budget that it shares. `derived`: it can be computed again from what
    other caches hold, so it goes before those. `latest`: what was kept last stays, however large it is.
    """

    def __init__(
        self,
        most: int,
        size: Callable[[V], int],
        *,
        derived: bool = True,
        latest: bool = False,
        budget: Budget = BUDGET,
    ) -> None:
        self.most, self.derived, self.latest = most, derived, latest
        self._size = size
        self._budget = budget
        self._guard = budget.guard
        self._kept: OrderedDict[Hashable, tuple[V, int, int]] = OrderedDict()
        self.bytes = 0
        budget.join(self)

    @property
    def oldest(self) -> int:
        """When what would go first was used last."""
        return next(iter(self._kept.values()))[2] if self._kept else -1

    @property
    def spares(self) -> bool:
        """Whether there is something that may go."""
        return len(self._kept) > self.latest

    def let_go(self) -> int:
        """Let go of what has not been used for longest; its bytes."""
        with self._guard:
            before = self.bytes
            if self._kept:
                self._forget(next(iter(self._kept)))
            return before - self.bytes

    def find(self, key: Hashable) -> V | None:
        """What is kept under a key, or None."""
        with self._guard:
            found = self._kept.pop(key, None)
            if found is None:
                return None
            self._kept[key] = found[0], found[1], next(self._budget.clock)
            return found[0]

    def keep(self, key: Hashable, value: V) -> V:
        """Keep a value; one that is larger than all that may be kept is only handed back."""
        size = self._size(value)
        with self._guard:
            self._forget(key)
            if size <= self.most or self.latest:
                self._kept[key] = value, size, next(self._budget.clock)
                self._count(size)
                while self.bytes > self.most and len(self._kept) > self.latest:
                    self._forget(next(iter(self._kept)))
                self._budget.make_room()
        return value

    def get(self, key: Hashable, make: Callable[[], V]) -> V:
        """What is kept under a key; made and kept where there is nothing."""
        found = self.find(key)
        return self.keep(key, make()) if found is None else found

    def _forget(self, key: Hashable) -> None:
        old = self._kept.pop(key, None)
        if old is not None:
            self._count(-old[1])  # as it was counted: what is kept may have grown since

    def _count(self, bytes_more: int) -> None:
        self.bytes += bytes_more
        self._budget.count_in(bytes_more)
