"""What is picked taken away, made one, or turned over."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.dissolve import dissolve
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.edit.fill import FillWith, fill
from able_brick.core.edit.merge import collapse, weld
from able_brick.core.edit.remove import delete, flip
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import count, field
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool

EVERY: tuple[ElementType, ...] = ("face", "edge", "vertex")


class DeleteElements(ElementTool):
    """Faces taken away, or all that have a picked edge or vertex."""

    tool: Literal["delete_elements"] = "delete_elements"
    title = "Delete"
    verb = "Join and part"
    about = "Takes the picked faces away, or all faces at what is picked; the piece is open there"
    icon = "trash-2"
    opens = True
    instant = True
    takes = EVERY

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        if kind != "face":
            touched = np.zeros(mesh.vertex_count, np.bool_)
            touched[converted(mesh, kind, ids, "vertex")] = True
            at = touched[mesh.corners]
            if kind == "edge":
                at &= touched[mesh.corners[mesh.next_corner]]
            ids = np.unique(mesh.corner_face[at])
        return delete(mesh, ids)


class DissolveElements(ElementTool):
    """Faces made one."""

    tool: Literal["dissolve_elements"] = "dissolve_elements"
    title = "Dissolve"
    verb = "Join and part"
    about = "Makes the faces one that the picked edges or vertices part, or the picked faces themselves"
    icon = "eraser"
    takes = EVERY

    vertices: Literal["tidy", "keep"] = field(
        "tidy", "Vertices", "Those that are left with two edges go as well, or stay"
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return dissolve(mesh, kind, ids, tidy=self.vertices == "tidy")


class Collapse(ElementTool):
    """What is picked drawn together."""

    tool: Literal["collapse"] = "collapse"
    title = "Collapse"
    verb = "Join and part"
    about = "Draws the picked edges or faces together, each connected part to its middle"
    icon = "shrink"
    instant = True
    takes = ("edge", "face")

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return collapse(mesh, converted(mesh, kind, ids, "edge"))


class Weld(ElementTool):
    """Vertices that lie near each other made one."""

    tool: Literal["weld"] = "weld"
    title = "Weld"
    verb = "Join and part"
    key = "W"
    about = "Makes picked vertices one that lie within a distance of each other"
    icon = "merge"
    amounts = (("distance", 0.0),)
    takes = ("vertex", "edge", "face")

    distance: float = field(0.001, "Within", "How far apart they may lie", unit="m", step=0.001, ge=0, le=1e5)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return weld(mesh, converted(mesh, kind, ids, "vertex"), self.distance)


class Fill(ElementTool):
    """Borders closed."""

    tool: Literal["fill"] = "fill"
    title = "Fill"
    verb = "Join and part"
    about = "Closes the borders that the picked edges lie on"
    icon = "square"
    takes = ("edge",)

    how: FillWith = field(
        "one face",
        "With",
        "One face for each border; triangles to a vertex in its middle, or of least area together; or a grid of quads",
    )
    up_to: int = count(0, "Others up to", "All other borders of at most so many edges as well", 0, 1000)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return fill(mesh, ids, self.how, up_to=self.up_to)


class FlipFaces(ElementTool):
    """Faces turned over."""

    tool: Literal["flip_faces"] = "flip_faces"
    title = "Flip faces"
    verb = "Join and part"
    about = "Has the picked faces look the other way"
    icon = "flip-horizontal"
    instant = True

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return flip(mesh, ids)
