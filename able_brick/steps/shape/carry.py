"""Faces moved, turned and sized."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from scipy.spatial.transform import Rotation

from able_brick.core.edit.carry import carry, vertices_of
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.regions import Region
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.level.field import field
from able_brick.level.rows import Piece, Vector
from able_brick.steps.shape.element_tool import ElementTool, in_mesh


def middle_of(mesh: PolyMesh, faces: Ints) -> Floats:
    """The middle (3,) of the vertices of faces."""
    out: Floats = mesh.positions[vertices_of(mesh, faces)].mean(axis=0)
    return out


class MoveFaces(ElementTool):
    """Faces moved, with what hangs on them."""

    tool: Literal["move_faces"] = "move_faces"
    title: ClassVar[str] = "Move faces"
    about: ClassVar[str] = "Moves the picked faces in the piece's own axes, or along where they look"
    icon: ClassVar[str] = "move"

    by: Vector = field((0.0, 0.0, 0.0), "By", "In the axes of the piece's pivot", unit="m", step=0.05)
    out: float = field(0.0, "Outward", "Along the mean of where they look", unit="m", step=0.05, ge=-1e5, le=1e5)

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        shift = in_mesh(piece, self.by)
        if self.out != 0.0:
            region = Region.of(mesh, faces)
            shift = shift + region.mean_normals().mean(axis=0) * self.out
        return carry(mesh, faces, np.eye(3), shift, np.zeros(3))


class TurnFaces(ElementTool):
    """Faces turned about their middle."""

    tool: Literal["turn_faces"] = "turn_faces"
    title: ClassVar[str] = "Turn faces"
    about: ClassVar[str] = "Turns the picked faces about their middle"
    icon: ClassVar[str] = "rotate-cw"

    axis: Literal["x", "y", "z"] = field("y", "About", "An axis of the piece's pivot")
    angle: float = field(15.0, "Angle", "How far", unit="°", step=5, ge=-3600, le=3600)

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        axis = in_mesh(piece, np.eye(3)["xyz".index(self.axis)])
        turn = Rotation.from_rotvec(axis * np.radians(self.angle)).as_matrix()
        return carry(mesh, faces, turn, np.zeros(3), middle_of(mesh, faces))


class Taper(ElementTool):
    """Faces made larger or smaller about their middle."""

    tool: Literal["taper"] = "taper"
    title: ClassVar[str] = "Taper"
    about: ClassVar[str] = "Makes the picked faces smaller or larger about their middle"
    icon: ClassVar[str] = "scaling"

    share: float = field(75.0, "Size", "Of what they are", unit="%", step=5, ge=0.1, le=10_000)

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        return carry(mesh, faces, np.eye(3) * (self.share / 100), np.zeros(3), middle_of(mesh, faces))
