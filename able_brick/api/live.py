"""The event socket: every open tab of a level hears of every change."""

from __future__ import annotations

import asyncio
import json
from collections import defaultdict
from collections.abc import Callable
from typing import Any

from able_brick.session.delta import Delta

#: A delta as it is sent; None to have the level loaded anew.
Message = str | bytes | None
_MOST_WAITING = 256
#: Bytes that may wait for one tab.
_MOST_BYTES = 16 * 1024 * 1024


class Tab(asyncio.Queue[Message]):
    """What waits for one tab to be read; `size` is how many letters or bytes that is. With `columns` it understands
    those."""

    def __init__(self, *, columns: bool = False) -> None:
        super().__init__(_MOST_WAITING)
        self.columns = columns
        self.size = 0

    def _put(self, item: Message) -> None:
        self.size += len(item or "")
        super()._put(item)

    def _get(self) -> Message:
        item: Message = super()._get()
        self.size -= len(item or "")
        return item

    def has_room(self, item: Message) -> bool:
        """Whether one more may wait; what is large by itself may where nothing else does."""
        return not self.full() and (self.empty() or self.size + len(item or "") <= _MOST_BYTES)


class Hub:
    """Queues of the open tabs, by level. `publish` may be called from any thread."""

    def __init__(self) -> None:
        self._queues: dict[str, set[Tab]] = defaultdict(set)
        self._loop: asyncio.AbstractEventLoop | None = None

    @property
    def count(self) -> int:
        """How many tabs listen."""
        return sum(len(tabs) for tabs in list(self._queues.values()))

    def join(self, level: str, *, columns: bool = False) -> Tab:
        self._loop = asyncio.get_running_loop()
        queue = Tab(columns=columns)
        self._queues[level].add(queue)
        return queue

    def leave(self, level: str, queue: Tab) -> None:
        self._queues[level].discard(queue)

    def publish(self, level: str, make: Callable[[], Delta | None]) -> None:
        if self._loop is None or self._loop.is_closed() or not self._queues.get(level):
            return
        delta = make()
        if delta is None:
            self._loop.call_soon_threadsafe(self._spread, level, None, None)
            return
        # tabs that come meanwhile hear of the revision they have missed
        large = delta.large
        wanted = {large and tab.columns for tab in list(self._queues[level])}
        text = delta.text() if False in wanted else None
        self._loop.call_soon_threadsafe(self._spread, level, text, delta.columns() if True in wanted else text)

    def end(self, other: dict[str, Any]) -> None:
        """Tell all tabs which other project is open now; nothing is sent after that."""
        message = json.dumps({"page": "other", **other})
        if self._loop is not None and not self._loop.is_closed():
            for level in list(self._queues):
                self._loop.call_soon_threadsafe(self._spread, level, message, message)

    def _spread(self, level: str, text: Message, columns: Message) -> None:
        for queue in list(self._queues[level]):
            message = columns if queue.columns else text
            if not queue.has_room(message):  # a tab that does not listen: drop what waits and tell it to load anew
                while not queue.empty():
                    queue.get_nowait()
                queue.put_nowait(None)
            else:
                queue.put_nowait(message)
