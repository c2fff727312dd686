"""Edges and corners cut off."""

from __future__ import annotations

from typing import Literal

from able_brick.core.edit.bevel import bevel
from able_brick.core.edit.bevel_vertices import bevel_vertices
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import count, field
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool


class Bevel(ElementTool):
    """Edges cut off, flat or round; or vertices."""

    tool: Literal["bevel"] = "bevel"
    title = "Bevel"
    verb = "Add form"
    key = "B"
    about = "Cuts the picked edges or vertices off, flat or round"
    icon = "squircle"
    amounts = (("width", 0.0),)
    takes = ("edge", "vertex")

    width: float = field(0.1, "Width", "Along the faces, from the old edge", unit="m", step=0.01, gt=0, le=1e5)
    segments: int = count(1, "Segments", "Across an edge; vertices get one face", 1, 32)
    profile: float = field(
        50.0, "Profile", "0 is flat, 50 round, 100 comes out to the old edge", unit="%", step=5, ge=0, le=100
    )
    beyond: Literal["take what fits", "refuse"] = field(
        "take what fits", "Too wide", "What becomes of a width that does not fit"
    )
    paint: Literal["as beside", "slot"] = field("as beside", "New faces", "The material of the face beside, or a slot")
    material: int = count(0, "Slot", "The number of the material", 0, 255, when={"paint": ["slot"]})

    @property
    def takes_what_fits(self) -> bool:
        return self.beyond == "take what fits"

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        clamp = self.beyond == "take what fits"
        if kind == "vertex":
            return bevel_vertices(mesh, ids, self.width, clamp=clamp)
        return bevel(
            mesh,
            ids,
            self.width,
            segments=self.segments,
            shape=self.profile / 100,
            clamp=clamp,
            material=self.material if self.paint == "slot" else None,
        )
