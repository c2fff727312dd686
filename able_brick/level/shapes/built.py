"""Parts of buildings: arch, doorway, stairs, lettering."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.arch import arch
from able_brick.core.shapes.doorway import doorway
from able_brick.core.shapes.lettering import MOST_LETTERS, lettering
from able_brick.core.shapes.stairs import spiral_stairs, stairs, steps_for
from able_brick.level.field import count, field, length
from able_brick.level.shapes.shape import DISC, HEIGHT, RECTANGLE, Drag, Shape


class Arch(Shape):
    kind: Literal["arch"] = "arch"
    title = "Arch"
    about = "Half a ring on two feet, round or drawn up"
    icon = "rainbow"
    drags = (
        Drag(gesture="rectangle", sets=("span", "depth"), prompt="Drag the clear span and the depth"),
        Drag(gesture="up", sets=("rise",), prompt="Move to set the clear rise"),
        Drag(gesture="up", sets=("thickness",), less="rise", prompt="Move on to set the thickness"),
    )
    along: ClassVar[dict[str, str]] = {"span": "x", "rise": "y", "thickness": "xy", "depth": "z"}

    span: float = length(3.0, "Span", "Clear width between the feet")
    rise: float = length(1.5, "Rise", "Clear height in the middle")
    thickness: float = length(0.4, "Thickness", "Of the ring")
    depth: float = length(1.0, "Depth", "Size along Z")
    divisions: int = count(12, "Around", "Quads round", 2, 256)
    rows: int = count(1, "Along", "Quads through the depth", 1, 200)

    def form(self) -> PolyMesh:
        return arch(self.span, self.rise, self.thickness, self.depth, divisions=self.divisions, rows=self.rows)


class Doorway(Shape):
    kind: Literal["doorway"] = "doorway"
    title = "Doorway"
    about = "A wall with an opening, for a door or a window"
    icon = "door-open"
    drags = (
        Drag(gesture="rectangle", sets=("width", "thickness"), prompt="Drag the wall's width and thickness"),
        Drag(gesture="up", sets=("height",), prompt="Move to set the wall's height"),
        Drag(
            gesture="pane",
            sets=("offset", "opening_width", "sill", "opening_height"),
            prompt="Drag the opening on the wall",
        ),
    )
    along: ClassVar[dict[str, str]] = {
        "width": "x",
        "height": "y",
        "thickness": "z",
        "opening_width": "x",
        "opening_height": "y",
        "offset": "x",
        "sill": "y",
    }

    width: float = length(4.0, "Width", "Size along X")
    height: float = length(3.0, "Height", "Size along Y")
    thickness: float = length(0.3, "Thickness", "Size along Z", step=0.05)
    opening_width: float = length(1.0, "Opening W", "Width of the opening")
    opening_height: float = length(2.1, "Opening H", "Height of the opening")
    offset: float = field(
        0.0, "Off middle", "From the wall's middle to that of the opening", unit="m", step=0.1, ge=-10_000, le=10_000
    )
    sill: float = length(0.0, "Sill", "Where the opening begins; 0 is a door", least=0.0)

    def form(self) -> PolyMesh:
        return doorway(
            self.width,
            self.height,
            self.thickness,
            opening_width=self.opening_width,
            opening_height=self.opening_height,
            offset=self.offset,
            sill=self.sill,
        )


class Stairs(Shape):
    kind: Literal["stairs"] = "stairs"
    title = "Stairs"
    about = "A straight flight of equal steps that climbs toward −Z"
    icon = "stairs"
    drags = (RECTANGLE, HEIGHT)
    along: ClassVar[dict[str, str]] = {"width": "x", "height": "y", "depth": "z", "step_height": "y", "thickness": "yz"}

    width: float = length(1.5, "Width", "Size along X")
    height: float = length(2.0, "Height", "The climb")
    depth: float = length(3.0, "Run", "Size along Z")
    by: Literal["count", "step height"] = field("step height", "Steps by", "Their number, or about how high each is")
    steps: int = count(10, "Steps", "Number of steps", 1, 500, when={"by": ["count"]})
    step_height: float = length(
        0.18, "Step height", "The nearest that makes the steps equal is taken", least=0.01, step=0.01,
        when={"by": ["step height"]},
    )  # fmt: skip
    thickness: float = length(0.0, "Slab", "Thickness of the slab; 0 is solid to the ground", least=0.0, step=0.05)

    def form(self) -> PolyMesh:
        n = self.steps if self.by == "count" else min(500, steps_for(self.height, min(self.step_height, self.height)))
        return stairs(self.width, self.height, self.depth, steps=n, thickness=self.thickness)


class SpiralStairs(Shape):
    kind: Literal["spiral_stairs"] = "spiral_stairs"
    title = "Spiral stairs"
    about = "A flight that turns about an open core"
    icon = "rotate-3d"
    drags = (
        DISC,
        Drag(gesture="hole", sets=("core",), prompt="Move inward to set the core's radius"),
        HEIGHT,
    )
    along: ClassVar[dict[str, str]] = {
        "radius": "xz",
        "core": "xz",
        "height": "y",
        "step_height": "y",
        "thickness": "y",
    }

    radius: float = length(1.5, "Radius", "Outer radius", step=0.05)
    core: float = length(0.3, "Core radius", "Radius of the open core", step=0.05)
    height: float = length(3.0, "Height", "The climb")
    sweep: float = field(360.0, "Turn", "How far the flight turns", unit="°", step=15, ge=1, le=36_000)
    by: Literal["count", "step height"] = field("step height", "Steps by", "Their number, or about how high each is")
    steps: int = count(16, "Steps", "Number of steps", 1, 500, when={"by": ["count"]})
    step_height: float = length(
        0.18, "Step height", "The nearest that makes the steps equal is taken", least=0.01, step=0.01,
        when={"by": ["step height"]},
    )  # fmt: skip
    thickness: float = length(0.2, "Slab", "Thickness of the slab; 0 is solid to the ground", least=0.0, step=0.05)
    divisions: int = count(1, "On a step", "Quads along the curve of each step", 1, 32)
    climbs: Literal["left", "right"] = field("left", "Climbs to the", "Which way it turns for who goes up")

    def form(self) -> PolyMesh:
        n = self.steps if self.by == "count" else min(500, steps_for(self.height, min(self.step_height, self.height)))
        return spiral_stairs(
            self.radius,
            self.height,
            core=self.core,
            sweep=math.radians(self.sweep),
            steps=n,
            thickness=self.thickness,
            divisions=self.divisions,
            clockwise=self.climbs == "right",
        )


class Lettering(Shape):
    kind: Literal["lettering"] = "lettering"
    title = "Lettering"
    about = "Upright letters for a sign"
    icon = "type"
    drags = (
        Drag(gesture="point", prompt="Click where the middle of the letters stands"),
        Drag(gesture="up", sets=("height",), prompt="Move to set the height of capitals"),
    )
    along: ClassVar[dict[str, str]] = {"height": "xy", "spacing": "xy", "depth": "z"}

    text: str = field("Merrow Lock", "Text", "The letters", min_length=1, max_length=MOST_LETTERS)
    height: float = length(0.5, "Height", "Height of a capital", step=0.05)
    depth: float = length(0.05, "Depth", "Size along Z", step=0.01)
    spacing: float = field(0.0, "Spacing", "Added between letters", unit="m", step=0.01, ge=-100, le=1000)
    chord_error: float = field(
        2.0, "Curve error", "How far chords may leave the curves", unit="mm", step=0.5, ge=0.05, le=1000
    )

    def form(self) -> PolyMesh:
        error = min(self.chord_error / 1000, self.height / 4)
        return lettering(self.text, self.height, self.depth, chord_error=error, spacing=self.spacing)
