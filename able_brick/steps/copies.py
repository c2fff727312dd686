"""Copies by steps: each one further by an offset, a turn and a size; and the last one once more."""

from __future__ import annotations

from typing import Final, Literal

import numpy as np

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.place.dock import Motion
from able_brick.core.place.pivots import permutation
from able_brick.core.place.pose import vector
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import AThing, Quaternion, Scaling, Standing, Vector
from able_brick.level.rows.level import Stride
from able_brick.level.snapshot import ARow
from able_brick.steps.about import (
    STANDING,
    About,
    AxesOf,
    axes_field,
    axes_of,
    centre_of,
    frame_field,
    picked_field,
    point_field,
)
from able_brick.steps.copying import Copier, check_copies, linked_field
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops

_LEAST_SIZE: Final = 1e-4


class SteppedCopies(Tool):
    """Copies that each differ from the one before by the same offset, turn and size."""

    tool: Literal["stepped_copies"] = "stepped_copies"
    title = "Stepped copies"
    about = "Copies that each go the same step further: up and round for a spiral stair"
    verb = "Copy"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    key = "Shift+O"
    icon = "copy-plus"

    count: int = field(5, "Copies", "How many copies", ge=1, le=MOST_ITEMS)
    offset: Vector = field((0.0, 0.0, 0.0), "Offset", "From one copy to the next, along the axes", unit="m", step=0.1)
    turn: Vector = field(
        (0.0, 0.0, 0.0),
        "Turn vector",
        "From one copy to the next: one turn about the line that the three numbers point along, by their length",
        unit="°",
        step=5,
    )
    size: Vector = field((1.0, 1.0, 1.0), "Size", "From one copy to the next, along each copy's own axes", step=0.05)
    about_what: About = field(
        "own pivot",
        "About",
        "What the copies turn about: each its own pivot, the middle of all pivots, the pivot of what was selected "
        "first, a feature picked in the view, or a typed point",
    )
    picked: FeatureAt | None = picked_field("to turn about")
    point: Vector = point_field("to turn about")
    axes: AxesOf = axes_field()
    frame: Quaternion = frame_field()
    linked: bool = linked_field()

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        check_copies(draft, things, self.count)
        if min(self.size) < _LEAST_SIZE:
            raise GeometryError("A size step of 0 would flatten the copies; give factors above 0.", field="size")
        if not any(self.offset) and not any(self.turn) and self.size == (1.0, 1.0, 1.0):
            raise GeometryError("All copies would stand on one spot; give an offset, a turn or a size.", field="offset")
        copier = Copier(draft, linked=self.linked)
        centre = centre_of(draft, things, self.about_what, self.point, self.picked)
        made: list[str] = []
        for thing in things:
            axes = axes_of(draft, self.axes, thing, things[0], self.frame)
            offset, turn = axes.apply(np.asarray(self.offset)), axes.apply(np.radians(self.turn))
            about = np.asarray(thing.anchor if self.about_what == "own pivot" else centre)
            factors = np.asarray(self.size)
            for k in range(1, self.count + 1):
                motion = Motion(Rotation.from_rotvec(k * turn), about, k * offset)
                made.append(copier.copy(thing, motion, _sized(thing, factors**k)).id)
        draft.select = tuple(made)
        draft.note = _note(len(made), self.offset, self.turn, self.count)
        # of the last thing that was copied
        draft.stride = Stride(
            turn=vector(turn),
            about=None if self.about_what == "own pivot" else vector(about + self.count * offset),
            shift=vector(offset),
            factors=vector(factors),
        )


def _sized(top: AThing, factors: np.ndarray) -> Scaling | None:
    if (factors == 1.0).all():
        return None
    return Scaling(factors, top.own_axes, np.asarray(top.anchor))


def _note(made: int, offset: Vector, turn: Vector, count: int) -> str:
    far = float(np.linalg.norm(offset)) * count
    angle = float(np.linalg.norm(turn)) * count
    parts = [counted(made, "copy", "copies")]
    if far:
        parts.append(f"the last {far:.2f} m away")
    if angle:
        parts.append(f"turned {angle:.4g}°")
    return ", ".join(parts)


