"""What waits for tabs that do not listen is bounded."""

from __future__ import annotations

import asyncio

from able_brick.api.live import Hub


def _spread(hub: Hub, count: int, size: int) -> None:
    for k in range(count):
        hub._spread("level-1", str(k % 10) * size, str(k % 10).encode() * size)


def test_a_tab_that_does_not_listen_keeps_no_more_than_its_bytes() -> None:
    async def act() -> None:
        hub = Hub()
        tab = hub.join("level-1")
        _spread(hub, 20, 3_000_000)
        assert tab.size <= 16 * 1024 * 1024
        # it is told to load anew, once it listens
        seen = [tab.get_nowait() for _ in range(tab.qsize())]
        assert None in seen
        assert tab.size == 0
        # what is large by itself still goes to a tab that listens
        _spread(hub, 1, 40_000_000)
        assert len(tab.get_nowait() or "") == 40_000_000

    asyncio.run(act())


def test_a_tab_that_understands_columns_gets_them() -> None:
    async def act() -> None:
        hub = Hub()
        plain, other = hub.join("level-1"), hub.join("level-1", columns=True)
        _spread(hub, 1, 5)
        assert (plain.get_nowait(), other.get_nowait()) == ("00000", b"00000")

    asyncio.run(act())


def test_many_small_changes_are_bounded_by_their_number() -> None:
    async def act() -> None:
        hub = Hub()
        tab = hub.join("level-1")
        _spread(hub, 1000, 10)
        assert tab.qsize() <= 256
        hub.leave("level-1", tab)
        _spread(hub, 5, 10)

    asyncio.run(act())
