"""Dock: a grip of the selection ends exactly on a landing."""

from __future__ import annotations

import math
from typing import Final, Literal

import numpy as np

from able_brick.core.errors import InputError, SelectionError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.dock import Motion, Spot, dock
from able_brick.core.place.pose import vector
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, spot_of, spot_on
from able_brick.level.rows import Array, AThing, Placement, Standing, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.about import STANDING
from able_brick.steps.carry import carry
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import everything, tops

#: How many numbers on each side of the computed one are tried.
_NEIGHBOURS: Final = 6


class Dock(Tool):
    """Bring a grip of the selection onto a landing, flat against its face if wanted."""

    tool: Literal["dock"] = "dock"
    title = "Dock"
    about = "Brings a grip of the selection exactly onto a landing"
    verb = "Place"
    stages = ("kit", "build")
    need = Need(kinds=STANDING, least=1)
    key = "K"
    icon = "magnet"

    grip: FeatureAt | None = field(None, "Grip", "The feature of the selection that is brought", widget="none")
    landing: FeatureAt | None = field(None, "Landing", "The feature on which the grip ends", widget="none")
    point: Vector | None = field(None, "Point", "A free point to land on instead of a feature", unit="m")
    contact: bool = field(
        False, "Face contact", "Turn the selection so that the grip's face lies flat on the landing's"
    )
    align: bool = field(
        True,
        "Align edges",
        "Make the longest edge of the grip's face parallel to the landing's nearest",
        when={"contact": ["true"]},
    )
    quarters: int = field(
        0, "Quarter turns", "Further turns of 90° about the landing's normal", ge=0, le=3, when={"contact": ["true"]}
    )
    gap: float = field(
        0.0,
        "Gap",
        "Left between the two faces",
        unit="m",
        step=0.05,
        ge=-1000,
        le=1000,
        when={"contact": ["true"]},
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        if self.grip is None:
            raise InputError("Nothing is gripped yet: click a vertex, edge or face of the selection.", field="grip")
        things = tops(draft, rows)
        moved = {t.id: t for t in everything(draft, rows)}
        gripped = moved.get(self.grip.thing)
        if gripped is None:
            raise SelectionError("The grip is not on what is selected; pick one that is.", received=self.grip.thing)
        grip = spot_of(draft.snapshot, draft.level_id, draft.load, self.grip)
        landing = self._landing(draft, set(moved))
        at = self.grip
        motion = self._motion(draft, gripped, at, landing)
        for thing in things:
            carry(draft, thing, motion)
        held = draft.thing(gripped.id)
        if isinstance(held, Standing):
            draft.put(settled(draft, held, at, self._end(landing)))
        angle = math.degrees(float(motion.turn.magnitude()))
        turned = f", turned by {angle:.1f}°" if angle > 0.05 else ""
        draft.note = f"moved by {np.linalg.norm(self._end(landing) - grip.point):.3f} m{turned}"

    def _end(self, landing: Spot) -> Floats:
        """Where the grip ends (3,)."""
        return landing.point + (self.gap * landing.normal if self.contact else 0.0)

    def _motion(self, draft: Draft, gripped: AThing, at: FeatureAt, landing: Spot) -> Motion:
        """The motion that brings the grip there; what rounding leaves over is taken off, so that the points meet."""
        grip = spot_of(draft.snapshot, draft.level_id, draft.load, at)
        motion = (
            dock(grip, landing, contact=True, align=self.align, quarters=self.quarters)
            if self.contact
            else dock(grip, landing)
        )
        rest = self._end(landing) - _after(draft, gripped, at, motion)
        return Motion(motion.turn, motion.about, motion.shift + rest)

    def _landing(self, draft: Draft, moved: set[str]) -> Spot:
        if self.landing is not None:
            if self.landing.thing in moved:
                raise SelectionError(
                    "The landing is on what is moved; pick one on something that stands still.",
                    received=self.landing.thing,
                )
            return spot_of(draft.snapshot, draft.level_id, draft.load, self.landing)
        if self.point is None:
            raise InputError("Nothing is picked to land on yet: click a vertex, edge or face.", field="landing")
        p = np.asarray(self.point, np.float64)
        context = np.array([[-1.0, 0, 1], [1.0, 0, 1], [1.0, 0, -1], [-1.0, 0, -1]])
        return Spot(p, np.array([0.0, 1.0, 0.0]), p + context)


def _after(draft: Draft, gripped: AThing, at: FeatureAt, motion: Motion) -> Floats:
    """Where a feature (3,) of what is gripped is after a motion."""
    moved = gripped.moved(motion)
    if isinstance(moved, Standing):
        return spot_on(draft.snapshot, draft.load, moved, at).point
    draft.put(moved)
    return spot_of(draft.seen(), draft.level_id, draft.load, at).point


def settled(draft: Draft, thing: Placement | Array, at: FeatureAt, end: Floats) -> Placement | Array:
    """The thing with the position, of those nearest, with which the feature's world coordinates are exactly the end's.

    Each coordinate by itself: plain decimals where they do it, else the neighbours in the last places. Where no number
    does it, the one that comes nearest, within one unit in the last place of the largest number in the sum: that is so
    where the grip is farther from the pivot than the end from the origin, so that the sum has fewer places than the
    end, and where the sum falls halfway between two numbers.
    """
    given = np.asarray(thing.position, np.float64)
    here = given + (end - spot_on(draft.snapshot, draft.load, thing, at).point)
    best, away = given.copy(), np.full(3, np.inf)
    tries = [given, np.round(here, 13), here]
    up, down = here, here
    for _ in range(_NEIGHBOURS):
        up, down = np.nextafter(up, np.inf), np.nextafter(down, -np.inf)
        tries += [up, down]
    for position in tries:
        found = spot_on(draft.snapshot, draft.load, thing.changed(position=vector(position)), at).point
        miss = np.abs(found - end)
        better = miss < away
        best[better], away[better] = position[better], miss[better]
        if not away.any():
            break
    return thing.changed(position=vector(best))
