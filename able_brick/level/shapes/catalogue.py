"""Every shape, once. A new shape is added here and nowhere else."""

from __future__ import annotations

from typing import Annotated, Any, Final

from pydantic import BaseModel, Field

from able_brick.level.shapes.built import Arch, Doorway, Lettering, SpiralStairs, Stairs
from able_brick.level.shapes.flat_sided import Box, Plane, Pyramid, Wedge
from able_brick.level.shapes.round import Capsule, Cone, Cylinder, Helix, Sphere, Torus, Tube
from able_brick.level.shapes.shape import Drag, Shape

AnyShape = Annotated[
    Box
    | Plane
    | Wedge
    | Pyramid
    | Cylinder
    | Cone
    | Sphere
    | Capsule
    | Tube
    | Torus
    | Helix
    | Arch
    | Doorway
    | Stairs
    | SpiralStairs
    | Lettering,
    Field(discriminator="kind"),
]
SHAPES: Final[dict[str, type[Shape]]] = {
    s.model_fields["kind"].default: s
    for s in (
        Box,
        Plane,
        Wedge,
        Pyramid,
        Cylinder,
        Cone,
        Sphere,
        Capsule,
        Tube,
        Torus,
        Helix,
        Arch,
        Doorway,
        Stairs,
        SpiralStairs,
        Lettering,
    )
}


class ShapeInfo(BaseModel):
    """A shape as its card and its drawing need it: words, the JSON schema of its fields, the drags."""

    kind: str
    title: str
    about: str
    icon: str
    fields: dict[str, Any]
    drags: tuple[Drag, ...]


def describe_shapes() -> list[ShapeInfo]:
    """All shapes in the order of the catalogue."""
    return [
        ShapeInfo(kind=k, title=s.title, about=s.about, icon=s.icon, fields=_schema(s), drags=s.drags)
        for k, s in SHAPES.items()
    ]


def _schema(shape: type[Shape]) -> dict[str, Any]:
    """The JSON schema of a shape; how its faces are cut comes last."""
    schema = shape.model_json_schema()
    schema["properties"]["faces"] = schema["properties"].pop("faces")
    return schema
