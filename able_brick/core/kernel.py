"""Loops that are compiled to machine code, each when it is first called.

To load the compiler takes longer than to open a project, and a server that has just been started is asked for other
things first: so it is loaded with the first kernel that is called, and a kernel is made ready for it only then.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import update_wrapper
from typing import Any, Literal, ParamSpec, TypeVar, cast

P = ParamSpec("P")
R = TypeVar("R")


class Kernel:
    """A function over arrays and numbers, compiled at its first call for the kinds of what it is given.

    It lets other threads go on while it runs, and its machine code is kept on disk. It may be called from Python and
    from other kernels; `inline` puts it into those. Its body is what Numba compiles (https://numba.pydata.org).
    """

    _compiled: Any = None

    def __init__(self, function: Callable[..., Any], *, inline: bool = False) -> None:
        update_wrapper(self, function)
        self._function = function
        self._inline = inline

    def __call__(self, *args: Any) -> Any:
        return (self._compiled or self._ready())(*args)

    def _ready(self) -> Any:
        from numba import njit

        inline: Literal["always", "never"] = "always" if self._inline else "never"
        made = njit(cache=True, nogil=True, inline=inline)(self._function)
        # where several threads come at once, all go on with the one that was first: kernels are compiled for those they
        # call. No lock is held, as the compiler has its own
        return self.__dict__.setdefault("_compiled", made)

    def __getattr__(self, name: str) -> Any:
        """What the compiler asks of a kernel that another one calls, its type above all."""
        if name.startswith("__"):
            raise AttributeError(name)
        return getattr(self._compiled or self._ready(), name)


def kernel(function: Callable[P, R]) -> Callable[P, R]:
    """Compiles a function at its first call, as `Kernel` says."""
    return cast("Callable[P, R]", Kernel(function))


def inline_kernel(function: Callable[P, R]) -> Callable[P, R]:
    """The same for a small one that is called in the innermost loops of others."""
    return cast("Callable[P, R]", Kernel(function, inline=True))
