"""The rows that a project is made of: one module for each kind, with all that is particular to it.

A new kind of thing is its module, and its class in `AThing`: everything else asks what a kind can do.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING, Annotated, Final, Literal, TypeAlias, get_args

from pydantic import Field

from able_brick.level.forms import Repeat
from able_brick.level.rows.array import Array, OtherItem
from able_brick.level.rows.base import Number, Quaternion, Row, Scaling, Thing, Vector, unsound
from able_brick.level.rows.course import Course, Other
from able_brick.level.rows.group import Group, Strewn
from able_brick.level.rows.instances import Drawable, InstanceBatch, Instances, Mirrored
from able_brick.level.rows.ladder import Ladder, Rung, RungTarget, Seams
from able_brick.level.rows.level import LevelRow
from able_brick.level.rows.measure import Measure
from able_brick.level.rows.path import Path, Point
from able_brick.level.rows.piece import Dimensions, Facts, Finish, MirrorPlane, Piece, SlimOrigin, Surface
from able_brick.level.rows.placement import Placement, shifted
from able_brick.level.rows.standing import Standing

#: What stands in a level: every kind, once.
AThing: TypeAlias = Placement | Array | Path | Course | Group | Measure
#: What shows pieces.
AShown: TypeAlias = Placement | Array | Course
AnyThing = Annotated[AThing, Field(discriminator="kind")]
AnyRow = Annotated[Piece | LevelRow | AThing, Field(discriminator="kind")]
THINGS: Final[tuple[type[AThing], ...]] = get_args(AThing)


def _kind(row: type[Piece] | type[AThing]) -> str:
    return str(row.model_fields["kind"].default)


#: What each kind that can be selected is called, with its article.
KIND_WORDS: Final = {_kind(row): row.words for row in (Piece, *THINGS)}
if TYPE_CHECKING:
    Kind: TypeAlias = str
else:
    Kind = Literal[tuple(KIND_WORDS)]


def kinds_of_things(able: Callable[[type[AThing]], bool] = lambda _: True) -> tuple[Kind, ...]:
    """The kinds of things that are able to do something, in their order; all of them by default."""
    return tuple(_kind(thing) for thing in THINGS if able(thing))


__all__ = [
    "KIND_WORDS",
    "THINGS",
    "AShown",
    "AThing",
    "AnyRow",
    "AnyThing",
    "Array",
    "Course",
    "Dimensions",
    "Drawable",
    "Facts",
    "Finish",
    "Group",
    "InstanceBatch",
    "Instances",
    "Kind",
    "Ladder",
    "LevelRow",
    "Measure",
    "MirrorPlane",
    "Mirrored",
    "Number",
    "Other",
    "OtherItem",
    "Path",
    "Piece",
    "Placement",
    "Point",
    "Quaternion",
    "Repeat",
    "Row",
    "Rung",
    "RungTarget",
    "Scaling",
    "Seams",
    "SlimOrigin",
    "Standing",
    "Strewn",
    "Surface",
    "Thing",
    "Vector",
    "kinds_of_things",
    "shifted",
    "unsound",
]
