"""Things that were reckoned or read and may be wanted again, as many as fit into a number of bytes."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")


class ByteCache(Generic[V]):
    """What was used last stays; what has not been used for longest goes first. Safe to use from several threads."""

    def __init__(self, most: int, size: Callable[[V], int]) -> None:
        self.most = most
        self._size = size
        self._guard = threading.Lock()
        self._kept: OrderedDict[Hashable, tuple[V, int]] = OrderedDict()
        self._bytes = 0

    def find(self, key: Hashable) -> V | None:
        """What is kept under a key, or None."""
        with self._guard:
            found = self._kept.get(key)
            if found is None:
                return None
            self._kept.move_to_end(key)
            return found[0]

    def keep(self, key: Hashable, value: V) -> V:
        """Keep a value; one that is larger than all that may be kept is only handed back."""
        size = self._size(value)
        with self._guard:
            self._forget(key)
            if size <= self.most:
                self._kept[key] = value, size
                self._bytes += size
                while self._bytes > self.most:
                    self._forget(next(iter(self._kept)))
        return value

    def get(self, key: Hashable, make: Callable[[], V]) -> V:
        """What is kept under a key; made and kept where there is nothing."""
        found = self.find(key)
        return self.keep(key, make()) if found is None else found

    def _forget(self, key: Hashable) -> None:
        old = self._kept.pop(key, None)
        if old is not None:
            self._bytes -= old[1]  # as it was counted: what is kept may have grown since
