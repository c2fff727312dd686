"""What a server works on: asked for by an id, waited for, and kept for a while when it has ended."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Generic, Protocol, TypeVar

from able_brick.core.errors import UnknownIdError
from able_brick.core.gate import Gate


class Item(Protocol):
    """Something that is worked on until it has `ended`."""

    id: str

    @property
    def title(self) -> str: ...

    @property
    def ended(self) -> bool: ...


T = TypeVar("T", bound=Item)


class Roster(Generic[T]):
    """Items by their ids, of which so many are remembered when they have ended. Safe to use from several threads:
    `_guard` is held while an item is looked at or changed, and notified when one was."""

    def __init__(self, prefix: str, unknown: str, most_ended: int) -> None:
        self._guard = threading.Condition(threading.RLock())
        self._gate = Gate()
        self._items: dict[str, T] = {}
        self._number = 0
        self._prefix, self._unknown, self._most_ended = prefix, unknown, most_ended

    @property
    def running(self) -> list[str]:
        """What has not ended, in words."""
        with self._guard:
            return [i.title for i in self._items.values() if not i.ended]

    def rest(self) -> list[str]:
        """Begin nothing new from now on, where nothing is being worked on; else what is, and nothing has changed."""
        with self._guard:
            return self._gate.shut_if(self.running)

    def go_on(self) -> None:
        """Begin new ones again."""
        with self._guard:
            self._gate.set(shut=False)

    def get(self, key: str) -> T:
        """The item, or UnknownIdError."""
        with self._guard:
            found = self._items.get(key)
        if found is None:
            raise UnknownIdError(self._unknown, id=key[:80])
        return found

    def all(self) -> list[T]:
        """Every item that is remembered, the oldest first."""
        with self._guard:
            return list(self._items.values())

    def _add(self, make: Callable[[str], T]) -> tuple[T, list[T]]:
        """A new item with an id of its own; and those that are not remembered any more."""
        with self._guard:
            self._number += 1
            item = make(f"{self._prefix}-{self._number}")
            self._items[item.id] = item
            dropped = [i for i in self._items.values() if i.ended][: -self._most_ended]
            for old in dropped:
                del self._items[old.id]
        return item, dropped

    def _until(self, reached: Callable[[], bool], seconds: float) -> None:
        """Wait until something is so, for some seconds at most."""
        end = time.monotonic() + seconds
        with self._guard:
            while not reached() and (left := end - time.monotonic()) > 0:
                self._guard.wait(left)
