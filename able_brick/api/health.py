"""How the server is, for whoever runs it."""

from __future__ import annotations

import sys
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Final

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

import able_brick
from able_brick.api.current_project import CurrentProject
from able_brick.core.cache import BUDGET
from able_brick.store.backups import backups_of

router = APIRouter(prefix="/api")
_BEGUN: Final = time.monotonic()


class Health(BaseModel):
    """Seconds since the start; bytes of memory that the process takes, and of what is kept in it to be quick, with how
    many those may be; threads; what is being worked on, read and waiting; tabs that listen; and of the open project its
    key, whether it can be written to, and when it was backed up last, seconds since 1970."""

    version: str
    uptime: float
    memory: int | None
    kept: int
    most_kept: int
    threads: int
    working: int
    imports: int
    tabs: int
    project: str
    writable: bool
    last_backup: float | None
    backup_trouble: str | None


async def _opened(request: Request) -> CurrentProject:
    found: CurrentProject = request.app.state.current
    return found


@router.get("/health")
def health(it: Annotated[CurrentProject, Depends(_opened)]) -> Health:
    """How the server is. Answers at once."""
    here = it.now
    newest = next(iter(backups_of(here.project.id)), None)
    return Health(
        version=able_brick.__version__,
        uptime=round(time.monotonic() - _BEGUN, 1),
        memory=_memory(),
        kept=BUDGET.bytes,
        most_kept=BUDGET.most,
        threads=threading.active_count(),
        working=len(here.running),
        imports=here.imports.count,
        tabs=here.hub.count,
        project=here.key,
        writable=here.project.read_only is None,
        last_backup=None if newest is None else newest.made,
        backup_trouble=here.project.backups.trouble,
    )


def _memory() -> int | None:
    """Bytes of memory that the process has now; the most that it had where the system does not tell."""
    with suppress(OSError, ValueError, IndexError, ImportError):
        import resource

        if sys.platform == "linux":
            return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()
        most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        return most if sys.platform == "darwin" else most * 1024
    return None
