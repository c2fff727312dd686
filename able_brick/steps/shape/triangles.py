"""Which triangles the faces of a piece are made of."""

from __future__ import annotations

import math
from typing import Literal

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.edit.triangles import DiagonalBy, as_quads, triangulated_faces, turned_edges
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import field
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool


class Triangulate(ElementTool):
    """Faces cut into triangles."""

    tool: Literal["triangulate"] = "triangulate"
    title = "Triangulate"
    verb = "Divide"
    about = "Cuts the picked faces into triangles, so that an engine gets these and no others"
    icon = "triangle"
    takes = ("face",)

    by: DiagonalBy = field(
        "best angles",
        "By",
        "The shortest diagonals; those that leave no narrow corner; or those along which the face bends least",
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return triangulated_faces(mesh, ids, self.by)


class TurnEdges(ElementTool):
    """Edges between triangles turned."""

    tool: Literal["turn_edges"] = "turn_edges"
    title = "Turn edge"
    verb = "Divide"
    about = "Has each picked edge between two triangles join their other two corners"
    icon = "replace"
    takes = ("edge",)
    instant = True

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return turned_edges(mesh, ids)


class QuadsOfTriangles(ElementTool):
    """Pairs of triangles made quads."""

    tool: Literal["quads_of_triangles"] = "quads_of_triangles"
    title = "Triangles to quads"
    verb = "Join and part"
    about = "Makes pairs of the picked triangles quads where they fit, the best ones first"
    icon = "square"
    takes = ("face",)

    bend: float = field(5.0, "Bend", "The most that a quad may be folded", unit="°", step=1, ge=0, le=180)
    skew: float = field(45.0, "Skew", "How far its corners may be from right angles", unit="°", step=5, gt=0, lt=90)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return as_quads(mesh, ids, bend=math.radians(self.bend) + 1e-9, skew=math.radians(self.skew) + 1e-9)
