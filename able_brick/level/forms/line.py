"""Items along one direction."""

from __future__ import annotations

from typing import Annotated, Final, Literal

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.place.repeats import Motions, grid
from able_brick.core.text import counted
from able_brick.level.forms.form import Axis, End, Form, asked, axis_vector, line_end, setting

#: Spacing from item to item as it is asked for.
Spacing = Annotated[float, asked(step=0.1, ge=-100_000, le=100_000)]
#: The number, the spacing and what both are called of each direction; and what its items are called in notes.
DIRECTIONS: Final = (
    ("count", "spacing", "Items", "Spacing", ""),
    ("rows", "row_spacing", "Rows", "Row spacing", "rows "),
    ("layers", "layer_spacing", "Layers", "Layer spacing", "layers "),
)


class Line(Form):
    """Items along one axis. Spacing is from item to item, in lengths of what is repeated or in metres, or, fitted, the
    length of the whole."""

    form_name = "line"

    axis: Axis = setting("x", "Along", "The piece's own axis to go along")
    spacing_by: Literal["lengths", "metres", "fitted"] = setting(
        "lengths",
        "Spacing in",
        "Multiples of the piece's length, where 1 touches; metres; or fitted into a length over all",
    )
    spacing: Annotated[float, asked(step=0.1, gt=0, le=100_000)] = setting(
        1.0, "Spacing", "From item to item, or over all"
    )

    @property
    def axes(self) -> tuple[str, ...]:
        """The axis of each direction."""
        return (self.axis,)

    @property
    def _ways(self) -> list[tuple[str, int, float]]:
        """The axis, the count and the spacing of each direction."""
        names = zip(self.axes, DIRECTIONS, strict=False)
        return [(axis, int(getattr(self, n[0])), float(getattr(self, n[1]))) for axis, n in names]

    def pitch(self, extent: Floats, axis: str, spacing: float, count: int) -> float:
        """Distance from item to item, metres, where one of them reaches over `extent` (3,)."""
        own = float(extent["xyz".index(axis[-1])])
        match self.spacing_by:
            case "metres":
                return spacing
            case "fitted":  # back, where the length is negative
                return float(np.copysign(abs(spacing) - own, spacing)) / (count - 1) if count > 1 else 0.0
            case _:
                return own * spacing

    def motions(self, extent: Floats) -> Motions:
        ways = self._ways
        steps = [np.asarray(axis_vector(a)) * self.pitch(extent, a, s, n) for a, n, s in ways]
        for (axis, count, _), step in zip(ways, steps, strict=True):
            if count > 1 and not float(np.abs(step).max()) > 1e-9:
                raise GeometryError(
                    f"Items would stand on one spot along {axis[-1].upper()}: there the spacing comes to 0 m. "
                    "Give it in metres, or another axis."
                )
        return grid([n for _, n, _ in ways], steps)

    def ends(self, extent: Floats, grid: float) -> list[End]:
        out: list[End] = []
        fitted = self.spacing_by == "fitted"
        by_lengths = self.spacing_by == "lengths"
        for (axis, count, spacing), (count_of, spacing_of, words, spacing_words, _) in zip(
            self._ways, DIRECTIONS, strict=False
        ):
            own = float(extent["xyz".index(axis[-1])])
            pitch = self.pitch(extent, axis, spacing, count)
            if fitted and count == 1:
                pitch = spacing - own
            if not abs(pitch) > 1e-9:
                pitch = own or grid
            way = np.asarray(axis_vector(axis)) * (1.0 if pitch > 0 else -1.0)
            pitch = abs(pitch)
            last = way * pitch * (count - 1)
            # half an item on from the last one, which one more would push on by one
            tab = last + way * pitch / 2
            # where the length stays, an own length pulled is one more in it
            gain = 1.0 / (max(own, grid) if fitted else pitch)
            out.append(line_end(count_of, words, tab, way, count, gain, least=1, most=MOST_ITEMS, step=1, unit=""))
            if count > 1:
                sign = 1.0 if spacing > 0 else -1.0
                gains = {"metres": 1.0 / (count - 1), "fitted": 1.0}
                gain = gains.get(self.spacing_by, 1.0 / (own * (count - 1)) if own else 0.0) * sign
                least = own + 1e-3 if fitted else 1e-3
                low, high = (least, 1e5) if sign > 0 else (-1e5, -least)
                title = "Length over all" if fitted else spacing_words
                step, unit = (0.05, "×") if by_lengths else (grid, "m")
                out.append(
                    line_end(spacing_of, title, last, way, spacing, gain, least=low, most=high, step=step, unit=unit)
                )
        return [end for end in out if end.gain]

    def summary(self, extent: Floats) -> str:
        parts = [counted(self.total, "item", "items")]
        for (axis, count, spacing), (_, spacing_of, _, _, word) in zip(self._ways, DIRECTIONS, strict=False):
            if count < 2:
                continue
            own = float(extent["xyz".index(axis[-1])])
            if self.spacing_by == "fitted" and abs(spacing) < own:
                raise GeometryError(
                    f"{abs(spacing):g} m over all is less than one of the items, which is {own:.2f} m long there. Give "
                    "that or more.",
                    field=spacing_of,
                    received=spacing,
                    allowed=own,
                )
            pitch = abs(self.pitch(extent, axis, spacing, count))
            parts.append(f"{word}{pitch:.2f} m apart, {pitch * (count - 1):.2f} m from first to last")
        return "; ".join(parts)

    def scaled(self, own: Floats) -> dict[str, object]:
        if self.spacing_by == "lengths":
            return {}
        ways = zip(self._ways, DIRECTIONS, strict=False)
        return {n[1]: spacing * float(own["xyz".index(axis[-1])]) for (axis, _, spacing), n in ways}

    def turned_over(self, across: int) -> dict[str, object]:
        if "xyz".index(self.axis[-1]) == across:
            return {"axis": self.axis[1:] if self.axis[0] == "-" else f"-{self.axis}"}
        return {}

    def pivot_turned(self, swap: Floats) -> dict[str, object] | None:
        along = swap.T @ np.asarray(axis_vector(self.axis))
        k = int(np.argmax(np.abs(along)))
        return {"axis": ("-" if along[k] < 0 else "") + "xyz"[k]}
