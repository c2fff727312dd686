"""Taking turns: few are served at once, the newest first, and what nobody waits for any more is left undone."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import Final, TypeVar

from fastapi import Request
from fastapi.concurrency import run_in_threadpool

from able_brick.core.errors import BusyError

T = TypeVar("T")
#: As many are computed at once; others in the meantime are answered without waiting for them.
AT_ONCE: Final = 2
MOST_WAITING: Final = 32


class PreviewQueue:
    """Requests that take turns. All of them are on one event loop."""

    def __init__(self, at_once: int = AT_ONCE, most_waiting: int = MOST_WAITING) -> None:
        self._free, self._most = at_once, most_waiting
        self._waiting: list[asyncio.Future[None]] = []

    async def take(self, gone: Callable[[], Awaitable[bool]], work: Callable[[], T]) -> T:
        """What work in another thread returns, in its turn. Raises BusyError when too many wait for theirs, for those
        that have waited longest, and where who asked has `gone` meanwhile."""
        await self._turn()
        try:
            if await gone():
                raise BusyError("Nobody waits for this preview any more.")
            return await run_in_threadpool(work)
        finally:
            self._next()

    async def _turn(self) -> None:
        if self._free > 0:
            self._free -= 1
            return
        mine: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self._waiting.append(mine)
        if len(self._waiting) > self._most:
            oldest = self._waiting.pop(0)
            if not oldest.done():
                oldest.set_exception(
                    BusyError(
                        f"More than {self._most} previews wait, and newer ones come first. Ask again, more rarely.",
                        allowed=self._most,
                    )
                )
        try:
            await mine
        except asyncio.CancelledError:
            if mine in self._waiting:
                self._waiting.remove(mine)
            elif mine.done() and not mine.cancelled() and mine.exception() is None:
                self._next()  # the turn had come
            raise

    def _next(self) -> None:
        while self._waiting:
            newest = self._waiting.pop()
            if not newest.done():
                newest.set_result(None)
                return
        self._free += 1


async def preview_queue(request: Request) -> PreviewQueue:
    """Those of the application."""
    found: PreviewQueue = request.app.state.preview_queue
    return found
