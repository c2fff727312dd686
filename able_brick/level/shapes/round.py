"""Round shapes."""

from __future__ import annotations

from typing import ClassVar, Literal

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.cylinder import capsule, cone, cylinder
from able_brick.core.shapes.helix import helix
from able_brick.core.shapes.sphere import even_sphere, sphere
from able_brick.core.shapes.tube import torus, tube
from able_brick.level.field import count, field, length
from able_brick.level.shapes.shape import DISC, HEIGHT, Drag, Shape


class Cylinder(Shape):
    kind: Literal["cylinder"] = "cylinder"
    title = "Cylinder"
    about = "Upright, with flat or rounded ends; six sides make a hexagon"
    icon = "cylinder"
    drags = (DISC, HEIGHT)
    along: ClassVar[dict[str, str]] = {"radius": "xz", "height": "y"}

    radius: float = length(0.5, "Radius", "Radius of the corners", step=0.05)
    height: float = length(2.0, "Height", "Size along Y")
    sides: int = count(16, "Around", "Quads round; six makes a hexagon", 3, 512)
    rows: int = count(1, "Along", "Quads along the height", 1, 500)
    cap_rings: int = count(0, "On caps", "Rings on each end; 0: each end is one face", 0, 100)
    rounding: float = length(0.0, "Rounded rims", "Radius of the rims; 0 is sharp", least=0.0, step=0.02)
    round_rows: int = count(3, "Over rims", "Quads over each rounded rim", 1, 64)

    def form(self) -> PolyMesh:
        return cylinder(
            self.radius,
            self.height,
            sides=self.sides,
            rows=self.rows,
            cap_rings=self.cap_rings,
            rounding=self.rounding,
            round_rows=self.round_rows,
        )


class Capsule(Shape):
    kind: Literal["capsule"] = "capsule"
    title = "Capsule"
    about = "A cylinder with half balls for ends"
    icon = "pill"
    drags = (DISC, HEIGHT)

    radius: float = length(0.35, "Radius", "Radius of the corners", step=0.05)
    height: float = length(1.8, "Height", "Whole height, at least twice the radius")
    sides: int = count(16, "Around", "Quads round", 3, 512)
    rows: int = count(1, "Along", "Quads along the straight part", 1, 500)
    cap_rows: int = count(4, "On caps", "Quads over each end", 1, 128)

    def form(self) -> PolyMesh:
        height = max(self.height, 2 * self.radius)
        return capsule(self.radius, height, sides=self.sides, rows=self.rows, cap_rows=self.cap_rows)


class Sphere(Shape):
    kind: Literal["sphere"] = "sphere"
    title = "Sphere"
    about = "From rings that meet in two poles, or of even quads"
    icon = "globe"
    drags = (DISC,)

    radius: float = length(1.0, "Radius", "Radius of the corners", step=0.05)
    build: Literal["rings", "even quads"] = field("rings", "Build", "Rings with two poles, or a cube blown up")
    sides: int = count(24, "Around", "Quads round", 3, 512, when={"build": ["rings"]})
    rows: int = count(12, "Along", "Quads from pole to pole", 2, 512, when={"build": ["rings"]})
    divisions: int = count(8, "Divisions", "Quads along each side of the cube", 1, 200, when={"build": ["even quads"]})

    def form(self) -> PolyMesh:
        if self.build == "even quads":
            return even_sphere(self.radius, divisions=self.divisions)
        return sphere(self.radius, sides=self.sides, rows=self.rows)


class Cone(Shape):
    kind: Literal["cone"] = "cone"
    title = "Cone"
    about = "Runs to a point, or to a smaller top"
    icon = "cone"
    drags = (DISC, HEIGHT)
    along: ClassVar[dict[str, str]] = {"radius": "xz", "top_radius": "xz", "height": "y"}

    radius: float = length(1.0, "Radius", "Radius of the base", step=0.05)
    height: float = length(2.0, "Height", "Size along Y")
    top_radius: float = length(0.0, "Top radius", "0 runs to a point", least=0.0, step=0.05)
    sides: int = count(16, "Around", "Quads round", 3, 512)
    rows: int = count(1, "Along", "Quads along the height", 1, 500)
    cap_rings: int = count(0, "On caps", "Rings on each end; 0: each end is one face", 0, 100)

    def form(self) -> PolyMesh:
        return cone(
            self.radius,
            self.height,
            top_radius=self.top_radius,
            sides=self.sides,
            rows=self.rows,
            cap_rings=self.cap_rings,
        )


class Tube(Shape):
    kind: Literal["tube"] = "tube"
    title = "Tube"
    about = "A hollow cylinder"
    icon = "circle-dot"
    drags = (
        DISC,
        Drag(gesture="wall", sets=("thickness",), prompt="Move inward to set the wall's thickness"),
        HEIGHT,
    )
    along: ClassVar[dict[str, str]] = {"radius": "xz", "thickness": "xz", "height": "y"}

    radius: float = length(0.5, "Radius", "Outer radius", step=0.05)
    height: float = length(2.0, "Height", "Size along Y")
    thickness: float = length(0.1, "Thickness", "Thickness of the wall", step=0.02)
    sides: int = count(24, "Around", "Quads round", 3, 512)
    rows: int = count(1, "Along", "Quads along the height", 1, 500)
    end_rings: int = count(1, "On the ends", "Quads across the wall", 1, 100)

    def form(self) -> PolyMesh:
        return tube(
            self.radius, self.height, self.thickness, sides=self.sides, rows=self.rows, end_rings=self.end_rings
        )


class Torus(Shape):
    kind: Literal["torus"] = "torus"
    title = "Torus"
    about = "A ring with a round section"
    icon = "torus"
    drags = (
        DISC,
        Drag(gesture="ring", sets=("section",), prompt="Move away from the rim to set the section"),
    )

    radius: float = length(1.0, "Radius", "From the centre to the middle of the section", step=0.05)
    section: float = length(0.25, "Section radius", "Radius of the round section", step=0.02)
    sides: int = count(32, "Around", "Quads round", 3, 512)
    section_sides: int = count(12, "Section sides", "Quads round the section", 3, 256)

    def form(self) -> PolyMesh:
        return torus(self.radius, self.section, sides=self.sides, section_sides=self.section_sides)


class Helix(Shape):
    kind: Literal["helix"] = "helix"
    title = "Helix"
    about = "A round section wound upward"
    icon = "iteration-ccw"
    drags = (
        DISC,
        Drag(gesture="up", sets=("pitch",), prompt="Move to set the climb of one turn"),
        Drag(gesture="up", sets=("turns",), per="pitch", step=0.25, prompt="Move to set the number of turns"),
        Drag(gesture="ring", sets=("section",), prompt="Move away from the rim to set the section"),
    )

    radius: float = length(0.5, "Radius", "From the axis to the middle of the section", step=0.05)
    pitch: float = length(0.4, "Pitch", "Climb of one turn", step=0.05)
    turns: float = field(3.0, "Turns", "Number of turns", step=0.25, ge=0.05, le=200)
    section: float = length(0.06, "Section radius", "Radius of the round section", step=0.01)
    divisions: int = count(16, "Along a turn", "Quads along each turn", 3, 256)
    section_sides: int = count(8, "Section sides", "Quads round the section", 3, 128)
    hand: Literal["right", "left"] = field("right", "Hand", "A right-handed or a left-handed screw")

    def form(self) -> PolyMesh:
        return helix(
            self.radius,
            self.pitch,
            self.turns,
            self.section,
            divisions=self.divisions,
            section_sides=self.section_sides,
            left_handed=self.hand == "left",
        )
