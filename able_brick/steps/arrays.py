"""Live arrays: make one of a placement or of whatever is selected, adjust one, change single items."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Final, Literal

import numpy as np
from pydantic import create_model

from able_brick.core.errors import SelectionError
from able_brick.core.place.pose import Vector, rotation
from able_brick.level.field import field
from able_brick.level.forms import FORMS, Asked, FormName
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.repeats import extent_of
from able_brick.level.rows import Array, Group, Placement, Repeat, kinds_of_things
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.groups import group_of
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops

_KINDS: Final = kinds_of_things()


def _fields() -> dict[str, tuple[Any, Any]]:
    """The settings of all forms as fields of a tool: each shown for the forms that have it."""
    form = Repeat.model_fields["form"]
    out: dict[str, tuple[Any, Any]] = {"form": (FormName, field("line", form.title or "", form.description or ""))}
    for kind in FORMS.values():
        for name, info in kind.model_fields.items():
            having = [other for other, k in FORMS.items() if name in k.model_fields]
            how = next((m for m in info.metadata if isinstance(m, Asked)), Asked())
            extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
            unit = extra.get("unit")
            out.setdefault(
                name,
                (
                    info.annotation,
                    field(
                        info.default,
                        info.title or name,
                        info.description or "",
                        unit=unit if isinstance(unit, str) else None,
                        step=how.step,
                        when=None if len(having) == len(FORMS) else {"form": having},
                        **how.limits,
                    ),
                ),
            )
    return out


_CENTRED: Final = [name for name, kind in FORMS.items() if kind.centred]
if TYPE_CHECKING:
    _Settings = Tool
else:
    _Settings = create_model("_Settings", __base__=Tool, __module__=__name__, **_fields())


class _ArraySettings(_Settings):
    verb = "Copy"
    stages = ("build",)
    icon = "columns-3"

    centre_at: FeatureAt | None = field(
        None,
        "Centre at",
        "A vertex, edge or face that it goes round",
        widget="feature at",
        when={"form": _CENTRED},
    )

    def repeat(self, draft: Draft, position: Vector, turn: tuple[float, float, float, float]) -> Repeat:
        """The settings, for what stands somewhere."""
        own = Repeat.model_validate({k: v for k, v in dict(self).items() if k in Repeat.model_fields})
        if FORMS[own.form].centred and self.centre_at is not None:
            point = spot_of(draft.snapshot, draft.level_id, draft.load, self.centre_at).point
            away = rotation(turn).inv().apply(np.subtract(point, position))
            own = Repeat.model_validate({**dict(own), **own.with_centre(away)})
        return own


class LineArrayTool(_ArraySettings):
    """A live array in place of a placement, or of all that is selected."""

    tool: Literal["line_array"] = "line_array"
    title = "Array"
    about = "Repeats the selection in a line, a grid or a ring that stays adjustable"
    need = Need(kinds=_KINDS, least=1)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        row = things[0]
        if len(things) == 1 and isinstance(row, Placement):
            repeat = self.repeat(draft, row.position, row.turn)
            array = Array.model_validate(
                {
                    **{k: v for k, v in dict(row).items() if k not in ("kind", "id", "name")},
                    **dict(repeat),
                    "id": draft.new_id("array"),
                    "name": draft.unique_name(f"{row.name} row", "array"),
                }
            )
            draft.remove(row)
            draft.put(array)
            draft.select = (array.id,)
            draft.note = array.summary(array.extent(draft.piece(array.piece)))
            return
        group = row if len(things) == 1 and isinstance(row, Group) else group_of(draft, things, f"{row.name} row")
        if group.repeat is not None:
            raise SelectionError(f"{group.name} is an array already; adjust it, or group it first.", received=group.id)
        repeat = self.repeat(draft, group.position, group.turn)
        draft.put(group.changed(repeat=repeat))
        draft.select = (group.id,)
        draft.note = repeat.summary(extent_of(group, draft.seen_with()))


class AdjustArray(_ArraySettings):
    """Other settings for an array."""

    tool: Literal["adjust_array"] = "adjust_array"
    title = "Adjust array"
    about = "Changes form, count and spacing of the array"
    need = Need(kinds=("array", "group"), least=1, most=1, having=("repeat",))
    prefill = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        row = rows[0]
        if isinstance(row, Array):
            array = row.changed(**dict(self.repeat(draft, row.position, row.turn)))
            draft.put(array)
            draft.note = array.summary(array.extent(draft.piece(array.piece)))
        elif isinstance(row, Group):
            if row.repeat is None:
                raise SelectionError(f"{row.name} is not an array; make one of it first.", received=row.id)
            repeat = self.repeat(draft, row.position, row.turn)
            draft.put(row.changed(repeat=repeat))
            draft.note = repeat.summary(extent_of(row, draft.seen_with()))


class EndArray(Tool):
    """Show what is in a group once again."""

    tool: Literal["end_array"] = "end_array"
    title = "Stop repeating"
    about = "The group is no array and no live mirror any more; what is in it stays"
    verb = "Copy"
    stages = ("build",)
    need = Need(kinds=("group",), least=1, having=("repeat", "mirror"))
    icon = "square"
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        repeating = [r for r in rows if isinstance(r, Group) and (r.repeat is not None or r.mirror is not None)]
        if not repeating:
            raise SelectionError(f"{rows[0].name} is shown once already.", received=rows[0].id)
        for row in repeating:
            draft.put(row.changed(repeat=None, mirror=None, left_out=()))
