"""Shapes with flat sides."""

from __future__ import annotations

from typing import ClassVar, Literal

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.wedge import pyramid, wedge
from able_brick.level.field import count, field, length
from able_brick.level.shapes.shape import HEIGHT, RECTANGLE, Shape


class Box(Shape):
    kind: Literal["box"] = "box"
    title = "Box"
    about = "Six flat sides of quads"
    icon = "box"
    drags = (RECTANGLE, HEIGHT)
    along: ClassVar[dict[str, str]] = {"width": "x", "height": "y", "depth": "z"}

    width: float = length(2.0, "Width", "Size along X")
    height: float = length(1.0, "Height", "Size along Y")
    depth: float = length(1.0, "Depth", "Size along Z")
    along_x: int = count(1, "Divisions X", "Quads along the width", 1, 200)
    along_y: int = count(1, "Divisions Y", "Quads along the height", 1, 200)
    along_z: int = count(1, "Divisions Z", "Quads along the depth", 1, 200)

    def form(self) -> PolyMesh:
        return box(self.width, self.height, self.depth, divisions=(self.along_x, self.along_y, self.along_z))


class Plane(Shape):
    kind: Literal["plane"] = "plane"
    title = "Plane"
    about = "A flat sheet that faces up"
    icon = "square"
    drags = (RECTANGLE,)
    along: ClassVar[dict[str, str]] = {"width": "x", "depth": "z"}

    width: float = length(4.0, "Width", "Size along X")
    depth: float = length(4.0, "Depth", "Size along Z")
    along_x: int = count(1, "Divisions X", "Quads along the width", 1, 500)
    along_z: int = count(1, "Divisions Z", "Quads along the depth", 1, 500)

    def form(self) -> PolyMesh:
        return plane(self.width, self.depth, divisions=(self.along_x, self.along_z))


class Wedge(Shape):
    kind: Literal["wedge"] = "wedge"
    title = "Wedge"
    about = "A ramp that rises toward −Z"
    icon = "triangle-right"
    drags = (RECTANGLE, HEIGHT)
    along: ClassVar[dict[str, str]] = {"width": "x", "height": "y", "depth": "z"}

    width: float = length(2.0, "Width", "Size along X")
    height: float = length(1.0, "Height", "Height of the back")
    depth: float = length(3.0, "Depth", "Size along Z")
    rows: int = count(1, "Rows", "Quads up the slope", 1, 500)

    def form(self) -> PolyMesh:
        return wedge(self.width, self.height, self.depth, rows=self.rows)


class Pyramid(Shape):
    kind: Literal["pyramid"] = "pyramid"
    title = "Pyramid"
    about = "Four sides that run to a point, or to a smaller flat top"
    icon = "pyramid"
    drags = (RECTANGLE, HEIGHT)
    along: ClassVar[dict[str, str]] = {"width": "x", "height": "y", "depth": "z"}

    width: float = length(2.0, "Width", "Size along X")
    height: float = length(2.0, "Height", "Size along Y")
    depth: float = length(2.0, "Depth", "Size along Z")
    top: float = field(0.0, "Top", "Share of the base that is left at the top", unit="%", step=5, ge=0, le=100)
    rows: int = count(1, "Rows", "Quads up each side", 1, 500)

    def form(self) -> PolyMesh:
        return pyramid(self.width, self.height, self.depth, top=self.top / 100, rows=self.rows)
