"""Form that is added to faces: pulled out, drawn inward."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.inset import inset
from able_brick.core.mesh.polymesh import Ints, PolyMesh
from able_brick.level.field import field
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool, in_mesh

Together = Literal["together", "each"]


class Extrude(ElementTool):
    """Faces pulled out, with walls behind them."""

    tool: Literal["extrude"] = "extrude"
    title: ClassVar[str] = "Extrude"
    about: ClassVar[str] = "Pulls the picked faces out, or pushes them in, with walls behind them"
    icon: ClassVar[str] = "chevrons-up"

    depth: float = field(
        0.3, "Depth", "How far out, below 0 how far in; in the piece's own metres", unit="m", step=0.05, ge=-1e5, le=1e5
    )
    faces: Together = field("together", "Faces", "Together as one, or each face by itself")
    direction: Literal["normal", "x", "y", "z"] = field(
        "normal", "Along", "Along the mean of where they look, or an axis of the piece"
    )
    walls: Literal["straight", "even"] = field(
        "straight",
        "Walls",
        "Straight, or as thick everywhere between faces at an angle",
        when={"direction": ["normal"]},
    )

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        axis = None if self.direction == "normal" else in_mesh(piece, np.eye(3)["xyz".index(self.direction)])
        return extrude(mesh, faces, self.depth, each=self.faces == "each", way=self.walls, direction=axis)


class Inset(ElementTool):
    """Faces whose border is drawn inward."""

    tool: Literal["inset"] = "inset"
    title: ClassVar[str] = "Inset"
    about: ClassVar[str] = "Draws the border of the picked faces inward, with a ring of faces around them"
    icon: ClassVar[str] = "square"

    width: float = field(0.1, "Width", "Even along all edges", unit="m", step=0.05, gt=0, le=1e5)
    depth: float = field(
        0.0, "Depth", "How far out what is inside goes, below 0 in", unit="m", step=0.05, ge=-1e5, le=1e5
    )
    faces: Together = field("together", "Faces", "Together as one, or each face by itself")

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        return inset(mesh, faces, self.width, depth=self.depth, each=self.faces == "each")
