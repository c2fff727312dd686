"""Groups: make one, put things in and out, dissolve it, and give it a pivot."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final, Literal

from able_brick.core.errors import InputError, SelectionError
from able_brick.core.place.copies import on_grid
from able_brick.core.place.dock import plain
from able_brick.core.place.pivots import up_along
from able_brick.core.place.pose import IDENTITY, Quaternion, from_degrees, quaternion
from able_brick.core.text import counted
from able_brick.level.boxes import box_of
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import AThing, Group, Vector, kinds_of_things
from able_brick.level.snapshot import ARow
from able_brick.steps.about import centre_of
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import check_group, common_group, put_into, together

_IN_GROUPS: Final = kinds_of_things()


def _box_place(draft: Draft, things: list[AThing], *, base: bool) -> Vector:
    """The centre of the box round things, or of its base."""
    box = box_of(draft.snapshot, [t for thing in things for t in draft.things.under(thing)], draft.load)
    if box is None:
        return things[0].anchor
    low, high = box
    middle = (low + high) / 2
    if base:
        middle[1] = low[1]
    return plain(middle)


def group_of(draft: Draft, rows: Iterable[ARow], name: str, place: Vector | None = None) -> Group:
    """A new group with things in it, its pivot at the base of the box round them unless a place is given."""
    things = together(draft, rows)
    group = Group(
        id=draft.new_id("group"),
        level=draft.level_id,
        name=draft.unique_name(name, "group"),
        group=common_group(draft, things),
        position=_box_place(draft, things, base=True) if place is None else place,
    )
    draft.put(group)
    put_into(draft, things, group.id)
    return group


class MakeGroup(Tool):
    """Things moved as one, with a pivot of their own."""

    tool: Literal["make_group"] = "make_group"
    title = "Group"
    about = "Groups the selection, so that it moves and turns as one about a pivot of its own"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=_IN_GROUPS, least=1)
    key = "G"
    icon = "group"
    instant = True

    name: str = field("", "Name", "Name in the level list", max_length=80)
    pivot: Literal["base", "centre", "middle of pivots", "first"] = field(
        "base",
        "Pivot",
        "The centre of the base of the box round all, the centre of the box, the middle of the pivots, or the pivot "
        "of what was selected first",
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = together(draft, rows)
        match self.pivot:
            case "first":
                place = things[0].anchor
            case "middle of pivots":
                place = centre_of(draft, things, "middle", (0.0, 0.0, 0.0), None)
            case _:
                place = _box_place(draft, things, base=self.pivot == "base")
        group = group_of(draft, things, self.name.strip() or "Group", place)
        draft.select = (group.id,)
        draft.note = f"{counted(len(things), 'thing', 'things')} in {group.name}"


class Dissolve(Tool):
    """A group goes, and what is in it stays."""

    tool: Literal["dissolve_group"] = "dissolve_group"
    title = "Dissolve group"
    about = "Removes the group; what is in it stays where it stands"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=("group",), least=1)
    key = "Shift+G"
    icon = "ungroup"
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        going = {r.id: r for r in rows if isinstance(r, Group)}
        left: list[str] = []
        for group in going.values():
            over = next((g.id for g in draft.things.over(group) if g.id not in going), None)
            for thing in draft.things.inside(group.id):
                if thing.id not in going:
                    draft.put(thing.changed(group=over))
                    left.append(thing.id)
            draft.remove(group)
        draft.select = tuple(left)
        draft.note = f"{counted(len(left), 'thing stays', 'things stay')} in place"


class PutInto(Tool):
    """Into another group, or out of all."""

    tool: Literal["put_into_group"] = "put_into_group"
    title = "Put into group"
    about = "Puts the selection into another group or out of its group; nothing moves"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=_IN_GROUPS, least=1)
    icon = "folder-input"

    into: str | None = field(None, "Into", "The group, or none", widget="group")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        check_group(draft, self.into)
        into = None if self.into is None else draft.things[self.into]
        things = together(draft, rows)
        if all(t.group == self.into for t in things):
            where = into.name if into is not None else "no group"
            raise SelectionError(f"That is in {where} already; choose another.", received=self.into)
        put_into(draft, things, self.into)
        draft.note = f"{counted(len(things), 'thing', 'things')} {'in ' + into.name if into else 'out of all groups'}"


class GroupPivot(Tool):
    """Put the pivot of a group somewhere; what is in it stays."""

    tool: Literal["group_pivot"] = "group_pivot"
    title = "Group pivot"
    about = "Moves and turns the pivot of the group; what is in it stays, with its own pivots"
    verb = "Place"
    stages = ("build",)
    need = Need(kinds=("group",), least=1)
    key = "P"
    icon = "crosshair"

    place: Literal[
        "base", "centre", "middle of pivots", "picked", "grid point", "world origin", "typed", "as it is"
    ] = field(
        "base",
        "Place",
        "The centre of the base of its box, the centre of the box, the middle of the pivots in it, a picked feature, "
        "the nearest grid point, the world's origin, typed, or where it is",
    )
    picked: FeatureAt | None = field(
        None,
        "Picked",
        "A vertex, edge or face of anything in the view",
        widget="feature at",
        when={"place": ["picked"]},
    )
    point: Vector = field(
        (0.0, 0.0, 0.0), "Point", "In the world", unit="m", widget="position", when={"place": ["typed"]}
    )
    axes: Literal["as they are", "of the world", "up along the normal", "turned"] = field(
        "as they are", "Axes", "Unchanged, the world's, Y along the normal of the picked face, or turned by degrees"
    )
    turn: Vector = field(
        (0.0, 0.0, 0.0), "Turn", "About the world's X, Y and Z", unit="°", step=15, when={"axes": ["turned"]}
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        for row in rows:
            if isinstance(row, Group):
                draft.put(row.changed(position=self._place(draft, row), turn=self._axes(draft, row)))
        draft.note = "What is in it stays"

    def _place(self, draft: Draft, group: Group) -> Vector:
        inside = draft.things.inside(group.id)
        match self.place:
            case "as it is":
                return group.position
            case "typed":
                return self.point
            case "world origin":
                return (0.0, 0.0, 0.0)
            case "grid point":
                return on_grid(group.position, draft.level.step)
            case "picked":
                return centre_of(draft, inside, "picked", self.point, self.picked)
            case "middle of pivots":
                return centre_of(draft, inside, "middle", self.point, None)
            case _:
                return _box_place(draft, inside, base=self.place == "base")

    def _axes(self, draft: Draft, group: Group) -> Quaternion:
        match self.axes:
            case "as they are":
                return group.turn
            case "of the world":
                return IDENTITY
            case "turned":
                return quaternion(from_degrees(self.turn))
        if self.picked is None:
            raise InputError("Nothing is picked yet: click a vertex, edge or face in the view.", field="picked")
        return up_along(spot_of(draft.snapshot, draft.level_id, draft.load, self.picked).normal)
