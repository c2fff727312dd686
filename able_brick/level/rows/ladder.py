"""Rungs of a piece: the same form with fewer triangles."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from able_brick.core.place.pose import Vector
from able_brick.core.slim.ladder import Target

#: Rungs that a ladder may have.
MOST_RUNGS = 12
Side = Literal["-x", "+x", "-y", "+y", "-z", "+z"]


class RungTarget(BaseModel):
    """What a rung is for: a share of the triangles in per cent, a number of them, a largest deviation in millimetres,
    or a number of pixels at a distance in metres. `go_on`: made from the rung before it, and not from the piece."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    kind: Literal["share", "count", "deviation", "pixels"] = "share"
    value: Annotated[float, Field(gt=0, le=1e9)] = 50.0
    distance: Annotated[float, Field(gt=0, le=1e6)] = 10.0
    go_on: bool = False

    def meant(self) -> Target:
        """In metres and shares of 1."""
        by = {"share": 0.01, "deviation": 0.001}.get(self.kind, 1.0)
        return Target(
            self.kind,
            min(self.value, 100.0) * by if self.kind == "share" else self.value * by,
            self.distance,
            self.go_on,
        )


class Seams(BaseModel):
    """Which vertices stay exactly where they are: those where neighbours meet, open borders, sides of the box."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    found: bool = True
    sides: tuple[Side, ...] = ()


class Rung(BaseModel):
    """A rung as it was made: its mesh, and what it costs, in metres of the world for the size of its ladder.

    `largest` is what nothing is farther than, where it is `proven`, and else an estimate; `met` is the largest distance
    that some point is known to have. `good_from` is from where it shows by less than a pixel. `brought` is the name of
    the piece that it was, where it was not made from this one.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    target: RungTarget
    mesh: str
    triangles: int
    hardware_vertices: int
    largest: float
    rms: float
    good_from: float
    reached: bool = True
    brought: str = ""
    proven: bool = False
    met: float = 0.0


class Ladder(BaseModel):
    """The rungs of a piece, and the mesh that they were made from: they are stale where the piece has another now.
    `size` is the largest, along the axes of the pivot, in which the piece stood: what is reported of rungs is meant so.
    With `outline` the outline was held before the rest."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    source: str
    rungs: tuple[Rung, ...]
    seams: Seams = Seams()
    kept: int = 0
    recipe: str = ""
    size: Vector = (1.0, 1.0, 1.0)
    outline: bool = False

    @property
    def meshes(self) -> set[str]:
        return {self.source, *(r.mesh for r in self.rungs)}
