"""How the C library hands out memory in a program that serves for days."""

from __future__ import annotations

import ctypes

#: `M_ARENA_MAX` of glibc's <malloc.h>.
_ARENA_MAX = -8


def limit_arenas(most: int = 2) -> bool:
    """Share `most` heaps among all threads from now on; whether the C library knows of that (glibc does).

    By default glibc gives each thread that comes a heap of its own, up to eight per processor, and what a short-lived
    thread has freed in one is of no use to another: memory creeps up with every import although no object stays.
    """
    try:
        return bool(ctypes.CDLL(None).mallopt(_ARENA_MAX, most))
    except (OSError, AttributeError, TypeError):
        return False
