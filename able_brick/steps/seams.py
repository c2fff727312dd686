"""The vertices of a piece that must stay where they are."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.errors import AbleBrickError
from able_brick.core.late import cKDTree
from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh
from able_brick.core.place.items import item_to_world
from able_brick.core.place.pose import about_pivot
from able_brick.core.slim.seams import on_sides, open_borders
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import Course, Piece, Seams
from able_brick.level.snapshot import Snapshot
from able_brick.level.things import AThing
from able_brick.steps.draft import Draft, MeshLoader

#: Vertices of neighbours that are nearer than this are one, metres.
_TOUCH: Final = 1e-4
#: Items of one thing that are looked at, and vertices of a level.
_MOST_ITEMS: Final = 64
_MOST_VERTICES: Final = 2_000_000


def seam_vertices(draft: Draft, piece: Piece, mesh: PolyMesh, seams: Seams) -> Bools:
    """(V) the vertices to be kept exactly: open borders and where neighbours meet, where `found`; those on sides of the
    box along the axes of the pivot; and those that were picked."""
    out = np.zeros(mesh.vertex_count, np.bool_)
    sides: set[str] = set(seams.sides)
    if seams.found:
        out |= open_borders(mesh)
        for level in draft.snapshot.things:
            out |= _met(draft, level, piece, mesh)
            sides |= _course_sides(draft, level, piece)
    if piece.kept and mesh.vertex_count:
        away, nearest = cKDTree(mesh.positions).query(np.asarray(piece.kept), distance_upper_bound=_TOUCH)
        out[np.asarray(nearest)[np.isfinite(away)]] = True
    if sides:
        out |= on_sides(about_pivot(mesh.positions, piece.pivot, piece.axes), sorted(sides))
    return out


def seam_points(snapshot: Snapshot, level: str, load: MeshLoader, key: str) -> Floats:
    """(n,3) where the vertices are that stay on the rungs of a piece, by the seams of its ladder, in the coordinates of
    its mesh. Raises UnknownIdError."""
    draft = Draft(snapshot, level, load)
    piece = draft.piece(key)
    mesh = draft.mesh(piece)
    out: Floats = mesh.positions[seam_vertices(draft, piece, mesh, piece.ladder.seams if piece.ladder else Seams())]
    return out


def _course_sides(draft: Draft, level: str, piece: Piece) -> set[str]:
    """The sides with which items of courses stand against one another."""
    out: set[str] = set()
    for thing in draft.snapshot.of(level).users(piece.id):
        if isinstance(thing, Course):
            axis = "xyz"[thing.running_of(piece)]
            out |= {f"-{axis}", f"+{axis}"}
    return out


def _met(draft: Draft, level: str, piece: Piece, mesh: PolyMesh) -> Bools:
    """(V) the vertices at which another item of a level has one too."""
    out = np.zeros(mesh.vertex_count, np.bool_)
    things = draft.snapshot.of(level)
    users: list[AThing] = list(things.users(piece.id))
    if not users:
        return out
    others = [t for t in things.values() if t.pieces and t.id not in {u.id for u in users}]
    points: list[np.ndarray] = []
    owners: list[int] = []
    total = 0
    for thing in (*users, *others):
        shown = shown_items(draft.snapshot, thing)
        for number in range(0 if shown is None else min(shown.count, _MOST_ITEMS)):
            found = None if shown is None else shown.item(number)
            if found is None:
                continue
            look, pose = found
            mine = look.form is None and look.piece.id == piece.id
            if not mine and look.piece.facts.vertices > _MOST_VERTICES - total:
                continue
            try:
                own = mesh if mine else look.mesh(draft.load)
            except AbleBrickError:
                continue
            total += own.vertex_count
            points.append(item_to_world(own.positions, pose, look.pivot, look.axes))
            owners.append(len(points) if mine else -len(points))
    if len(points) < 2:
        return out
    every = np.concatenate(points)
    owner = np.repeat(np.arange(len(points)), [len(p) for p in points])
    low = np.array([p.min(axis=0) for p in points]) - _TOUCH
    high = np.array([p.max(axis=0) for p in points]) + _TOUCH
    tree = cKDTree(every)
    for k, at in enumerate(points):
        if owners[k] < 0:
            continue
        near = np.flatnonzero((low <= high[k]).all(axis=1) & (high >= low[k]).all(axis=1))
        if len(near) < 2:
            continue
        _, nearest = tree.query(at, k=6, distance_upper_bound=_TOUCH)
        there = nearest < len(every)
        out |= (there & (owner[np.minimum(nearest, len(every) - 1)] != k)).any(axis=1)
    return out
