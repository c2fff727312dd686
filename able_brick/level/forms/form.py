"""What a form of array states: its settings, where items are, what can be pulled, and how it is moved and mirrored."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any, ClassVar, Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.place.pose import Vector, vector
from able_brick.core.place.repeats import Motions

Axis = Literal["x", "y", "z", "-x", "-y", "-z"]
_AXES: Final = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


def axis_vector(axis: str) -> tuple[float, float, float]:
    """Unit vector of `x` … `-z`."""
    x, y, z = _AXES[axis[-1]]
    return (-x, -y, -z) if axis[0] == "-" else (x, y, z)


@dataclass(frozen=True)
class Asked:
    """How a tool asks for a setting: the step of its field, and limits. Rows may be beyond these, where they were
    mirrored or sized."""

    step: float | None = None
    limits: dict[str, Any] = field(default_factory=dict)


def asked(*, step: float | None = None, **limits: float) -> Asked:
    """How a tool asks for a setting, with limits such as `ge` and `le`."""
    return Asked(step, limits)


def setting(default: Any, title: str, about: str, unit: str | None = None) -> Any:
    """A setting of a form, with what its card needs."""
    return Field(default, title=title, description=about, json_schema_extra=None if unit is None else {"unit": unit})


class End(BaseModel):
    """Something to pull at the end of an array: the setting that it changes, and where its tab is, metres.

    Pulled along a line from `base` in the direction `way`; or, where it is a `turn`, round `base` about `way`. With so
    many metres, or degrees, the setting grows by `gain` times that, from `value`; it goes in steps of `step`, and is at
    least `least`.
    """

    of: str
    words: str
    at: Vector
    base: Vector
    way: Vector
    turn: bool
    value: float
    gain: float
    least: float
    most: float
    step: float
    unit: str


def line_end(of: str, words: str, at: Floats, way: Floats, value: float, gain: float, **more: Any) -> End:
    """An end that is pulled along a line from the first item."""
    more = {"base": (0.0, 0.0, 0.0), "turn": False, **more}
    return End(of=of, words=words, at=vector(at), way=vector(way), value=value, gain=gain, **more)


#: How many items there are in a direction.
Count = Annotated[int, asked(ge=1, le=MOST_ITEMS)]


class Form(BaseModel):
    """Base of the forms of arrays. Everything is in the axes of what is repeated; the first item is the thing itself.

    A form is a subclass with its settings and the methods here; settings that several forms have are the same field.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    #: What it is called in files and requests, and in its card.
    form_name: ClassVar[str]
    #: It goes round a centre, which can be picked in the view.
    centred: ClassVar[bool] = False

    count: Count = setting(3, "Items", "How many items, the first included")

    @property
    def total(self) -> int:
        """How many items there are."""
        return self.count

    def motions(self, extent: Floats) -> Motions:
        """Where its items are, as the first one sees them, where one reaches over `extent` (3,). Raises
        GeometryError."""
        raise NotImplementedError

    def ends(self, extent: Floats, grid: float) -> list[End]:
        """What can be pulled, as the first item sees it; `grid` is the level's step, metres."""
        raise NotImplementedError

    def summary(self, extent: Floats) -> str:
        """What it came to, for the step's note. Raises GeometryError for settings that cannot be asked for."""
        raise NotImplementedError

    def scaled(self, own: Floats) -> dict[str, object]:
        """The settings that become larger, by factors (3,) along its own axes."""
        return {}

    def turned_over(self, across: int) -> dict[str, object]:
        """The settings that change where its axis number `across` is reversed."""
        return {}

    def with_centre(self, centre: Floats) -> dict[str, object]:
        """The settings that change for another centre (3,); nothing for a form without one."""
        return {}

    def pivot_moved(self, away: Floats) -> dict[str, object]:
        """The settings that change where the first item's pivot moves by −`away` (3,) and its mesh stays."""
        return {}

    def pivot_turned(self, swap: Floats) -> dict[str, object] | None:
        """The settings that change where the pivot is turned by quarters, a signed permutation (3,3); None where it
        cannot be."""
        return None
