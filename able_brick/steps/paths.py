"""Draw a path, and change its points."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from able_brick.level.field import field
from able_brick.level.rows import Path, Point
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool

Points = Annotated[tuple[Point, ...], Field(min_length=2, max_length=2000)]


class _PathSettings(Tool):
    verb = "Lay"
    stages = ("build",)
    icon = "spline"

    points: Points = field(..., "Points", "Points with their handles", widget="points")
    smooth: bool = field(True, "Smooth", "Points without handles are rounded; off leaves straight spans")
    closed: bool = field(False, "Closed", "The end joins the start")


def tell_path(draft: Draft, path: Path) -> None:
    """Length and smallest radius of a path, for the step's note."""
    curve = path.curve()
    radius = curve.smallest_radius
    sharp = bool((path.guide(upright=False).corner_turns > np.radians(1)).any())
    bend = "with corners" if sharp else f"smallest radius {radius:.2f} m" if radius < 1e4 else "straight"
    draft.note = f"{curve.length:.2f} m long, {bend}"


def drawn_path(draft: Draft, name: str, points: Points, *, smooth: bool, closed: bool) -> Path:
    """A new path of the level through some points."""
    path = Path(
        id=draft.new_id("path"),
        level=draft.level_id,
        name=draft.unique_name(name.strip() or "Path", "path"),
        points=points,
        smooth=smooth,
        closed=closed,
    )
    draft.put(path)
    return path


class DrawPath(_PathSettings):
    """A new path through given points."""

    tool: Literal["draw_path"] = "draw_path"
    title = "Draw path"
    about = "Sets points on the ground; a course can be laid along them"

    name: str = field("", "Name", "Name in the level list", max_length=80)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = drawn_path(draft, self.name, self.points, smooth=self.smooth, closed=self.closed)
        tell_path(draft, path)
        draft.select = (path.id,)


class EditPath(_PathSettings):
    """Other points for a path; its courses follow."""

    tool: Literal["edit_path"] = "edit_path"
    title = "Adjust path"
    about = "Moves points and handles; courses along the path follow"
    need = Need(kinds=("path",), least=1, most=1)
    prefill = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        for row in rows:
            if isinstance(row, Path):
                path = row.changed(points=self.points, smooth=self.smooth, closed=self.closed)
                tell_path(draft, path)
                draft.put(path)
