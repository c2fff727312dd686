"""Pieces of a level that a file was written from, as they were."""

from __future__ import annotations

import numpy as np

from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import about_pivot, rotated, vector
from able_brick.level.export import as_it_was
from able_brick.level.rows import Dimensions, Ladder, Piece

_FIELDS = ("face_starts", "corners", "material", "facet", "sharp")


def restored(row: Piece, part: ScenePart) -> tuple[Piece, dict[str, PolyMesh]]:
    """A piece with the mesh of a part, as it was, and its rungs; all meshes by hash. Its facts are not looked at. What
    was finished live comes as it was seen: the file has no other mesh of it."""
    row = row.changed(finish=None)
    mesh = _as_it_was(row, part.mesh)
    dimensions = row.dimensions
    if dimensions is not None and row.live:  # else they are the way back, whatever mesh they made
        drawn = dimensions.shape.mesh()
        if _same_in_file(row, drawn, part.mesh):
            mesh = drawn
            dimensions = Dimensions(shape=dimensions.shape, mesh=mesh.content_hash)
    slim = [_as_it_was(row, r.mesh) for r in part.rungs]
    meshes = {m.content_hash: m for m in (mesh, *slim)}
    ladder = _ladder(row.ladder, mesh, slim)
    kept = row.kept
    if kept:
        places = about_pivot(np.array(kept), row.pivot, row.axes).astype(np.float32).astype(np.float64)
        kept = tuple(vector(p) for p in as_it_was(row, places))
    out = row.changed(mesh=mesh.content_hash, dimensions=dimensions, ladder=ladder, kept=kept)
    return out, meshes


def _as_it_was(row: Piece, mesh: PolyMesh) -> PolyMesh:
    points = as_it_was(row, mesh.positions)
    return mesh if points is mesh.positions else mapped(mesh, points, rotated(row.axes, np.eye(3)).T)


def _same_in_file(row: Piece, mesh: PolyMesh, written: PolyMesh) -> bool:
    """Whether a mesh of a piece is, in float32 and about its pivot, what a file holds of it."""
    centred = about_pivot(mesh.positions, row.pivot, row.axes)
    if centred.shape != written.positions.shape or mesh.smooth_angle != written.smooth_angle:
        return False
    if any(not np.array_equal(getattr(mesh, f), getattr(written, f)) for f in _FIELDS):
        return False
    pairs = (
        (centred, written.positions),
        (mesh.uv, written.uv),
        (mesh.colour, written.colour),
        (mesh.normal, written.normal),
    )
    for own, other in pairs:
        if own is None or other is None:
            if own is not other:
                return False
        elif not np.array_equal(own.astype(np.float32), other):
            return False
    return True


def _ladder(ladder: Ladder | None, mesh: PolyMesh, slim: list[PolyMesh]) -> Ladder | None:
    """The ladder with the meshes that there are; None where these are not those of its rungs."""
    if ladder is None or [m.triangle_count for m in slim] != [r.triangles for r in ladder.rungs]:
        return None
    rungs = tuple(r.model_copy(update={"mesh": m.content_hash}) for r, m in zip(ladder.rungs, slim, strict=True))
    return ladder.model_copy(update={"source": mesh.content_hash, "rungs": rungs})
