"""The point about which a selection is turned, sized or spread, and the axes in which it is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, TypeAlias

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.errors import InputError, SelectionError
from able_brick.core.place.pose import IDENTITY, ORIGIN, rotation, vector
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import Course, Measure, Path, Quaternion, Vector
from able_brick.level.snapshot import AThing
from able_brick.steps.draft import Draft

#: Kinds that stand somewhere: what moves, turns and docks.
#: All but the courses, which follow their paths.
STANDING: tuple[Literal["placement", "array", "path", "group", "measure"], ...] = (
    "placement",
    "array",
    "path",
    "group",
    "measure",
)

AxesOf: TypeAlias = Literal["world", "piece", "first", "group", "given"]
About: TypeAlias = Literal["own pivot", "middle", "first", "picked", "point"]


def axes_field(default: AxesOf = "world") -> Any:
    """The axes in which a tool's numbers count."""
    return field(
        default,
        "Axes",
        "The world's axes, each thing's own, those of what was selected first, those of the group that it is in, or a "
        "given frame",
    )


def frame_field() -> Any:
    """Axes that are given, as a quaternion."""
    return field(IDENTITY, "Frame", "The given axes", widget="none")


def about_field() -> Any:
    """What a tool turns or sizes about."""
    return field(
        "own pivot",
        "About",
        "Each its own pivot, the middle of all pivots, the pivot of what was selected first, a feature picked in the "
        "view, or a typed point",
    )


def picked_field(does: str) -> Any:
    """A feature of anything in the view; `does` says what it is for."""
    text = f"The vertex, edge, face or pivot {does}"
    return field(None, "Picked", text, widget="feature at", when={"about_what": ["picked"]})


def point_field(does: str) -> Any:
    """A point of the world; `does` says what it is for."""
    return field(ORIGIN, "Point", f"The point {does}", unit="m", widget="position", when={"about_what": ["point"]})


def anchor(thing: AThing) -> Vector:
    """The pivot of a thing; the middle of the points of a path, metres."""
    if isinstance(thing, Path):
        return vector(np.mean([p.position for p in thing.points], axis=0))
    if isinstance(thing, Measure):
        return thing.start
    return (0.0, 0.0, 0.0) if isinstance(thing, Course) else thing.position


def own_axes(thing: AThing) -> Rotation:
    """The axes of a thing as it stands; the world's for paths."""
    return Rotation.identity() if isinstance(thing, (Path, Course, Measure)) else rotation(thing.turn)


def axes_of(draft: Draft, axes: AxesOf, thing: AThing, first: AThing, frame: Quaternion) -> Rotation:
    """The axes in which numbers count for a thing. Raises SelectionError where it is in no group."""
    match axes:
        case "world":
            return Rotation.identity()
        case "piece":
            return own_axes(thing)
        case "first":
            return own_axes(first)
        case "given":
            return rotation(unit(frame))
    over = draft.things.over(thing)
    if not over:
        raise SelectionError(f"{thing.name} is in no group; choose other axes.", received=thing.id)
    return own_axes(over[0])


def unit(frame: Quaternion) -> Quaternion:
    """The frame as a unit quaternion; InputError where it is none."""
    size = float(np.linalg.norm(frame))
    if not 0.5 < size < 2:
        raise InputError("The axes are no turn; pick them again.", field="frame")
    x, y, z, w = (float(v) / size for v in frame)
    return (x, y, z, w)


def centre_of(draft: Draft, things: Sequence[AThing], about: str, point: Vector, picked: FeatureAt | None) -> Vector:
    """The middle of the things' pivots, the pivot of the first, a picked feature, or a typed point, metres.

    Raises InputError when the feature is still to be picked.
    """
    match about:
        case "middle":
            return vector(np.mean([anchor(t) for t in things], axis=0))
        case "first":
            return anchor(things[0])
        case "picked":
            if picked is None:
                raise InputError("Nothing is picked yet: click a vertex, edge or face in the view.", field="picked")
            return vector(spot_of(draft.snapshot, draft.level_id, draft.load, picked).point)
        case _:
            return point
