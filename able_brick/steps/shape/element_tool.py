"""What all tools share that edit the mesh of a piece."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.errors import InputError, StaleElementsError
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.place.pose import rotation
from able_brick.core.text import counted, grouped
from able_brick.level.elements import Elements
from able_brick.level.field import field
from able_brick.level.rows import Piece
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.tool import Need, Stage, Tool


def elements_field() -> Any:
    """What is picked of the piece that is open."""
    return field(Elements(), "Elements", "The picked faces", widget="none")


class ElementTool(Tool):
    """A tool that makes another mesh of a piece's by what is picked of it; all that shows the piece follows."""

    verb: ClassVar[Literal["Shape"]] = "Shape"
    stages: ClassVar[tuple[Stage, ...]] = ("shape",)
    need: ClassVar[Need] = Need(kinds=("piece", "placement", "array", "course"), least=1, most=1)

    elements: Elements = elements_field()

    def edit(self, piece: Piece, mesh: PolyMesh, faces: Ints) -> Edited:
        """The mesh as it is to be."""
        raise NotImplementedError

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = pieces_of(draft, rows)[0]
        if not self.elements.ids:
            raise InputError("No face is picked yet: click one of the piece that is open.", field="elements")
        if self.elements.mesh != piece.mesh:
            raise StaleElementsError(f"{piece.name} has changed since the faces were picked; pick them again.")
        mesh = draft.mesh(piece)
        faces = self.elements.numbers(mesh)
        out = self.edit(piece, mesh, faces)
        key, known = draft.keep_mesh(out.mesh, piece.axes)
        draft.put(piece.changed(mesh=key, facts=known))
        draft.elements = Elements.of(key, out.picked.tolist())
        more = known.triangles - piece.facts.triangles
        change = f", {'+' if more > 0 else '−'}{grouped(abs(more))} tris" if more else ""
        draft.note = f"{counted(len(faces), 'face', 'faces')} of {piece.name}{change}"


def in_mesh(piece: Piece, direction: Floats | tuple[float, float, float]) -> Floats:
    """A direction (3,) in the axes of a piece's pivot, in those of its mesh."""
    out: Floats = rotation(piece.axes).inv().apply(np.asarray(direction, np.float64))
    return out
