"""Live arrays: make one of a placement or of whatever is selected, adjust one, change single items."""

from __future__ import annotations

from typing import Any, Final, Literal

import numpy as np

from able_brick.core.errors import GeometryError, InputError, SelectionError
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.place.pose import Vector, rotation
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.repeats import extent_of
from able_brick.level.rows import Array, Group, Placement, Repeat, kinds_of_things
from able_brick.level.rows.array import Axis
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.groups import group_of
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops

_STRAIGHT: Final = ["line", "grid"]
_KINDS: Final = kinds_of_things()


def _count(default: int, title: str, about: str, **more: Any) -> Any:
    return field(default, title, about, ge=1, le=MOST_ITEMS, **more)


class _ArraySettings(Tool):
    verb = "Copy"
    stages = ("build",)
    icon = "columns-3"

    form: Literal["line", "grid", "ring"] = field("line", "Form", "In a line, in rows and layers, or round a centre")
    count: int = _count(3, "Items", "How many items, the first included")
    axis: Axis = field("x", "Along", "The piece's own axis to go along", when={"form": _STRAIGHT})
    spacing_by: Literal["lengths", "metres", "fitted"] = field(
        "lengths",
        "Spacing in",
        "Multiples of the piece's length, where 1 touches; metres; or fitted into a length over all",
        when={"form": _STRAIGHT},
    )
    spacing: float = field(
        1.0, "Spacing", "From item to item, or over all", step=0.1, gt=0, le=100_000, when={"form": _STRAIGHT}
    )
    rows: int = _count(1, "Rows", "How many rows beside one another", when={"form": ["grid"]})
    row_spacing: float = field(
        1.0, "Row spacing", "From row to row, or over all", step=0.1, ge=-100_000, le=100_000, when={"form": ["grid"]}
    )
    layers: int = _count(1, "Layers", "How many layers above one another", when={"form": ["grid"]})
    layer_spacing: float = field(
        1.0,
        "Layer spacing",
        "From layer to layer, or over all",
        step=0.1,
        ge=-100_000,
        le=100_000,
        when={"form": ["grid"]},
    )
    ring_about: Literal["x", "y", "z"] = field(
        "y", "About", "The piece's own axis that the ring goes about", when={"form": ["ring"]}
    )
    radius: float = field(
        4.0, "Radius", "From the centre to the items", unit="m", step=0.25, ge=0, le=100_000, when={"form": ["ring"]}
    )
    heading: float = field(
        0.0,
        "Centre toward",
        "Where the centre is, from the first item: an angle about the axis",
        unit="°",
        step=15,
        ge=-360,
        le=360,
        when={"form": ["ring"]},
    )
    centre_at: FeatureAt | None = field(
        None,
        "Centre at",
        "A vertex, edge or face that the ring goes round",
        widget="feature at",
        when={"form": ["ring"]},
    )
    sweep: float = field(
        360.0,
        "Sweep",
        "How much of the circle; 360 is all of it",
        unit="°",
        step=15,
        ge=-360,
        le=360,
        when={"form": ["ring"]},
    )
    turned: bool = field(True, "Turn items", "Items turn with the circle", when={"form": ["ring"]})

    def repeat(self, draft: Draft, position: Vector, turn: tuple[float, float, float, float]) -> Repeat:
        """The settings, for what stands somewhere."""
        own = Repeat.model_validate({k: v for k, v in dict(self).items() if k in Repeat.model_fields})
        if self.form == "ring" and self.centre_at is not None:
            point = spot_of(draft.snapshot, draft.level_id, draft.load, self.centre_at).point
            away = rotation(turn).inv().apply(np.subtract(point, position))
            own = Repeat.model_validate({**dict(own), **own.with_centre(away)})
        if self.sweep == 0 and self.form == "ring":
            raise InputError("A sweep of 0° has no room for more than one item; give an angle.", field="sweep")
        return own


#: What goes along each direction of a grid, and the field of its spacing.
_WORDS: Final = ("", "rows ", "layers ")
_FIELDS: Final = ("spacing", "row_spacing", "layer_spacing")


def _tell(draft: Draft, repeat: Repeat, extent: np.ndarray) -> None:
    items = counted(repeat.total, "item", "items")
    if repeat.form == "ring":
        round_ = "round the whole circle" if abs(repeat.sweep) == 360 else f"over {repeat.sweep:g}°"
        draft.note = f"{items} {round_}, radius {repeat.radius:.2f} m"
        return
    parts = [items]
    for word, name, (axis, count, spacing) in zip(_WORDS, _FIELDS, repeat.ways, strict=False):
        if count < 2:
            continue
        own = float(extent["xyz".index(axis[-1])])
        if repeat.spacing_by == "fitted" and abs(spacing) < own:
            raise GeometryError(
                f"{abs(spacing):g} m over all is less than one of the items, which is {own:.2f} m long there. Give "
                "that or more.",
                field=name,
                received=spacing,
                allowed=own,
            )
        pitch = abs(repeat.pitch(extent, axis, spacing, count))
        parts.append(f"{word}{pitch:.2f} m apart, {pitch * (count - 1):.2f} m from first to last")
    draft.note = "; ".join(parts)


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
            _tell(draft, array, array.extent(draft.piece(array.piece)))
            return
        group = row if len(things) == 1 and isinstance(row, Group) else group_of(draft, things, f"{row.name} row")
        if group.repeat is not None:
            raise SelectionError(f"{group.name} is an array already; adjust it, or group it first.", received=group.id)
        repeat = self.repeat(draft, group.position, group.turn)
        draft.put(group.changed(repeat=repeat))
        draft.select = (group.id,)
        _tell(draft, repeat, extent_of(group, draft.seen_with()))


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
            _tell(draft, array, array.extent(draft.piece(array.piece)))
        elif isinstance(row, Group):
            if row.repeat is None:
                raise SelectionError(f"{row.name} is not an array; make one of it first.", received=row.id)
            repeat = self.repeat(draft, row.position, row.turn)
            draft.put(row.changed(repeat=repeat))
            _tell(draft, repeat, extent_of(row, draft.seen_with()))


class EndArray(Tool):
    """Show what is in a group once again."""

    tool: Literal["end_array"] = "end_array"
    title = "Show once"
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
