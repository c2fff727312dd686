"""Faces taken away or turned over."""

from __future__ import annotations

from typing import ClassVar, Literal

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.remove import delete, flip
from able_brick.core.mesh.polymesh import Ints, PolyMesh
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool


class DeleteFaces(ElementTool):
    """Faces taken away."""

    tool: Literal["delete_faces"] = "delete_faces"
    title: ClassVar[str] = "Delete faces"
    about: ClassVar[str] = "Takes the picked faces away; the piece is open there"
    icon: ClassVar[str] = "trash-2"
    instant: ClassVar[bool] = True

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        return delete(mesh, faces)


class FlipFaces(ElementTool):
    """Faces turned over."""

    tool: Literal["flip_faces"] = "flip_faces"
    title: ClassVar[str] = "Flip faces"
    about: ClassVar[str] = "Has the picked faces look the other way"
    icon: ClassVar[str] = "flip-horizontal"
    instant: ClassVar[bool] = True

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        return flip(mesh, faces)
