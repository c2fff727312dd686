"""The vertices of a piece that must stay where they are."""

from __future__ import annotations

import numpy as np

from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh
from able_brick.core.place.pose import about_pivot
from able_brick.core.slim.seams import on_sides, open_borders
from able_brick.level.rows import Course, Piece, Seams
from able_brick.level.snapshot import Snapshot
from able_brick.steps.contacts import TOUCH, contact_vertices
from able_brick.steps.draft import Draft, MeshLoader


def seam_vertices(draft: Draft, piece: Piece, mesh: PolyMesh, seams: Seams) -> Bools:
    """(V) the vertices to be kept exactly: open borders and where neighbours meet, where `found`; those on sides of the
    box along the axes of the pivot; and those that were picked."""
    out = np.zeros(mesh.vertex_count, np.bool_)
    sides: set[str] = set(seams.sides)

    def check_cancelled() -> None:
        draft.tell(0.0, f"{piece.name}: finding seams")

    if seams.found:
        out |= open_borders(mesh)
        for level in draft.snapshot.things:
            out |= contact_vertices(draft.snapshot, level, piece, mesh, draft.load, check_cancelled)
            sides |= _course_sides(draft, level, piece)
    if piece.kept and mesh.vertex_count:
        away, nearest = cKDTree(mesh.positions).query(np.asarray(piece.kept), distance_upper_bound=TOUCH)
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
