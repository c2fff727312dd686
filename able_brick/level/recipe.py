"""Settings for slimming under a name, that suit any piece."""

from __future__ import annotations

from typing import Annotated, Any, Final

from pydantic import BaseModel, ConfigDict, Field, model_validator

from able_brick.level.formats import recipe_chain
from able_brick.level.rows.ladder import MOST_RUNGS, RungTarget, Side

_STEPS: Final = {
    "Within arm's reach": (2.0, 4.0, 8.0, 16.0),
    "Across the yard": (8.0, 16.0, 32.0),
    "Over the water": (32.0, 64.0, 128.0),
}


class Recipe(BaseModel):
    """A ladder as it is to be made: what each rung is for, and what is kept. `format` is the version in which it was
    written; one of an earlier version is read as one of this."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        allow_inf_nan=False,
        json_schema_extra={
            "examples": [{"name": "Halves", "rungs": [{"kind": "share", "value": 50}, {"kind": "share", "value": 25}]}]
        },
    )

    name: Annotated[str, Field(min_length=1, max_length=80)]
    rungs: Annotated[tuple[RungTarget, ...], Field(min_length=1, max_length=MOST_RUNGS)]
    keep_seams: bool = True
    outline: bool = False
    sides: Annotated[tuple[Side, ...], Field(max_length=6)] = ()
    format: int = Field(default_factory=lambda: recipe_chain().version)

    @model_validator(mode="before")
    @classmethod
    def _upgraded(cls, value: Any) -> Any:
        if not isinstance(value, dict) or "format" not in value:
            return value
        form = value["format"]
        if not isinstance(form, int) or isinstance(form, bool):
            return value
        return {**recipe_chain().upgraded({k: v for k, v in value.items() if k != "format"}, form)}


#: Those that ship with the app: one pixel of error from several distances on.
SHIPPED: Final = tuple(
    Recipe(name=name, rungs=tuple(RungTarget(kind="pixels", value=1.0, distance=d) for d in distances))
    for name, distances in _STEPS.items()
)
