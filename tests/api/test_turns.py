"""Previews take turns: few at once, the newest first, and no more wait than are answered."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Coroutine
from typing import Any

import pytest

from able_brick.api.preview_queue import PreviewQueue
from able_brick.core.errors import BusyError
from tests.api.asking import step
from tests.api.client import Client as TestClient


async def _here() -> bool:
    return False


async def _gone() -> bool:
    return True


async def _settled() -> None:
    for _ in range(20):
        await asyncio.sleep(0)


class _Held:
    """Work that goes on until it is let go, and tells in which order it was done."""

    def __init__(self, turns: PreviewQueue) -> None:
        self.turns, self.go, self.done = turns, threading.Event(), list[int]()

    def ask(self, k: int, gone: Any = _here) -> Coroutine[Any, Any, int]:
        def work() -> int:
            assert self.go.wait(20)
            self.done.append(k)
            return k

        return self.turns.take(gone, work)


def test_the_newest_comes_first_and_the_oldest_is_told_when_too_many_wait() -> None:
    async def act() -> None:
        held = _Held(PreviewQueue(1, 3))
        tasks = []
        for k in range(6):
            tasks.append(asyncio.ensure_future(held.ask(k)))
            await _settled()
        held.go.set()
        ends = await asyncio.gather(*tasks, return_exceptions=True)
        assert held.done == [0, 5, 4, 3]
        assert [k for k, end in enumerate(ends) if isinstance(end, BusyError)] == [1, 2]
        assert await held.ask(7) == 7

    asyncio.run(act())


def test_what_nobody_waits_for_is_left_undone() -> None:
    async def act() -> None:
        held = _Held(PreviewQueue(1, 3))
        first = asyncio.ensure_future(held.ask(0))
        await _settled()
        left = asyncio.ensure_future(held.ask(1, _gone))
        stopped = asyncio.ensure_future(held.ask(2))
        last = asyncio.ensure_future(held.ask(3))
        await _settled()
        stopped.cancel()
        held.go.set()
        ends = await asyncio.gather(first, left, stopped, last, return_exceptions=True)
        assert held.done == [0, 3]
        assert isinstance(ends[1], BusyError)
        assert isinstance(ends[2], asyncio.CancelledError)
        assert await held.ask(4) == 4, "every turn has been handed on"

    asyncio.run(act())


def test_a_turn_is_handed_on_by_who_fails() -> None:
    async def act() -> None:
        turns = PreviewQueue(1, 3)

        def fail() -> None:
            raise ValueError("no")

        for _ in range(3):
            with pytest.raises(ValueError, match="no"):
                await turns.take(_here, fail)
        assert await turns.take(_here, lambda: 1) == 1

    asyncio.run(act())


def test_more_settings_than_any_tool_has_are_counted_only(client: TestClient) -> None:
    reply = step(client, "move", **{f"k{n}": 1 for n in range(1000)})
    assert reply.status_code == 422
    assert reply.json()["detail"] == "1000 settings came for Move; it has 3."
