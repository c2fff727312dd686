"""Meshes that were lost, made again from what they were made of."""

from __future__ import annotations

from collections.abc import Callable, Collection

from able_brick.core.errors import AbleBrickError
from able_brick.core.mesh.hashing import rule_of
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.finish import finished
from able_brick.level.rows.piece import Piece


def remade(piece: Piece, lost: Collection[str], load: Callable[[str], PolyMesh]) -> list[PolyMesh] | None:
    """The very meshes of a piece that are lost, made again: the one that is edited from its dimensions, and what is
    shown from that; None where they come out as others now, or there is nothing to make them from."""
    finish = piece.live_finish
    if not set(lost) <= {piece.mesh, piece.source}:
        return None
    out: list[PolyMesh] = []
    try:
        if piece.source in lost:
            if piece.dimensions is None or not piece.live:
                return None
            source = _named(piece.dimensions.shape.mesh(), piece.source)
            if source is None:
                return None
            out.append(source)
        if finish is not None and piece.mesh in lost:
            shown = _named(finished(out[0] if out else load(piece.source), finish), piece.mesh)
            if shown is None:
                return None
            out.append(shown)
    except (AbleBrickError, ValueError, ArithmeticError):
        return None
    return out


def _named(made: PolyMesh, key: str) -> PolyMesh | None:
    """A mesh by the hash that it had, where it is that one."""
    rule = rule_of(made, key, None)
    if rule is None:
        return None
    made.keep_name(key, rule)
    return made
