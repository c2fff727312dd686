"""Forms of arrays, one module each. A new form is its module, and its class in `FORMS` and among the bases of
`Repeat`."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Final, Literal

from pydantic import Field

from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.repeats import Motions
from able_brick.level.forms.form import Asked, Axis, End, Form, axis_vector
from able_brick.level.forms.grid import Grid
from able_brick.level.forms.line import Line
from able_brick.level.forms.ring import Ring

FORMS: Final[dict[str, type[Form]]] = {form.form_name: form for form in (Line, Grid, Ring)}
if TYPE_CHECKING:
    FormName = str
else:
    FormName = Literal[tuple(FORMS)]

__all__ = ["FORMS", "Asked", "Axis", "End", "Form", "FormName", "Repeat", "axis_vector"]


class Repeat(Grid, Ring):
    """How something is repeated, in its own axes; the first item is the thing itself. It holds the settings of all
    forms, of which only those of its own `form` count."""

    form: FormName = Field("line", title="Form", description="In a line, in rows and layers, or round a centre")

    @property
    def shape(self) -> Form:
        """It as its form."""
        return self._as(FORMS[self.form])

    def _as(self, kind: type[Form]) -> Form:
        return kind.model_construct(**{name: getattr(self, name) for name in kind.model_fields})

    def repeat(self) -> dict[str, object]:
        """Its settings by name."""
        return {name: getattr(self, name) for name in Repeat.model_fields}

    @property
    def total(self) -> int:
        return self.shape.total

    def motions(self, extent: Floats) -> Motions:
        return self.shape.motions(extent)

    def ends(self, extent: Floats, grid: float) -> list[End]:
        return self.shape.ends(extent, grid)

    def summary(self, extent: Floats) -> str:
        return self.shape.summary(extent)

    def scaled(self, own: Floats) -> dict[str, object]:
        return self._of_all(lambda form: form.scaled(own))

    def turned_over(self, across: int) -> dict[str, object]:
        return self._of_all(lambda form: form.turned_over(across))

    def _of_all(self, changed: Callable[[Form], dict[str, object]]) -> dict[str, object]:
        """The settings of all forms go along, so that another form that is chosen later is as large; those of its own
        form win."""
        out: dict[str, object] = {}
        for kind in (*FORMS.values(), FORMS[self.form]):
            out |= changed(self._as(kind))
        return out

    def with_centre(self, centre: Floats) -> dict[str, object]:
        return self.shape.with_centre(centre)

    def pivot_moved(self, away: Floats) -> dict[str, object]:
        return self.shape.pivot_moved(away)

    def pivot_turned(self, swap: Floats) -> dict[str, object] | None:
        return self.shape.pivot_turned(swap)
