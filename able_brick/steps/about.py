"""The point about which a selection is turned, sized or spread, and the axes in which it is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final, Literal, TypeAlias

import numpy as np

from able_brick.core.errors import InputError, SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.place.pose import IDENTITY, ORIGIN, rotation, vector
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import AThing, Quaternion, Vector, kinds_of_things
from able_brick.steps.draft import Draft

#: Kinds that are moved, turned and docked: all but those that follow something else.
STANDING: Final = kinds_of_things(lambda thing: thing.stands)

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


def axes_of(draft: Draft, axes: AxesOf, thing: AThing, first: AThing, frame: Quaternion) -> Rotation:
    """The axes in which numbers count for a thing. Raises SelectionError where it is in no group."""
    match axes:
        case "world":
            return Rotation.identity()
        case "piece":
            return thing.own_axes
        case "first":
            return first.own_axes
        case "given":
            return rotation(unit(frame))
    over = draft.things.over(thing)
    if not over:
        raise SelectionError(f"{thing.name} is in no group; choose other axes.", received=thing.id)
    return over[0].own_axes


def unit(frame: Quaternion) -> Quaternion:
    """The frame as a unit quaternion; InputError where it is none."""
    size = float(np.linalg.norm(frame))
    if not 0.5 < size < 2:
        raise InputError("Those axes are not a rotation; pick them again.", field="frame")
    x, y, z, w = (float(v) / size for v in frame)
    return (x, y, z, w)


def centre_of(draft: Draft, things: Sequence[AThing], about: str, point: Vector, picked: FeatureAt | None) -> Vector:
    """The middle of the things' pivots, the pivot of the first, a picked feature, or a typed point, metres.

    Raises InputError when the feature is still to be picked.
    """
    match about:
        case "middle":
            return vector(np.mean([t.anchor for t in things], axis=0))
        case "first":
            return things[0].anchor
        case "picked":
            if picked is None:
                raise InputError("Nothing is picked yet: click a vertex, edge or face in the view.", field="picked")
            return vector(spot_of(draft.snapshot, draft.level_id, draft.load, picked).point)
        case _:
            return point
