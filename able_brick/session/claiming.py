"""Pieces of a level that a file was written from, as they were."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from able_brick.core.errors import AbleBrickError
from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import about_pivot, rotated, vector
from able_brick.level.carried_meshes import mesh_from_rows
from able_brick.level.export import as_it_was
from able_brick.level.finish import finished
from able_brick.level.rows import Dimensions, Finish, Ladder, Piece, Vector

_FIELDS = ("face_starts", "corners", "material", "facet", "sharp")


def restored(row: Piece, part: ScenePart, sources: Mapping[str, Any]) -> tuple[Piece, dict[str, PolyMesh]]:
    """A piece with the mesh of a part, as it was, and its rungs; all meshes by hash. Its facts are not looked at. What
    is finished live is so again where that makes the part of the mesh among `sources` that is edited."""
    again = _finished_again(row, part, sources)
    if again is not None:
        finish, source, shown = again
        slim = [_as_it_was(row, r.mesh) for r in part.rungs]
        live = row.live
        row = row.changed(mesh=finish.mesh, finish=finish, kept=_kept(row), ladder=_ladder(row.ladder, shown, slim))
        if live and row.dimensions is not None and row.dimensions.shape.mesh().content_hash == finish.source:
            row = row.changed(dimensions=Dimensions(shape=row.dimensions.shape, mesh=finish.source))
        return row, {m.content_hash: m for m in (source, shown, *slim)}
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
    out = row.changed(mesh=mesh.content_hash, dimensions=dimensions, ladder=ladder, kept=_kept(row))
    return out, meshes


def _finished_again(
    row: Piece, part: ScenePart, sources: Mapping[str, Any]
) -> tuple[Finish, PolyMesh, PolyMesh] | None:
    """The finish of a piece, the mesh that is edited, and what is shown of it; None where a file shows another one."""
    finish = row.live_finish
    source = None if finish is None else mesh_from_rows(sources.get(finish.source))
    if finish is None or source is None:
        return None
    try:
        shown = finished(source, finish)
    except AbleBrickError:
        return None
    if not _same_in_file(row, shown, part.mesh):
        return None
    return finish.model_copy(update={"source": source.content_hash, "mesh": shown.content_hash}), source, shown


def _kept(row: Piece) -> tuple[Vector, ...]:
    """The places of its vertices that stay on all rungs, as a file holds these."""
    if not row.kept:
        return ()
    places = about_pivot(np.array(row.kept), row.pivot, row.axes).astype(np.float32).astype(np.float64)
    return tuple(vector(p) for p in as_it_was(row, places))


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
