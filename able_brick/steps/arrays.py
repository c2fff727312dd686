"""Live line arrays: make one of a placement, adjust one."""

from __future__ import annotations

from typing import ClassVar, Literal

from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import LineArray, Placement
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Stage, Tool


class _ArraySettings(Tool):
    verb: ClassVar[Literal["Copy"]] = "Copy"
    stages: ClassVar[tuple[Stage, ...]] = ("build",)
    icon: ClassVar[str] = "columns-3"

    count: int = field(3, "Items", "How many items, the first included", ge=1, le=MOST_ITEMS)
    axis: Literal["x", "y", "z", "-x", "-y", "-z"] = field("x", "Along", "The piece's own axis to go along")
    spacing_by: Literal["lengths", "metres"] = field(
        "lengths", "Spacing in", "Multiples of the piece's length, where 1 touches, or metres"
    )
    spacing: float = field(1.0, "Spacing", "From item to item", step=0.1, gt=0, le=100_000)

    def settings(self) -> dict[str, object]:
        return {
            "count": self.count,
            "axis": self.axis,
            "spacing_by": self.spacing_by,
            "spacing": self.spacing,
        }

    def tell(self, draft: Draft, array: LineArray) -> None:
        pitch = array.pitch(draft.piece(array.piece))
        items = counted(array.count, "item", "items")
        draft.note = f"{items}, {pitch:.2f} m apart, {pitch * (array.count - 1):.2f} m from first to last"


class LineArrayTool(_ArraySettings):
    """A live line array in place of a placement."""

    tool: Literal["line_array"] = "line_array"
    title: ClassVar[str] = "Line array"
    about: ClassVar[str] = "Repeats the placement in a line that stays adjustable"
    need: ClassVar[Need] = Need(kinds=("placement",), least=1, most=1)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        for row in rows:
            if isinstance(row, Placement):
                array = LineArray.model_validate(
                    {
                        **{k: v for k, v in dict(row).items() if k not in ("kind", "id", "name")},
                        **self.settings(),
                        "id": draft.new_id("array"),
                        "name": draft.unique_name(f"{row.name} row", "array"),
                    }
                )
                draft.remove(row)
                draft.put(array)
                draft.select = (array.id,)
                self.tell(draft, array)


class AdjustArray(_ArraySettings):
    """Other settings for an array."""

    tool: Literal["adjust_array"] = "adjust_array"
    title: ClassVar[str] = "Adjust array"
    about: ClassVar[str] = "Changes count and spacing of the array"
    need: ClassVar[Need] = Need(kinds=("array",), least=1, most=1)
    prefill: ClassVar[bool] = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        for row in rows:
            if isinstance(row, LineArray):
                array = row.changed(**self.settings())
                draft.put(array)
                self.tell(draft, array)
