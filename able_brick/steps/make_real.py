"""Make arrays and courses real: placements in a group, or one mesh."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.mesh.combine import moved
from able_brick.core.path.real import welded_items
from able_brick.core.place.pose import ORIGIN, Poses, vector
from able_brick.core.text import counted, grouped
from able_brick.level.field import field
from able_brick.level.repeats import shown_by
from able_brick.level.rows import (
    Array,
    AThing,
    Course,
    Drawable,
    Group,
    InstanceBatch,
    Instances,
    Piece,
    Placement,
)
from able_brick.level.rows.bent import BendDeformer
from able_brick.level.rows.instances import Mirrored
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.groups import group_of
from able_brick.steps.keep import free_joints
from able_brick.steps.tool import Need, Tool
from able_brick.steps.twins import twin_of
from able_brick.steps.world_meshes import materials_of, world_meshes

_MOST_FACES = 2_000_000
#: Vertices of rigid neighbours that are nearer than this touch, metres.
_NEAR = 1e-6


class MakeReal(Tool):
    """What is shown live, as things of its own."""

    tool: Literal["make_real"] = "make_real"
    title = "Make real"
    about = "Turns an array or a course into placements of its own, or into one mesh with closed seams"
    verb = "Lay"
    stages = ("build",)
    need = Need(kinds=("array", "course", "group"), least=1, most=1)
    icon = "stamp"
    instant = True

    result: Literal["as it is", "placements", "one mesh"] = field(
        "as it is",
        "Result",
        "What is bent becomes one mesh and all else placements; or choose: placements in a group, or one mesh whose "
        "touching neighbours are closed up",
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        row = rows[0]
        if isinstance(row, Group):
            self._group(draft, row)
            return
        if not isinstance(row, (Array, Course)):
            raise SelectionError("Select an array or a course.")
        shown = row.shown(draft.seen_with())
        if shown is None or not shown.batches:
            raise GeometryError(f"{row.name} shows nothing that could be made real.", id=row.id)
        bent = any(isinstance(b.drawable.deformer, BendDeformer) for b in shown.batches)
        free_joints(draft, row)
        draft.remove(row)
        if self.result == "one mesh" or (self.result == "as it is" and bent):
            place = self._one(draft, row, shown)
            draft.select = (place.id,)
            return
        made = placements(draft, shown, row)
        group = group_of(draft, made, row.name, row.anchor if isinstance(row, Array) else None)
        draft.put(group.changed(group=row.group, name=row.name))
        draft.select = (group.id,)
        draft.note = f"{counted(len(made), 'placement', 'placements')} in {row.name}"

    def _one(self, draft: Draft, row: Array | Course, shown: Instances) -> Placement:
        items = world_meshes(draft, row, shown)
        surfaces, first = materials_of([piece for piece, _, _ in items])
        meshes, seams = [mesh for _, mesh, _ in items], [seam for _, _, seam in items]
        bent = isinstance(row, Course) and (row.bend or row.between is not None)
        mesh = welded_items(meshes, seams, first, near=0.0 if bent else _NEAR)
        low, high = mesh.bounds
        place = vector(np.round([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2], 3))
        key, facts = draft.keep_mesh(moved(mesh, -np.asarray(place)))
        piece = Piece(
            id=draft.new_id("piece"),
            name=draft.unique_name(row.name, "piece"),
            mesh=key,
            facts=facts,
            materials=surfaces,
            pivot=ORIGIN,
        )
        draft.put(piece)
        out = Placement(
            id=draft.new_id("placement"),
            level=draft.level_id,
            name=row.name,
            group=row.group,
            piece=piece.id,
            position=place,
        )
        draft.put(out)
        closed = "closed" if facts.closed else "open where its pieces are"
        draft.note = f"One mesh of {grouped(facts.triangles)} tris, seams welded, {closed}"
        return out

    def _group(self, draft: Draft, group: Group) -> None:
        """The copies that a group shows, as things of its own, each time in a group."""
        if group.repeat is None and group.mirror is None:
            raise SelectionError(f"{group.name} is no array and no live mirror; it is real already.", received=group.id)
        context = draft.seen_with()
        made: list[AThing] = []
        for thing in draft.things.under(group):
            if not thing.pieces:
                continue
            shown = thing.shown(context)
            if shown is None:
                continue
            once, whole = shown_by(shown, thing, group, context)
            rest = Instances(tuple(_after(b, once.count) for b in whole.batches), whole.count)
            made += placements(draft, rest, thing)
        if len(made) > 0:
            copies = group_of(draft, made, f"{group.name} copies", group.position)
            draft.put(copies.changed(group=group.group))
        draft.put(group.changed(repeat=None, mirror=None, left_out=()))
        draft.select = (group.id,)
        draft.note = f"{counted(len(made), 'placement', 'placements')} made"


def _after(batch: InstanceBatch, count: int) -> InstanceBatch:
    """The items of a batch that are copies, not the first ones."""
    at = np.flatnonzero(batch.numbers >= count)
    p = batch.poses
    return InstanceBatch(batch.drawable, batch.numbers[at], Poses.of(p.positions[at], p.turns[at], p.sizes[at]))


def placements(draft: Draft, shown: Instances, of: AThing) -> list[Placement]:
    """Every item as a placement; mirrored ones of the twin of their piece, bent ones of a piece each form has."""
    shows: dict[int, Piece] = {}
    order: list[tuple[int, Piece, np.ndarray]] = []
    for batch in shown.batches:
        piece = shows.get(id(batch.drawable)) or _piece(draft, batch.drawable)
        shows[id(batch.drawable)] = piece
        order += [(int(n), piece, r) for n, r in zip(batch.numbers, batch.poses.rows(), strict=True)]
    order.sort(key=lambda o: o[0])
    out = []
    for number, piece, row in order:
        p, q, s = (tuple(float(v) for v in part) for part in (row[:3], row[3:7], row[7:]))
        place = Placement.model_validate(
            {
                "id": draft.new_id("placement"),
                "level": draft.level_id,
                "name": draft.unique_name(f"{of.name} {number + 1}", "placement"),
                "piece": piece.id,
                "position": p,
                "turn": q,
                "size": s,
                "image": getattr(of, "image", None),
            }
        )
        draft.put(place)
        out.append(place)
    return out


def _piece(draft: Draft, drawable: Drawable) -> Piece:
    """The piece that shows a look by its own mesh."""
    if drawable.deformer is None:
        return drawable.piece
    if isinstance(drawable.deformer, Mirrored):
        return twin_of(draft, drawable.piece)
    key, facts = draft.keep_mesh(drawable.mesh(draft.load))
    piece = Piece(
        id=draft.new_id("piece"),
        name=draft.unique_name(f"{drawable.piece.name} bent", "piece"),
        mesh=key,
        facts=facts,
        materials=drawable.piece.materials,
        tags=drawable.piece.tags,
    )
    draft.put(piece)
    return piece
