"""Pieces of the shelf."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from able_brick.core.files.scene import Material, Texture
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import IDENTITY, ORIGIN, about_pivot
from able_brick.level.rows.base import Quaternion, Refs, Row, Vector
from able_brick.level.rows.ladder import Ladder
from able_brick.level.shapes.catalogue import AnyShape


class Surface(BaseModel):
    """A material of a piece: linear base colour and how rough and metallic it is, each 0…1.

    `texture` is the hash of the picture that the colour is multiplied with, moved on it by `uv_transform`: offset u and
    v, rotation in radians, scale u and v. `alpha` None is a mixture where the colour is not opaque; what of a mask is
    below the `cutoff` is not there.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: str
    colour: tuple[float, float, float, float]
    roughness: float = 0.8
    metallic: float = 0.0
    texture: str | None = None
    alpha: Literal["opaque", "mask", "blend"] | None = None
    cutoff: float = 0.5
    both_sides: bool = False
    uv_transform: tuple[float, float, float, float, float] | None = None

    def material(self, pictures: Callable[[str], Texture] | None = None) -> Material:
        """The material; without `pictures` it stays plain."""
        texture = None if self.texture is None or pictures is None else pictures(self.texture)
        seen = (self.alpha, self.cutoff, self.both_sides, self.uv_transform)
        return Material(self.name, self.colour, self.roughness, self.metallic, texture, *seen)

    @classmethod
    def of(cls, m: Material) -> Surface:
        texture = None if m.texture is None else m.texture.content_hash
        return cls(
            name=m.name,
            colour=m.colour,
            roughness=m.roughness,
            metallic=m.metallic,
            texture=texture,
            alpha=m.alpha,
            cutoff=m.cutoff,
            both_sides=m.both_sides,
            uv_transform=m.uv_transform,
        )


@dataclass(frozen=True)
class Facts:
    """What is known of a piece's mesh without loading it: counts, its box, and whether a file says how it is shaded.

    The box lies along the axes of the piece's pivot and is measured from the mesh's origin.
    """

    # what is read is validated; what is computed of a mesh is taken as it is

    __pydantic_config__ = ConfigDict(extra="forbid", allow_inf_nan=False)

    vertices: int
    faces: int
    triangles: int
    hardware_vertices: int
    closed: bool
    low: Vector
    high: Vector
    own_normals: bool = False


class SlimOrigin(BaseModel):
    """Where a slimmed piece came from, and what it cost: deviation in metres of the world, for the largest `size` in
    which it stood; nothing is farther than `largest` where that is `proven`, which else is an estimate."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    piece: str
    mesh: str
    triangles: int
    rms: float
    largest: float
    proven: bool = False
    size: Vector = (1.0, 1.0, 1.0)


class Dimensions(BaseModel):
    """The parameters that a piece was drawn with, and the mesh that they made."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    shape: AnyShape
    mesh: str


class MirrorPlane(BaseModel):
    """A plane in a mesh's coordinates: a point of it and its normal, which looks to the side that stays."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    point: Vector
    normal: Vector

    def reflection(self) -> Reflection:
        """Across it."""
        return Reflection(np.asarray(self.point), np.asarray(self.normal))

    def over(self, axis: int) -> MirrorPlane:
        """It in a mesh whose coordinates along an axis are turned round."""
        return MirrorPlane(point=_turned_round(self.point, axis), normal=_turned_round(self.normal, axis))


def _turned_round(v: Vector, axis: int) -> Vector:
    x, y, z = (-c + 0.0 if k == axis else c for k, c in enumerate(v))
    return (x, y, z)


class Finish(BaseModel):
    """What is made of the mesh that is edited whenever it changes, and what came of it last: the other half across a
    plane, its seam shared within `weld` (m), then a smoother surface after so many `levels`, on which edges bent by
    more than `crease_angle` (degrees) stay, where it is given, beside sharp ones."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    source: str
    mesh: str
    mirror: MirrorPlane | None = None
    weld: Annotated[float, Field(ge=0, le=10)] = 1e-4
    levels: Annotated[int, Field(ge=0, le=4)] = 0
    crease_angle: Annotated[float, Field(ge=1, le=180)] | None = None

    def over(self, axis: int) -> Finish:
        """It of a mesh whose coordinates along an axis are turned round."""
        return self.model_copy(update={"mirror": None if self.mirror is None else self.mirror.over(axis)})


class Piece(Row):
    """A reusable mesh on the shelf.

    `pivot` is in the mesh's coordinates; `axes` turns the mesh's axes into the pivot's. `dimensions` are live as long
    as the piece has the mesh that they made; afterwards they are the way back. `twin` is the piece that it is the
    mirror image of, along X. `ladder` are its rungs; `kept` are places of vertices that stay on all
    of them, in the mesh's coordinates. With a `finish` the mesh is what that makes of its source.
    """

    kind: Literal["piece"] = "piece"
    words: ClassVar[str] = "a piece on the shelf"
    name: str
    mesh: str
    pivot: Vector = ORIGIN
    axes: Quaternion = IDENTITY
    materials: tuple[Surface, ...] = ()
    facts: Facts
    slim: SlimOrigin | None = None
    tags: tuple[str, ...] = ()
    dimensions: Dimensions | None = None
    twin: str | None = None
    ladder: Ladder | None = None
    kept: tuple[Vector, ...] = ()
    finish: Finish | None = None

    @property
    def live(self) -> bool:
        """Whether the dimensions still make the mesh that is edited."""
        return self.dimensions is not None and self.dimensions.mesh == self.source

    @property
    def live_finish(self) -> Finish | None:
        """The finish where it made the mesh that the piece has."""
        return self.finish if self.finish is not None and self.finish.mesh == self.mesh else None

    @property
    def source(self) -> str:
        """The mesh that is edited."""
        finish = self.live_finish
        return self.mesh if finish is None else finish.source

    def needs(self) -> tuple[tuple[str, str], ...]:
        """It needs no other row."""
        return ()

    @property
    def refs(self) -> Refs:
        """Its mesh, the one that is edited, and its rungs; its pictures; and the meshes that it and its rungs were made
        from."""
        pictures = frozenset(s.texture for s in self.materials if s.texture is not None)
        own = {self.mesh, self.source}
        if self.ladder is None and self.slim is None:
            return Refs(frozenset(own), pictures)
        rungs = () if self.ladder is None else tuple(r.mesh for r in self.ladder.rungs)
        past = {*(() if self.slim is None else (self.slim.mesh,)), *(() if self.ladder is None else self.ladder.meshes)}
        return Refs(frozenset((*own, *rungs)), pictures, frozenset(past))

    def box_about_pivot(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner (3,) of its box, along the axes of its pivot and measured from it."""
        pivot = about_pivot(np.asarray([self.pivot]), ORIGIN, self.axes)[0]
        return np.asarray(self.facts.low) - pivot, np.asarray(self.facts.high) - pivot
