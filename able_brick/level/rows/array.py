"""Live repetition of a piece in a line."""

from __future__ import annotations

from typing import ClassVar, Final, Literal

from able_brick.core.cache import ByteCache
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.copies import line
from able_brick.core.place.pose import Poses
from able_brick.level.rows.path import Path
from able_brick.level.rows.piece import Piece
from able_brick.level.rows.standing import Standing

_AXES: Final = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
_ARRAYS: ByteCache[Poses] = ByteCache(64 * 2**20, lambda p: p.nbytes)


def axis_vector(axis: str) -> tuple[float, float, float]:
    """Unit vector of `x` … `-z`."""
    x, y, z = _AXES[axis[-1]]
    return (-x, -y, -z) if axis[0] == "-" else (x, y, z)


class LineArray(Standing):
    """Live repetition along one of the first item's own axes; spacing in piece lengths or in metres."""

    kind: Literal["array"] = "array"
    words: ClassVar[str] = "an array"

    axis: Literal["x", "y", "z", "-x", "-y", "-z"] = "x"
    count: int = 3
    spacing_by: Literal["lengths", "metres"] = "lengths"
    spacing: float = 1.0

    def pitch(self, piece: Piece) -> float:
        """Distance from item to item, metres, along the axis as it is turned; a mirroring size changes no side."""
        if self.spacing_by == "metres":
            return self.spacing
        k = "xyz".index(self.axis[-1])
        extent = piece.facts.high[k] - piece.facts.low[k]
        return extent * abs(self.size[k]) * self.spacing

    def poses(self, piece: Piece | None, path: Path | None) -> Poses | None:
        if piece is None:
            return None

        def made() -> Poses:
            return line(
                self.position,
                self.turn,
                self.size,
                direction=axis_vector(self.axis),
                pitch=self.pitch(piece),
                count=self.count,
            )

        return _ARRAYS.get((self, piece.facts), made)

    def _sized_with(self, own: Floats) -> dict[str, object]:
        if self.spacing_by != "metres":
            return {}
        return {"spacing": self.spacing * float(own["xyz".index(self.axis[-1])])}
