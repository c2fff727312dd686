"""Mirror things, and keep two halves alike."""

from __future__ import annotations

from itertools import combinations
from typing import Literal

import numpy as np

from able_brick.core.errors import InputError, SelectionError
from able_brick.core.place.mirror import Reflection
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import (
    AThing,
    Group,
    Path,
    Quaternion,
    Standing,
    Vector,
)
from able_brick.level.snapshot import ARow
from able_brick.steps.about import (
    STANDING,
    AxesOf,
    axes_field,
    axes_of,
    centre_of,
    frame_field,
    picked_field,
    point_field,
)
from able_brick.steps.copying import Copier
from able_brick.steps.draft import Draft
from able_brick.steps.groups import group_of
from able_brick.steps.images import image_of
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import tops

Through = Literal["middle", "own pivot", "first", "picked", "point"]


def reflected(draft: Draft, thing: AThing, over: Reflection) -> AThing:
    """A thing on the other side; what shows a piece shows its mirrored twin, unless the piece is its own mirror
    image."""
    return image_of(draft, thing, over) if isinstance(thing, Standing) else thing.reflected(over)


class Mirror(Tool):
    """The selection on the other side of a plane."""

    tool: Literal["mirror"] = "mirror"
    title = "Mirror"
    about = "Puts the selection, or a copy of it, on the other side of a plane"
    verb = "Copy"
    stages = ("build",)
    need = Need(kinds=STANDING, least=1)
    icon = "flip-horizontal-2"
    key = "Shift+M"

    plane: Literal["axes", "face", "points"] = field(
        "axes", "Plane", "At right angles to axes, that of a picked face, or upright through two picked points"
    )
    across: tuple[Literal["x", "y", "z"], ...] = field(
        ("x",),
        "Across",
        "The axes that turn round; several make several images",
        widget="axes",
        when={"plane": ["axes"]},
    )
    axes: AxesOf = axes_field()
    frame: Quaternion = frame_field()
    about_what: Through = field(
        "middle",
        "Through",
        "The middle of all pivots, each its own pivot, the pivot of what was selected first, a feature picked in the "
        "view, or a typed point",
        when={"plane": ["axes"]},
    )
    picked: FeatureAt | None = picked_field("that the plane goes through")
    face: FeatureAt | None = field(
        None, "Face", "The face in whose plane it is mirrored", widget="feature at", when={"plane": ["face"]}
    )
    one: FeatureAt | None = field(
        None, "First point", "The plane goes upright through it", widget="feature at", when={"plane": ["points"]}
    )
    two: FeatureAt | None = field(
        None, "Second point", "The plane goes upright through it", widget="feature at", when={"plane": ["points"]}
    )
    point: Vector = point_field("that the plane goes through")
    copy_it: bool = field(True, "Leave a copy", "What is selected stays, and the images are copies of it")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        if self.plane == "axes" and not self.across:
            raise InputError("Choose one axis or more to mirror across.", field="across")
        copier = Copier(draft, linked=True)
        made: list[str] = []
        for thing in things:
            planes = self._planes(draft, thing, things)
            if not self.copy_it:
                for source in self._whole(draft, thing):
                    image: AThing = source
                    for over in planes:
                        image = reflected(draft, image, over)
                    draft.put(image)
                made.append(thing.id)
                continue
            for n in range(1, len(planes) + 1):
                for some in combinations(planes, n):
                    made.append(copier.copy(thing, None, lambda t, some=some: _through(draft, t, some)).id)  # type: ignore[misc]
        draft.select = tuple(made)
        draft.note = f"{counted(len(made), 'image', 'images')}" if self.copy_it else "Mirrored"

    @staticmethod
    def _whole(draft: Draft, thing: AThing) -> list[AThing]:
        under = draft.things.under(thing)
        inside = {t.id for t in under}
        return [
            *under,
            *(c for t in under if isinstance(t, Path) for c in draft.things.courses(t.id) if c.id not in inside),
        ]

    def _planes(self, draft: Draft, thing: AThing, things: list[AThing]) -> list[Reflection]:
        match self.plane:
            case "face":
                if self.face is None:
                    raise InputError("No face is picked yet: click one in the view.", field="face")
                spot = spot_of(draft.snapshot, draft.level_id, draft.load, self.face)
                return [Reflection(np.asarray(spot.point), clean_normal(spot.normal))]
            case "points":
                if self.one is None or self.two is None:
                    raise InputError("Pick two points in the view; the plane goes through them.", field="one")
                a, b = (spot_of(draft.snapshot, draft.level_id, draft.load, f).point for f in (self.one, self.two))
                normal = np.cross(np.subtract(b, a), (0.0, 1.0, 0.0))
                if float(np.linalg.norm(normal)) < 1e-9:
                    raise InputError("Those points lie above one another; pick others.", field="two")
                return [Reflection(np.asarray(a), clean_normal(normal / np.linalg.norm(normal)))]
        axes = axes_of(draft, self.axes, thing, things[0], self.frame)
        if self.about_what == "own pivot":
            centre = thing.anchor
        else:
            centre = centre_of(draft, things, self.about_what, self.point, self.picked)
        chosen = dict.fromkeys(self.across)
        return [Reflection(np.asarray(centre), clean_normal(axes.apply(np.eye(3)["xyz".index(a)]))) for a in chosen]


def _through(draft: Draft, thing: AThing, planes: tuple[Reflection, ...]) -> AThing:
    for over in planes:
        thing = reflected(draft, thing, over)
    return thing


def clean_normal(normal: np.ndarray) -> np.ndarray:
    """A unit normal (3,) that is an axis of the world to the last digit, where it is one but for rounding."""
    near = np.round(normal)
    if float(np.abs(normal - near).max()) < 1e-12:
        return np.asarray(near + 0.0)
    return np.asarray(normal)


class LiveMirror(Tool):
    """A group whose other half follows."""

    tool: Literal["live_mirror"] = "live_mirror"
    title = "Live mirror"
    about = "Shows the other half of a group across its pivot; it follows while this half is edited"
    verb = "Copy"
    stages = ("build",)
    need = Need(kinds=("placement", "array", "path", "course", "group"), least=1)
    icon = "flip-horizontal"

    across: Literal["x", "y", "z"] = field("x", "Across", "The axis of the group that turns round at its pivot")
    through: Literal["group pivot", "picked", "point"] = field(
        "group pivot", "Through", "The group's pivot, a feature picked in the view, or a typed point"
    )
    picked: FeatureAt | None = field(
        None, "Picked", "The feature that the plane goes through", widget="feature at", when={"through": ["picked"]}
    )
    point: Vector = field(
        (0.0, 0.0, 0.0),
        "Point",
        "The point that the plane goes through",
        unit="m",
        widget="position",
        when={"through": ["point"]},
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = tops(draft, rows)
        lone = things[0] if len(things) == 1 else None
        group = lone if isinstance(lone, Group) else group_of(draft, things, f"{things[0].name} half")
        if group.mirror is not None:
            raise SelectionError(f"{group.name} has a live mirror already; show it once first.", received=group.id)
        position = group.position
        if self.through != "group pivot":
            position = centre_of(draft, [group], self.through, self.point, self.picked)
        draft.put(group.changed(mirror=self.across, position=position))
        draft.select = (group.id,)
        draft.note = "The other half follows"
