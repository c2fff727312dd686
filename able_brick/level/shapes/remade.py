"""A mesh that was lost, made again from the dimensions that it was drawn with."""

from __future__ import annotations

from able_brick.core.errors import AbleBrickError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows.piece import Piece


def remade(piece: Piece) -> PolyMesh | None:
    """The very mesh of a piece, made again; None where its dimensions make another one now, or there are none."""
    if piece.dimensions is None or not piece.live:
        return None
    try:
        made = piece.dimensions.shape.mesh()
    except (AbleBrickError, ValueError, ArithmeticError):
        return None
    return made if made.content_hash == piece.mesh else None
