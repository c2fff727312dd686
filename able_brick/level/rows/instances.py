"""What things show: meshes, and where each stands."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Protocol

import numpy as np

from able_brick.core.cache import ByteCache
from able_brick.core.mesh.hardware import HardwareVertices
from able_brick.core.mesh.mesh_cache import mesh_bytes
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.place.mirror import mirrored, mirrored_shading
from able_brick.core.place.pivots import seen_from_pivot
from able_brick.core.place.pose import IDENTITY, ORIGIN, Poses, Quaternion, Vector

if TYPE_CHECKING:
    from able_brick.level.rows.base import Thing
    from able_brick.level.rows.piece import Piece

Load = Callable[[str], PolyMesh]
#: Meshes that are derived from those of pieces, by what they are derived from.
_DERIVED: ByteCache[PolyMesh] = ByteCache(192 * 2**20, mesh_bytes)


class LevelContext(Protocol):
    """The project and the level that a thing stands in, as far as it needs them."""

    def piece(self, piece: str) -> Piece | None: ...
    def thing(self, thing: str) -> Thing | None: ...


class Deformer(Protocol):
    """A shape into which a piece's mesh is brought, about its pivot."""

    @property
    def key(self) -> str:
        """Names it: forms of one piece with equal keys are equal."""
        ...

    @property
    def drawn_with(self) -> str:
        """Names what items that are alone in their form are drawn with."""
        ...

    @property
    def cost(self) -> Hashable:
        """Forms of one piece with equal costs have as many triangles and hardware vertices."""
        ...

    def mesh(self, own: PolyMesh) -> PolyMesh:
        """It, from the mesh of the piece."""
        ...

    def counts(self, own: PolyMesh) -> tuple[int, int] | None:
        """Triangles and hardware vertices, from the mesh of the piece; None where they are the piece's."""
        ...

    def shaded(self, own: PolyMesh) -> HardwareVertices | None:
        """The hardware vertices of its mesh, from the mesh of the piece; None where they follow from its form."""
        ...

    def box(self, low: Floats, high: Floats) -> tuple[Floats, Floats]:
        """A box (3,), (3,) that it is in, from the piece's box about its pivot."""
        ...


@dataclass(frozen=True)
class Mirrored:
    """Turned over across the YZ plane of the pivot."""

    pivot: Vector
    axes: Quaternion

    @property
    def key(self) -> str:
        return f"mirrored {self.pivot} {self.axes}"

    @property
    def drawn_with(self) -> str:
        return self.key

    @property
    def cost(self) -> Hashable:
        return None

    def mesh(self, own: PolyMesh) -> PolyMesh:
        return mirrored(seen_from_pivot(own, self.pivot, self.axes))

    def counts(self, own: PolyMesh) -> tuple[int, int] | None:
        return None

    def shaded(self, own: PolyMesh) -> HardwareVertices | None:
        return None

    def box(self, low: Floats, high: Floats) -> tuple[Floats, Floats]:
        return _box_over(low, high)


@dataclass(frozen=True)
class MirroredDeformer:
    """Another form, turned over across its own YZ plane."""

    deformer: Deformer

    @property
    def key(self) -> str:
        return f"{self.deformer.key} turned over"

    @property
    def drawn_with(self) -> str:
        return f"{self.deformer.drawn_with} turned over"

    @property
    def cost(self) -> Hashable:
        return self.deformer.cost

    def mesh(self, own: PolyMesh) -> PolyMesh:
        return mirrored(self.deformer.mesh(own))

    def counts(self, own: PolyMesh) -> tuple[int, int] | None:
        return self.deformer.counts(own)

    def shaded(self, own: PolyMesh) -> HardwareVertices | None:
        shaded = self.deformer.shaded(own)
        return None if shaded is None else mirrored_shading(self.deformer.mesh(own), shaded)

    def box(self, low: Floats, high: Floats) -> tuple[Floats, Floats]:
        return _box_over(*self.deformer.box(low, high))


def _box_over(low: Floats, high: Floats) -> tuple[Floats, Floats]:
    a, b = low * (-1.0, 1.0, 1.0), high * (-1.0, 1.0, 1.0)
    return np.minimum(a, b), np.maximum(a, b)