class OneMore(Tool):
    """The change that made the last copy, again."""

    tool: Literal["one_more"] = "one_more"
    title = "One more"
    about = "Copies the selection once more, by the offset, turn and size that the last copy has now"
    verb = "Copy"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    key = "O"
    icon = "repeat-1"
    instant = True

    count: int = field(1, "Copies", "How many more", ge=1, le=MOST_ITEMS)
    linked: bool = linked_field()

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        last = draft.level.copied
        pair = None if last is None else [draft.things.get(t) for t in last]
        if pair is None or pair[0] is None or pair[1] is None:
            raise SelectionError(
                "There is no last copy to go by. Duplicate something first, then one more goes on from it."
            )
        source, copy = pair[0], pair[1]
        things = tops(draft, rows)
        check_copies(draft, things, self.count)
        copier = Copier(draft, linked=self.linked)
        made: list[str] = []
        stride = draft.level.stride
        has_stride = stride is not None and _goes(stride, source, copy)
        if stride is None or not has_stride:
            stride = _as_it_is(draft, source, copy)
        turn, shift, factors = Rotation.from_rotvec(stride.turn), np.asarray(stride.shift), np.asarray(stride.factors)
        for thing in things:
            about = np.asarray(thing.anchor if stride.about is None else stride.about)
            whole = Motion(Rotation.identity(), about, np.zeros(3))
            for k in range(1, self.count + 1):
                # steps are about a point that goes on with the copies; else it is one motion of the whole
                gone = (k - 1) * shift if has_stride else np.zeros(3)
                whole = Motion(turn * whole.turn, about, turn.apply(whole.shift - gone) + gone + shift)
                made.append(copier.copy(thing, whole, _sized(thing, factors**k)).id)
        draft.select = tuple(made[self.count - 1 :: self.count])
        draft.note = counted(len(made), "copy", "copies")
        if has_stride:
            on = None if stride.about is None else vector(np.asarray(stride.about) + self.count * shift)
            draft.stride = stride.model_copy(update={"about": on})


def _goes(stride: Stride, source: AThing, copy: AThing) -> bool:
    """Whether a copy stands where a stride leads to: it has not been moved, turned or sized since."""
    turn, shift = Rotation.from_rotvec(stride.turn), np.asarray(stride.shift)
    here, was = np.asarray(copy.anchor), np.asarray(source.anchor)
    about = was if stride.about is None else np.asarray(stride.about) - shift
    grain = 1e-9 * max(1.0, float(np.abs([here, was, about]).max()))
    if float(np.abs(Motion(turn, about, shift).point(was) - here).max()) > grain:
        return False
    if float((copy.own_axes * (turn * source.own_axes).inv()).magnitude()) > 1e-9:
        return False
    if isinstance(source, Standing) and isinstance(copy, Standing):
        return bool(np.allclose(np.divide(copy.size, source.size), stride.factors, rtol=1e-9, atol=0.0))
    return True


def _as_it_is(draft: Draft, source: AThing, copy: AThing) -> Stride:
    """The way from a thing to its copy as they stand now: one motion of the whole, about where the thing stands."""
    by = copy.own_axes * source.own_axes.inv()
    factors = np.ones(3)
    pairs = [(source, copy), *zip(draft.things.under(source), draft.things.under(copy), strict=False)]
    for one, other in pairs:
        if isinstance(one, Standing) and isinstance(other, Standing):
            swap = permutation(source.own_axes.inv() * one.own_axes, tolerance=1e-9)
            own = np.divide(other.size, one.size)
            factors = own if swap is None else np.abs(swap) @ own
            break
    still = float(by.magnitude()) < 1e-12
    return Stride(
        turn=(0.0, 0.0, 0.0) if still else vector(by.as_rotvec()),
        about=source.anchor,
        shift=vector(np.subtract(copy.anchor, source.anchor)),
        factors=vector(factors),
    )
