"""Delete, rename, level settings."""

from __future__ import annotations

from typing import Final, Literal

from able_brick.core.errors import InputError, SelectionError
from able_brick.level.field import field
from able_brick.level.rows import AThing, Course, Path, Piece, Vector, kinds_of_things
from able_brick.level.snapshot import ARow
from able_brick.steps.checks import named
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import drop_empty, everything

_EVERYTHING: Final = ("piece", *kinds_of_things())


class Delete(Tool):
    """Remove what is selected."""

    tool: Literal["delete"] = "delete"
    title = "Delete"
    about = "Deletes the selection: a path with its courses, a group with all in it, a piece only when it is unused"
    verb = "Keep"
    stages = ("kit", "build")
    need = Need(kinds=_EVERYTHING, least=1)
    key = "Del"
    icon = "trash-2"
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = everything(draft, rows)
        going = {r.id for r in (*rows, *things)}
        for row in rows:
            if isinstance(row, Piece):
                users = [u for u in draft.users(row.id) if u.id not in going]
                if users:
                    often = "once" if len(users) == 1 else f"{len(users)} times"
                    raise SelectionError(
                        f"{row.name} is used {often} ({named(draft.snapshot, draft.level_id, users)}); "
                        "delete those first.",
                        users=[u.id for u in users[:100]],
                    )
                draft.remove(row)
        removed = list(things)
        for thing in things:
            if isinstance(thing, Path):
                removed += [c for c in draft.things.courses(thing.id) if c.id not in going]
        for thing in removed:
            draft.remove(thing)
        for thing in removed:
            if isinstance(thing, Course):
                free_joints(draft, thing)
        drop_empty(draft, (t.group for t in removed))
        draft.select = ()


def free_joints(draft: Draft, course: AThing) -> None:
    """Have courses that share the joints of one that goes make their own."""
    if isinstance(course, Course):
        for other in draft.things.courses(course.path):
            now = draft.thing(other.id)
            if isinstance(now, Course) and now.stations == course.id:
                draft.put(now.changed(stations=None))


class Rename(Tool):
    """Another name for one thing."""

    tool: Literal["rename"] = "rename"
    title = "Rename"
    about = "Gives the selected thing another name"
    verb = "Keep"
    stages = ("kit", "build")
    need = Need(kinds=_EVERYTHING, least=1, most=1)
    icon = "pencil"
    prefill = True

    name: str = field("", "Name", "The new name", max_length=80)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        name = self.name.strip()
        if not name:
            raise InputError("The name is empty; type one.", field="name")
        row = rows[0]
        draft.put(row.changed(name=name))


class LevelSettings(Tool):
    """Name, grid and budget of the level; what is left out stays."""

    tool: Literal["level_settings"] = "level_settings"
    title = "Level settings"
    about = "Snap step, module size and triangle budget of the level"
    verb = "Keep"
    stages = ("kit", "build", "ship")
    icon = "settings-2"
    leads = ()
    prefill = True

    name: str | None = field(None, "Name", "Name of the level", min_length=1, max_length=80)
    step: float | None = field(
        None, "Snap step", "Distance between grid points", unit="m", step=0.25, ge=0.001, le=1000
    )
    module: float | None = field(
        None, "Module", "The size that most pieces have; drawn bold", unit="m", step=1, ge=0.01, le=10_000
    )
    turn_step: float | None = field(None, "Turn step", "Angles snap to this", unit="°", step=5, ge=0.1, le=180)
    budget: int | None = field(
        None, "Budget", "Triangles that a view of the level may cost", step=10_000, ge=1, le=2_000_000_000
    )

    home: tuple[Vector, Vector] | None = field(
        None, "Home view", "Where the view starts: the eye and what it looks at", widget="none"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        new = {k: v for k, v in dict(self).items() if k != "tool" and v is not None}
        draft.put(draft.level.changed(**new))