@dataclass(frozen=True)
class Drawable:
    """A piece as it is drawn: by its own mesh, or in another form."""

    piece: Piece
    deformer: Deformer | None = None

    @property
    def pivot(self) -> Vector:
        return self.piece.pivot if self.deformer is None else ORIGIN

    @property
    def axes(self) -> Quaternion:
        return self.piece.axes if self.deformer is None else IDENTITY

    def turned_over(self) -> Drawable:
        """It across the YZ plane of its pivot."""
        match self.deformer:
            case None:
                return Drawable(self.piece, Mirrored(self.piece.pivot, self.piece.axes))
            case Mirrored():
                return Drawable(self.piece)
            case MirroredDeformer():
                return Drawable(self.piece, self.deformer.deformer)
            case deformer:
                return Drawable(self.piece, MirroredDeformer(deformer))

    def mesh(self, load: Load) -> PolyMesh:
        """Its mesh. Raises as `load` does."""
        if self.deformer is None:
            return load(self.piece.mesh)
        deformer = self.deformer
        return _DERIVED.get((self.piece.mesh, deformer.key), lambda: deformer.mesh(load(self.piece.mesh)))

    def shaded(self, load: Load) -> HardwareVertices | None:
        """The hardware vertices of its mesh, where they do not follow from its form. Raises as `load` does."""
        return None if self.deformer is None else self.deformer.shaded(load(self.piece.mesh))

    def counts(self, load: Load) -> tuple[int, int]:
        """Triangles and hardware vertices of one."""
        facts = self.piece.facts
        found = None if self.deformer is None else self.deformer.counts(load(self.piece.mesh))
        return (facts.triangles, facts.hardware_vertices) if found is None else found

    def box(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner (3,) of a box that it is in, about its pivot."""
        low, high = self.piece.box_about_pivot()
        return (low, high) if self.deformer is None else self.deformer.box(low, high)


@dataclass(frozen=True, eq=False)
class InstanceBatch:
    """Items (n) of one look: their numbers (n) among the items of the thing, and their poses."""

    drawable: Drawable
    numbers: Ints
    poses: Poses


def counts_of(batches: Sequence[InstanceBatch], load: Load) -> list[tuple[int, int]]:
    """Triangles and hardware vertices of one item of each batch. Raises as `load` does."""
    counted: dict[Hashable, tuple[int, int]] = {}
    out = []
    for batch in batches:
        drawable = batch.drawable
        key = drawable.piece.mesh, None if drawable.deformer is None else drawable.deformer.cost
        found = counted.get(key)
        if found is None:
            found = counted[key] = drawable.counts(load)
        out.append(found)
    return out


@dataclass(frozen=True, eq=False)
class Instances:
    """All items of a thing. Numbers run from 0 to `count` − 1; those of items that are left out have no batch."""

    batches: tuple[InstanceBatch, ...]
    count: int

    @classmethod
    def of(cls, drawable: Drawable, poses: Poses) -> Instances:
        """Every item of one look."""
        return cls((InstanceBatch(drawable, np.arange(len(poses), dtype=np.int32), poses),), len(poses))

    @cached_property
    def _where(self) -> tuple[Ints, Ints]:
        batch, row = np.full(self.count, -1, np.int32), np.zeros(self.count, np.int32)
        for k, b in enumerate(self.batches):
            batch[b.numbers] = k
            row[b.numbers] = np.arange(len(b.numbers))
        return batch, row

    def item(self, number: int) -> tuple[Drawable, Floats] | None:
        """Look and pose row (10,) of one item; None where there is none."""
        if not 0 <= number < self.count:
            return None
        batch, row = self._where
        if batch[number] < 0:
            return None
        found = self.batches[int(batch[number])]
        k = int(row[number])
        p = found.poses
        return found.drawable, np.concatenate([p.positions[k], p.turns[k], p.sizes[k]])

    @cached_property
    def farthest(self) -> float:
        """The largest coordinate of an item's place, metres."""
        return max((float(np.abs(b.poses.positions).max(initial=0.0)) for b in self.batches), default=0.0)

    @property
    def nbytes(self) -> int:
        """What it takes in memory, bytes."""
        return sum(b.poses.nbytes + b.numbers.nbytes for b in self.batches) + 200
