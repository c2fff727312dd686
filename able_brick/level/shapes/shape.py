"""What every shape is: frozen parameters, the mesh they make, and the drags that draw it."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import BaseModel, ConfigDict, ValidationError

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.triangulate import triangulated
from able_brick.level.field import field


class Drag(BaseModel):
    """One stage of drawing: what the hand does and which fields it sets.

    rectangle: two opposite corners of the base set width along X and depth along Z. disc: centre and rim set a radius.
    point: a click sets the place alone. up: the height over the base, less the value of `less`, divided by that of
    `per`. ring: the distance of the pointer from the rim of the disc; `hole`: from its centre; `wall`: the radius less
    that distance. pane: two corners on the upright plane through the base's middle set an offset, a width, how
    high it begins and its height.
    """

    model_config = ConfigDict(frozen=True)

    gesture: Literal["rectangle", "disc", "point", "up", "ring", "hole", "wall", "pane"]
    sets: tuple[str, ...] = ()
    prompt: str
    less: str | None = None
    per: str | None = None
    step: float | None = None


RECTANGLE = Drag(gesture="rectangle", sets=("width", "depth"), prompt="Drag the base")
DISC = Drag(gesture="disc", sets=("radius",), prompt="Drag from the centre to the rim")
HEIGHT = Drag(gesture="up", sets=("height",), prompt="Move to set the height")


class Shape(BaseModel):
    """Base of all shapes. They stand on their base centre, the origin of the mesh, with Y up; lengths in metres."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    kind: str

    title: ClassVar[str]
    about: ClassVar[str]
    icon: ClassVar[str]
    drags: ClassVar[tuple[Drag, ...]]
    #: The axes along which lengths are measured; those that are not named are measured along all three.
    along: ClassVar[dict[str, str]] = {}

    faces: Literal["quads", "triangles"] = field("quads", "Faces", "Quads, or cut into the engine's triangles")

    def mesh(self) -> PolyMesh:
        """The mesh. Raises GeometryError, with the allowed range, where the dimensions make no sense together."""
        made = self.form()
        return triangulated(made) if self.faces == "triangles" else made

    def form(self) -> PolyMesh:
        raise NotImplementedError

    def resized(self, size: tuple[float, float, float]) -> Self | None:
        """The shape with its lengths times factors along X, Y and Z; None where it would be no such shape.

        A length that is measured along several axes follows only where their factors are equal. Whether the mesh
        follows, too, is for the caller to see: what is counted or bent to an angle may not.
        """
        longer: dict[str, float] = {}
        for name, info in type(self).model_fields.items():
            extra = info.json_schema_extra
            value = getattr(self, name)
            if not isinstance(extra, dict) or extra.get("unit") != "m" or value == 0:
                continue
            factors = {size["xyz".index(axis)] for axis in self.along.get(name, "xyz")}
            if len(factors) > 1:
                return None
            longer[name] = float(f"{value * factors.pop():.12g}")
        try:
            return type(self).model_validate({**self.model_dump(), **longer})
        except ValidationError:
            return None
