"""Make a new piece from a parametric shape, and place it."""

from __future__ import annotations

from typing import ClassVar, Literal

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.core.shapes.cylinder import cylinder
from able_brick.core.shapes.plane import plane
from able_brick.level.palette import PALETTE, Tint
from able_brick.level.rows import Piece, Placement, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Stage, Tool, field

_HERE = "Where the base centre of the first placement stands"


class _AddShape(Tool):
    verb: ClassVar[Literal["Make"]] = "Make"
    stages: ClassVar[tuple[Stage, ...]] = ("kit", "build")

    name: str = field("", "Name", "Name on the shelf; empty for the shape's own", max_length=80)
    surface: Tint = field(Tint.STONE, "Surface", "Surface from the palette")
    position: Vector = field((0.0, 0.0, 0.0), "Position", _HERE, unit="m", widget="position")

    def mesh(self) -> PolyMesh:
        raise NotImplementedError

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        mesh, known = draft.keep_mesh(self.mesh())
        piece = Piece(
            id=draft.new_id("piece"),
            name=draft.unique_name(self.name.strip() or self.title.removeprefix("Add ").capitalize(), "piece"),
            mesh=mesh,
            materials=(PALETTE[self.surface],),
            facts=known,
        )
        draft.put(piece)
        place = Placement(
            id=draft.new_id("placement"),
            level=draft.level_id,
            name=draft.unique_name(piece.name, "placement"),
            piece=piece.id,
            position=self.position,
        )
        draft.put(place)
        draft.select = (place.id,)
        draft.note = f"{known.triangles} tris"


class AddBox(_AddShape):
    """A new box piece."""

    tool: Literal["add_box"] = "add_box"
    title: ClassVar[str] = "Add box"
    about: ClassVar[str] = "Makes a box piece of exact size and places it"
    icon: ClassVar[str] = "box"

    width: float = field(2.0, "Width", "Size along X", unit="m", step=0.1, ge=0.001, le=10_000)
    height: float = field(1.0, "Height", "Size along Y", unit="m", step=0.1, ge=0.001, le=10_000)
    depth: float = field(1.0, "Depth", "Size along Z", unit="m", step=0.1, ge=0.001, le=10_000)
    along_x: int = field(1, "Divisions X", "Quads along the width", ge=1, le=200)
    along_y: int = field(1, "Divisions Y", "Quads along the height", ge=1, le=200)
    along_z: int = field(1, "Divisions Z", "Quads along the depth", ge=1, le=200)

    def mesh(self) -> PolyMesh:
        return box(self.width, self.height, self.depth, divisions=(self.along_x, self.along_y, self.along_z))


class AddCylinder(_AddShape):
    """A new cylinder piece."""

    tool: Literal["add_cylinder"] = "add_cylinder"
    title: ClassVar[str] = "Add cylinder"
    about: ClassVar[str] = "Makes an upright cylinder piece of exact size and places it"
    icon: ClassVar[str] = "cylinder"

    radius: float = field(0.5, "Radius", "Radius of the corners", unit="m", step=0.05, ge=0.001, le=10_000)
    height: float = field(2.0, "Height", "Size along Y", unit="m", step=0.1, ge=0.001, le=10_000)
    sides: int = field(16, "Sides", "Quads round; six makes a hexagon", ge=3, le=512)
    rows: int = field(1, "Rows", "Quads along the height", ge=1, le=200)

    def mesh(self) -> PolyMesh:
        return cylinder(self.radius, self.height, sides=self.sides, rows=self.rows)


class AddPlane(_AddShape):
    """A new flat piece."""

    tool: Literal["add_plane"] = "add_plane"
    title: ClassVar[str] = "Add plane"
    about: ClassVar[str] = "Makes a flat sheet that faces up, and places it"
    icon: ClassVar[str] = "square"

    width: float = field(4.0, "Width", "Size along X", unit="m", step=0.1, ge=0.001, le=10_000)
    depth: float = field(4.0, "Depth", "Size along Z", unit="m", step=0.1, ge=0.001, le=10_000)
    along_x: int = field(1, "Divisions X", "Quads along the width", ge=1, le=500)
    along_z: int = field(1, "Divisions Z", "Quads along the depth", ge=1, le=500)

    def mesh(self) -> PolyMesh:
        return plane(self.width, self.depth, divisions=(self.along_x, self.along_z))
