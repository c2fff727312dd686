"""Who works on the files of a batch: processes of this machine that nobody else can reach, or a cluster's."""

from __future__ import annotations

import asyncio
import logging
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING, Any, Final, NamedTuple

if TYPE_CHECKING:
    from dask.distributed import Client, LocalCluster

#: Seconds that a scheduler of a cluster may take to answer, and that processes of this machine may take to end.
_ANSWERS: Final = 5
_ENDS: Final = 2
#: Seconds in which a process may end by itself.
_PATIENCE: Final = 1.0
#: Pages that tell of a scheduler and its workers: nobody asks for them here.
_NO_PAGES: Final[dict[str, Any]] = {
    "distributed.scheduler.http.routes": [],
    "distributed.worker.http.routes": [],
    "distributed.admin.large-graph-warning-threshold": "100MB",
}


class Workers(NamedTuple):
    """Those who work, by the client that hands out to them, and how many they are."""

    client: Client
    number: int


@contextmanager
def crew(jobs: int | None, scheduler: str | None) -> Iterator[Workers]:
    """So many processes of this machine, one a core where it is not said, or those of a dask scheduler.

    Processes of this machine and their scheduler talk over TLS with a key that is made for them, is kept in memory
    alone, and is handed to nobody else: whoever else reaches their ports is not listened to. When they are left, they
    are ended at once, whatever they are at.
    """
    import dask
    from dask.distributed import Client

    logging.getLogger("distributed").setLevel(logging.ERROR)  # it tells of each connection that comes and goes
    with dask.config.set(_NO_PAGES):
        if scheduler is not None:
            with Client(scheduler, timeout=_ANSWERS) as client:  # type: ignore[no-untyped-call]
                yield Workers(client, max(1, len(client.scheduler_info()["workers"])))
            return
        cluster = _own_cluster(jobs or os.cpu_count() or 1)
        try:
            client = Client(cluster)  # type: ignore[no-untyped-call]
            try:
                yield Workers(client, max(1, len(cluster.workers)))
            finally:
                _end(cluster)
                client.close(timeout=_ENDS)  # type: ignore[no-untyped-call]
        finally:
            with suppress(TimeoutError):
                cluster.close(timeout=_ENDS)
            _forget_schedulers()


def _own_cluster(jobs: int) -> LocalCluster:
    from dask.distributed import LocalCluster
    from distributed.security import Security

    return LocalCluster(  # type: ignore[no-untyped-call]
        n_workers=jobs,
        threads_per_worker=1,
        processes=True,
        dashboard_address=None,
        # at any port that is free here
        scheduler_kwargs={"dashboard_address": "127.0.0.1:0"},
        host="127.0.0.1",
        protocol="tls://",
        security=Security.temporary(),  # type: ignore[no-untyped-call]
        silence_logs=50,
    )


def _forget_schedulers() -> None:
    """Let go of schedulers that have ended: a cache of dask's keeps them by their methods."""
    from distributed import core

    forget = getattr(getattr(core, "_expects_comm", None), "cache_clear", None)
    if forget is not None:
        forget()


def _end(cluster: LocalCluster) -> None:
    """End the processes of a cluster at once; they have nothing that is not written yet."""

    async def close() -> None:
        nannies = list(cluster.workers.values())
        await asyncio.gather(*(nanny.close(timeout=_PATIENCE) for nanny in nannies), return_exceptions=True)

    with suppress(TimeoutError):
        cluster.sync(close)  # type: ignore[no-untyped-call]
