"""Levels and their settings."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from able_brick.level.rows.base import Row, Vector


class Stride(BaseModel):
    """How copies go on from one to the next: turned by a rotation vector (radians) about a point, each its own pivot
    where there is none, shifted by metres, sized by factors along their own axes."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    turn: Vector
    about: Vector | None
    shift: Vector
    factors: Vector


class LevelRow(Row):
    """A level and its settings, metres; `home` is where the view starts: the eye and what it looks at.

    `copied` are the last copy's source, or the copy before, and the copy: what one more goes on from. `stride` is how
    it goes on, where the copies were made by steps.
    """

    kind: Literal["level"] = "level"
    name: str
    step: float = 0.5
    module: float = 4.0
    turn_step: float = 15.0
    budget: int = 180_000
    home: tuple[Vector, Vector] | None = None
    copied: tuple[str, str] | None = None
    stride: Stride | None = None

    def needs(self) -> tuple[tuple[str, str], ...]:
        """It needs no other row."""
        return ()
