"""Workers that all batches share which do not try how workers begin and end."""

from __future__ import annotations

from collections.abc import Iterator

import pytest


@pytest.fixture(scope="session")
def shared_workers() -> Iterator[str]:
    """The address of a scheduler with one worker process."""
    from dask.distributed import LocalCluster

    with LocalCluster(  # type: ignore[no-untyped-call]
        n_workers=1,
        threads_per_worker=1,
        processes=True,
        dashboard_address=None,
        # at any port that is free: each process that runs tests has such workers
        scheduler_kwargs={"dashboard_address": "127.0.0.1:0"},
        host="127.0.0.1",
        silence_logs=50,
    ) as cluster:
        yield cluster.scheduler_address
