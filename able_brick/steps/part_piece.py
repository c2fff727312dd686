"""Pieces that are parts of others."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pivots import Along, box_anchor
from able_brick.core.place.pose import Quaternion, Vector
from able_brick.level.rows import Finish, Piece
from able_brick.steps.draft import Draft


def part_piece(
    draft: Draft,
    source: Piece,
    mesh: PolyMesh,
    axes: Quaternion,
    pivot: Vector | None = None,
    finish: Finish | None = None,
) -> Piece:
    """A new piece of a part of another one, with those of its materials that it has; its pivot at the base of its box
    where none is given. With a finish the part is what is edited of it."""
    used, number = np.unique(mesh.material, return_inverse=True)
    if len(source.materials):
        mesh = mesh.replaced(material=number.ravel().astype(np.int32))
    key, facts = draft.keep_mesh(mesh, axes)
    piece = Piece(
        id=draft.new_id("piece"),
        name=draft.unique_name(f"{source.name} part", "piece"),
        mesh=key,
        facts=facts,
        materials=tuple(source.materials[k] for k in used.tolist()) if len(source.materials) else (),
        tags=source.tags,
        pivot=box_anchor(mesh, Along.MIDDLE, Along.LOW, Along.MIDDLE, axes) if pivot is None else pivot,
        axes=axes,
    )
    if finish is not None:
        piece = draft.finished(piece, mesh, finish)
    draft.put(piece)
    return piece
