"""Items in rows and layers."""

from __future__ import annotations

from typing import Final

from able_brick.core.mesh.polymesh import Floats
from able_brick.level.forms.form import Count, setting
from able_brick.level.forms.line import DIRECTIONS, Line, Spacing

#: Beside the axis that an array goes along: those of its rows and its layers.
_ACROSS: Final = {"x": ("z", "y"), "y": ("x", "z"), "z": ("x", "y")}


class Grid(Line):
    """Items along one axis, in rows beside and layers above one another."""

    form_name = "grid"

    rows: Count = setting(1, "Rows", "How many rows beside one another")
    row_spacing: Spacing = setting(1.0, "Row spacing", "From row to row, or over all")
    layers: Count = setting(1, "Layers", "How many layers above one another")
    layer_spacing: Spacing = setting(1.0, "Layer spacing", "From layer to layer, or over all")

    @property
    def axes(self) -> tuple[str, ...]:
        return (self.axis, *_ACROSS[self.axis[-1]])

    @property
    def total(self) -> int:
        return self.count * self.rows * self.layers

    def turned_over(self, across: int) -> dict[str, object]:
        out = super().turned_over(across)
        for axis, (_, spacing, *_) in list(zip(self.axes, DIRECTIONS, strict=True))[1:]:
            if "xyz"[across] == axis:
                out[spacing] = -getattr(self, spacing)
        return out

    def pivot_turned(self, swap: Floats) -> dict[str, object] | None:
        return None  # its rows and layers would have to change places
