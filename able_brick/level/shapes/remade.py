"""A mesh that was lost, made again from the dimensions that it was drawn with."""

from __future__ import annotations

from able_brick.core.errors import AbleBrickError
from able_brick.core.mesh.hashing import rule_of
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
    rule = rule_of(made, piece.mesh, None)
    if rule is None:
        return None
    made.keep_name(piece.mesh, rule)
    return made
