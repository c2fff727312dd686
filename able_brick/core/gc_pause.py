"""When the collector of cyclic garbage runs."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def gc_paused() -> Iterator[None]:
    """Without looking for cyclic garbage meanwhile: where very many objects are made that stay, that takes most of the
    time. What another thread has switched off stays as that wants it."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def keep_what_stands() -> None:
    """Look at what is there now no more, and less often at what comes: a program that serves holds most of it for as
    long as it runs."""
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)
    gc.enable()
