"""What one process may take while it reads a file of unknown quality; a system that has no such limit sets none."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Final

#: Bytes that reading may take beside what the process has taken to start; more for files that are large themselves.
MEMORY: Final = 2 * 2**30
MOST_MEMORY: Final = 8 * 2**30
LARGE_FILE: Final = 200 * 10**6
CPU_SECONDS: Final = 150
FILE_BYTES: Final = 4 * 2**30


def memory_for(size: int) -> int:
    """Bytes that reading a file of so many bytes may take."""
    return MOST_MEMORY if size > LARGE_FILE else MEMORY


def address_space(more: int) -> int:
    """Bytes of address space for a process that may take so many more from now on."""
    return _taken() + more


def _taken() -> int:
    """Bytes of address space that the process has already."""
    import resource

    try:
        return int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    except (OSError, ValueError, IndexError):  # not everywhere
        return 2 * 2**30


def limit(name: str, most: int, *, for_good: bool = True) -> None:
    """Limit this process: `name` as the system calls it, such as RLIMIT_AS. Where the system has no such limit, or does
    not let it be set, there is none. With `for_good` it cannot be raised again."""
    with suppress(ImportError, AttributeError, OSError, ValueError):
        import resource

        kind = getattr(resource, name)
        hard = resource.getrlimit(kind)[1]
        top = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(kind, (top, top if for_good else hard))


@contextmanager
def limited(more: int) -> Iterator[None]:
    """Within, the process takes no more than so many bytes beside what it has taken: MemoryError else."""
    if sys.platform != "linux":  # elsewhere it is not kept to, or not known what is taken already
        yield
        return
    import resource

    before = resource.getrlimit(resource.RLIMIT_AS)
    limit("RLIMIT_AS", address_space(more), for_good=False)
    try:
        yield
    finally:
        with suppress(OSError, ValueError):
            resource.setrlimit(resource.RLIMIT_AS, before)
