"""The rows that a project is made of: one module for each kind, with all that is particular to it.

A new kind is its module, and its class in the unions here.
"""

from typing import Annotated

from pydantic import Field

from able_brick.level.rows.array import Array, OtherItem, Repeat
from able_brick.level.rows.base import Number, Quaternion, Row, Scaling, Thing, Vector, unsound
from able_brick.level.rows.course import Course, Other
from able_brick.level.rows.group import Group, Strewn
from able_brick.level.rows.ladder import Ladder, Rung, RungTarget, Seams
from able_brick.level.rows.level import LevelRow
from able_brick.level.rows.measure import Measure
from able_brick.level.rows.path import Path, Point
from able_brick.level.rows.piece import Dimensions, Facts, Piece, SlimOrigin, Surface
from able_brick.level.rows.placement import Placement, shifted
from able_brick.level.rows.shown import Batch, Look, Mirrored, Shown
from able_brick.level.rows.standing import Standing

AnyThing = Annotated[Placement | Array | Path | Course | Group | Measure, Field(discriminator="kind")]
AnyRow = Annotated[Piece | LevelRow | Placement | Array | Path | Course | Group | Measure, Field(discriminator="kind")]

__all__ = [
    "AnyRow",
    "AnyThing",
    "Array",
    "Batch",
    "Course",
    "Dimensions",
    "Facts",
    "Group",
    "Ladder",
    "LevelRow",
    "Look",
    "Measure",
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
    "Shown",
    "SlimOrigin",
    "Standing",
    "Strewn",
    "Surface",
    "Thing",
    "Vector",
    "shifted",
    "unsound",
]
