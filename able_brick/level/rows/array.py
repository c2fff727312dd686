"""Live repetition of a piece."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.cache import ByteCache
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pose import Poses
from able_brick.level.forms import Repeat
from able_brick.level.rows.instances import Drawable, InstanceBatch, Instances, LevelContext
from able_brick.level.rows.piece import Piece
from able_brick.level.rows.standing import Standing

_ARRAYS: ByteCache[Poses] = ByteCache(64 * 2**20, lambda p: p.nbytes)


class OtherItem(BaseModel):
    """What stands instead of one item: another piece, or nothing."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    item: int
    piece: str | None = None


class Array(Standing, Repeat):
    """Live repetition of a piece along its own axes. `others` are items where something else stands, or nothing."""

    kind: Literal["array"] = "array"
    words = "an array"

    others: tuple[OtherItem, ...] = ()

    @property
    def pieces(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.piece, *(o.piece for o in self.others if o.piece is not None))))

    def needs(self) -> tuple[tuple[str, str], ...]:
        return (*super().needs(), *(("piece", p) for p in self.pieces[1:]))

    def with_piece(self, old: str, new: str) -> Array:
        others = tuple(OtherItem(item=o.item, piece=new if o.piece == old else o.piece) for o in self.others)
        return self.changed(piece=new if self.piece == old else self.piece, others=others)

    def extent(self, piece: Piece) -> Floats:
        """Sides (3,) of an item; a mirroring size changes none."""
        out: Floats = np.subtract(piece.facts.high, piece.facts.low) * np.abs(self.size)
        return out

    def poses(self, piece: Piece) -> Poses:
        """Where its items stand, those with it that are left out."""

        def made() -> Poses:
            return self.motions(self.extent(piece)).poses(self.position, self.turn, self.size)

        return _ARRAYS.get((self, piece.facts), made)

    def shown(self, context: LevelContext) -> Instances | None:
        piece = context.piece(self.piece)
        if piece is None:
            return None
        poses = self.poses(piece)
        if not self.others:
            return Instances.of(Drawable(piece), poses)
        usual = np.ones(len(poses), np.bool_)
        batches: list[InstanceBatch] = []
        for other in self.others:
            if not 0 <= other.item < len(poses):
                continue
            usual[other.item] = False
            stands = None if other.piece is None else context.piece(other.piece)
            if stands is not None:
                batches.append(_some(stands, poses, np.array([other.item], np.int32)))
        own = _some(piece, poses, np.flatnonzero(usual).astype(np.int32))
        return Instances((own, *batches) if len(own.numbers) else tuple(batches), len(poses))

    def _sized_with(self, own: Floats) -> dict[str, object]:
        return self.scaled(own)


def _some(piece: Piece, poses: Poses, at: np.ndarray) -> InstanceBatch:
    return InstanceBatch(Drawable(piece), at, Poses.of(poses.positions[at], poses.turns[at], poses.sizes[at]))
