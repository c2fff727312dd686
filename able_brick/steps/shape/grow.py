"""Form that is added: faces pulled out and drawn inward, borders pulled on, faces copied."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from able_brick.core.edit.carry import carry, centres, middle_of
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.inset import inset
from able_brick.core.edit.pull import pull_edges
from able_brick.core.edit.twice import copy_faces
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Piece, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.shape.element_tool import ElementTool, axis_in_mesh, in_mesh, way_in_mesh

Together = Literal["together", "each"]
Along = Literal["normal", "x", "y", "z"]
AlongOrPoints = Literal["normal", "x", "y", "z", "points"]


class Extrude(ElementTool):
    """Faces pulled out, with walls behind them."""

    tool: Literal["extrude"] = "extrude"
    title = "Extrude"
    verb = "Add form"
    key = "X"
    about = "Pulls the picked faces out, or pushes them in, with walls behind them"
    icon = "chevrons-up"
    amounts = (("depth", 0.0),)

    depth: float = field(
        0.3, "Depth", "How far out, below 0 how far in; in the piece's own metres", unit="m", step=0.05, ge=-1e5, le=1e5
    )
    faces: Together = field("together", "Faces", "Together as one, or each face by itself")
    taper: float = field(
        100.0, "End size", "Of the faces at the far end, in what they are now", unit="%", step=5, ge=0.1, le=10_000
    )
    direction: AlongOrPoints = field(
        "normal", "Along", "The mean of where they look, an axis of the piece, or from one picked point to another"
    )
    start: FeatureAt | None = field(
        None, "From", "A vertex, edge or face in the view", widget="feature at", when={"direction": ["points"]}
    )
    end: FeatureAt | None = field(
        None, "To", "A vertex, edge or face in the view", widget="feature at", when={"direction": ["points"]}
    )
    walls: Literal["even", "straight"] = field(
        "even",
        "Walls",
        "As thick everywhere between faces at an angle, or straight along the mean of them",
        when={"direction": ["normal"]},
    )
    base: Literal["taken along", "left"] = field(
        "taken along", "Base", "Left, the faces stay too, and what is pulled out is a closed body"
    )

    def edit_shown(
        self, draft: Draft, rows: list[ARow], piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices
    ) -> Edited:
        if self.direction == "normal":
            axis = None
        elif self.direction == "points":
            axis = way_in_mesh(draft, rows[0], piece, self.start, self.end)
        else:
            axis = axis_in_mesh(piece, self.direction)
        out = extrude(
            mesh,
            ids,
            self.depth,
            each=self.faces == "each",
            way=self.walls,
            direction=axis,
            leave=self.base == "left",
        )
        if self.taper == 100.0:
            return out
        each = self.faces == "each"
        about = centres(out.mesh, "face", out.picked) if each else middle_of(out.mesh, "face", out.picked)
        there = carry(out.mesh, "face", out.picked, np.eye(3) * (self.taper / 100), np.zeros(3), about)
        return replace(out, mesh=there.mesh)


class PullEdges(ElementTool):
    """Faces pulled out of borders."""

    tool: Literal["pull_edges"] = "pull_edges"
    title = "Pull edges out"
    verb = "Add form"
    about = "Pulls new faces out of the picked borders, on in the plane of their faces or along an axis"
    icon = "chevrons-right"
    opens = True
    amounts = (("depth", 0.0),)
    takes = ("edge",)

    depth: float = field(0.3, "Depth", "How far", unit="m", step=0.05, ge=-1e5, le=1e5)
    direction: Along = field("normal", "Along", "On in the plane of their faces, or an axis of the piece")

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        axis = None if self.direction == "normal" else axis_in_mesh(piece, self.direction)
        return pull_edges(mesh, ids, self.depth, direction=axis)


class Inset(ElementTool):
    """Faces whose border is drawn inward."""

    tool: Literal["inset"] = "inset"
    title = "Inset"
    verb = "Add form"
    key = "Y"
    about = "Draws the border of the picked faces inward, with a ring of faces around them"
    icon = "square"
    amounts = (("width", 0.0), ("depth", 0.0))

    width: float = field(0.1, "Width", "Even along all edges", unit="m", step=0.05, gt=0, le=1e5)
    depth: float = field(
        0.0, "Depth", "How far out what is inside goes, below 0 in", unit="m", step=0.05, ge=-1e5, le=1e5
    )
    faces: Together = field("together", "Faces", "Together as one, or each face by itself")

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return inset(mesh, ids, self.width, depth=self.depth, each=self.faces == "each")


class CopyFaces(ElementTool):
    """Faces copied within the piece."""

    tool: Literal["copy_faces"] = "copy_faces"
    title = "Copy faces"
    verb = "Add form"
    about = "Copies the picked faces within the piece, as a part of their own"
    icon = "copy"
    opens = True

    by: Vector = field((1.0, 0.0, 0.0), "By", "In the axes of the piece's pivot", unit="m", step=0.05)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return copy_faces(mesh, ids, in_mesh(piece, self.by))
