"""Live repetition: of a piece, or of all that is in a group."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from able_brick.core.cache import ByteCache
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.pose import Poses
from able_brick.core.place.repeats import Motions, grid, ring
from able_brick.level.rows.instances import Drawable, InstanceBatch, Instances, LevelContext
from able_brick.level.rows.piece import Piece
from able_brick.level.rows.standing import Standing

_AXES: Final = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
_ARRAYS: ByteCache[Poses] = ByteCache(64 * 2**20, lambda p: p.nbytes)
#: Beside the axis that an array goes along: those of its rows and its layers.
_ACROSS: Final = {"x": ("z", "y"), "y": ("x", "z"), "z": ("x", "y")}
Axis = Literal["x", "y", "z", "-x", "-y", "-z"]


def axis_vector(axis: str) -> tuple[float, float, float]:
    """Unit vector of `x` … `-z`."""
    x, y, z = _AXES[axis[-1]]
    return (-x, -y, -z) if axis[0] == "-" else (x, y, z)


def _beside(k: int) -> tuple[Floats, Floats]:
    """Two unit vectors (3,) beside axis k: angles about it count from the first to the second."""
    eye = np.eye(3)
    return {0: (eye[1], eye[2]), 1: (eye[0], -eye[2]), 2: (eye[0], eye[1])}[k]


class OtherItem(BaseModel):
    """What stands instead of one item: another piece, or nothing."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    item: int
    piece: str | None = None


class Repeat(BaseModel):
    """How something is repeated, in its own axes; the first item is the thing itself.

    line: `count` along `axis`; grid: also `rows` and `layers` in the other two directions; ring: `count` about the
    axis through a centre `radius` metres away, toward `heading`, over `sweep` degrees. Spacing is from item to item,
    in lengths of what is repeated or in metres, or, fitted, the length of the whole.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    form: Literal["line", "grid", "ring"] = "line"
    axis: Axis = "x"
    count: int = 3
    spacing_by: Literal["lengths", "metres", "fitted"] = "lengths"
    spacing: float = 1.0
    rows: int = 1
    row_spacing: float = 1.0
    layers: int = 1
    layer_spacing: float = 1.0
    ring_about: Literal["x", "y", "z"] = "y"
    radius: float = 4.0
    heading: float = 0.0
    sweep: float = 360.0
    turned: bool = True

    @property
    def toward(self) -> Floats:
        """The direction (3,) from the first item to the centre of a ring, as that item sees it."""
        a, b = _beside("xyz".index(self.ring_about))
        angle = np.radians(self.heading)
        out: Floats = a * np.cos(angle) + b * np.sin(angle)
        return out

    @property
    def centre(self) -> Floats:
        """The centre (3,) of a ring, as the first item sees it, metres."""
        out: Floats = self.toward * self.radius
        return out

    @property
    def across(self) -> tuple[str, str]:
        """The axes along which rows and layers go."""
        return _ACROSS[self.axis[-1]]

    def with_centre(self, centre: Floats | Sequence[float]) -> dict[str, object]:
        """What of it changes for a ring about another centre (3,)."""
        a, b = _beside("xyz".index(self.ring_about))
        x, y = float(a @ np.asarray(centre)), float(b @ np.asarray(centre))
        return {"radius": float(np.hypot(x, y)), "heading": float(np.degrees(np.arctan2(y, x))) + 0.0}

    @property
    def ways(self) -> list[tuple[str, int, float]]:
        """The directions of a line or a grid: the axis, the count and the spacing of items, rows and layers."""
        out: list[tuple[str, int, float]] = [(self.axis, self.count, self.spacing)]
        if self.form == "grid":
            across = self.across
            out += [(across[0], self.rows, self.row_spacing), (across[1], self.layers, self.layer_spacing)]
        return out

    @property
    def total(self) -> int:
        """How many items there are."""
        return self.count * self.rows * self.layers if self.form == "grid" else self.count

    def pitch(self, extent: Floats, axis: str, spacing: float, count: int) -> float:
        """Distance from item to item, metres, where one of them reaches over `extent` (3,)."""
        own = float(extent["xyz".index(axis[-1])])
        match self.spacing_by:
            case "metres":
                return spacing
            case "fitted":  # back, where the length is negative
                return float(np.copysign(abs(spacing) - own, spacing)) / (count - 1) if count > 1 else 0.0
            case _:
                return own * spacing

    def motions(self, extent: Floats) -> Motions:
        """Where its items are, as the first one sees them. Raises GeometryError."""
        if self.form == "ring":
            sweep = float(np.radians(self.sweep))
            return ring(self.count, self.centre, "xyz".index(self.ring_about), sweep=sweep, turned=self.turned)
        ways = self.ways
        steps = [np.asarray(axis_vector(a)) * self.pitch(extent, a, s, n) for a, n, s in ways]
        for (axis, count, _), step in zip(ways, steps, strict=True):
            if count > 1 and not float(np.abs(step).max()) > 1e-9:
                raise GeometryError(
                    f"Items would stand on one spot along {axis[-1].upper()}: there the spacing comes to 0 m. "
                    "Give it in metres, or another axis."
                )
        return grid([n for _, n, _ in ways], steps)

    def repeat(self) -> dict[str, object]:
        """Its settings by name."""
        return {k: getattr(self, k) for k in Repeat.model_fields}

    def scaled(self, own: Floats) -> dict[str, object]:
        """What of it becomes larger, by factors (3,) along its own axes."""
        across = _ACROSS[self.axis[-1]]
        k, r, u = ("xyz".index(a) for a in (self.axis[-1], *across))
        out = self.with_centre(self.centre * own)
        if self.spacing_by != "lengths":
            out |= {
                "spacing": self.spacing * float(own[k]),
                "row_spacing": self.row_spacing * float(own[r]),
                "layer_spacing": self.layer_spacing * float(own[u]),
            }
        return out

    def turned_over(self, across: int) -> dict[str, object]:
        """What of it changes where its axis number `across` turns round."""
        over = np.ones(3)
        over[across] = -1.0
        out = self.with_centre(self.centre * over)
        if "xyz"[across] != self.ring_about:  # a ring goes the other way round
            out["sweep"] = -self.sweep
        mine = "xyz".index(self.axis[-1]) == across
        if mine:
            out["axis"] = self.axis[1:] if self.axis[0] == "-" else f"-{self.axis}"
        if self.form == "grid" and not mine:
            beside = _ACROSS[self.axis[-1]][0] == "xyz"[across]
            name = "row_spacing" if beside else "layer_spacing"
            out[name] = -getattr(self, name)
        return out


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
