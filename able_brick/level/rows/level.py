"""Levels and their settings."""

from __future__ import annotations

from typing import Literal

from able_brick.level.rows.base import Row, Vector


class LevelRow(Row):
    """A level and its settings, metres; `home` is where the view starts: the eye and what it looks at.

    `copied` are the last copy's source, or the copy before, and the copy: what one more goes on from.
    """

    kind: Literal["level"] = "level"
    name: str
    step: float = 0.5
    module: float = 4.0
    turn_step: float = 15.0
    budget: int = 180_000
    home: tuple[Vector, Vector] | None = None
    copied: tuple[str, str] | None = None

    def needs(self) -> tuple[tuple[str, str], ...]:
        """It needs no other row."""
        return ()
