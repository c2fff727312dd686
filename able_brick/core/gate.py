"""Whether new work may begin: none does while a project is being closed."""

from __future__ import annotations

from able_brick.core.errors import ClosedError


class Gate:
    """Open, or shut because what it leads to is being closed. Its owner holds a lock."""

    def __init__(self) -> None:
        self._shut = False

    def check(self) -> None:
        """ClosedError while it is shut."""
        if self._shut:
            raise ClosedError("The project is being closed; nothing new is begun in it.")

    def shut_if(self, running: list[str]) -> list[str]:
        """Shut it where nothing is running; else open it, and tell what is."""
        self._shut = not running
        return running

    def set(self, *, shut: bool) -> None:
        """Shut or open it."""
        self._shut = shut
