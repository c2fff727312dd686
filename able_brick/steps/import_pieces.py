"""Bring meshes of a file onto the shelf, and into the level where asked."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from able_brick.core.errors import InputError
from able_brick.core.place.pivots import Along, box_anchor, compensated
from able_brick.core.place.pose import ORIGIN
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Piece, Placement, Quaternion, Surface, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, facts
from able_brick.steps.tool import Stage, Tool


class Arrival(BaseModel):
    """One mesh that has been read and stored under its hash, with the places where it stood in the file.

    The pivot is the mesh's origin, or with `base_pivot` the middle of the box's underside.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: str
    mesh: str
    materials: tuple[Surface, ...]
    stands: tuple[tuple[str, Vector, Quaternion, Vector], ...] = ()
    base_pivot: bool = False


class ImportPieces(Tool):
    """New pieces from a file; the meshes are stored before the step is taken."""

    tool: Literal["import_pieces"] = "import_pieces"
    title: ClassVar[str] = "Bring in"
    about: ClassVar[str] = "Puts the meshes of a file onto the shelf"
    verb: ClassVar[Literal["Make"]] = "Make"
    stages: ClassVar[tuple[Stage, ...]] = ("kit",)
    hidden: ClassVar[bool] = True
    adjustable: ClassVar[bool] = False
    icon: ClassVar[str] = "import"

    file: str = field("", "File", "Name of the file")
    arrivals: tuple[Arrival, ...] = field((), "Pieces", "What was in the file")
    place: bool = field(False, "Place", "Put the pieces where they stood in the file")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        if not self.arrivals:
            raise InputError("Nothing to bring in.", field="arrivals")
        made: list[str] = []
        for arrival in self.arrivals:
            mesh = draft.load(arrival.mesh)
            pivot = box_anchor(mesh, Along.MIDDLE, Along.LOW, Along.MIDDLE) if arrival.base_pivot else ORIGIN
            piece = Piece(
                id=draft.new_id("piece"),
                name=draft.unique_name(arrival.name, "piece"),
                mesh=arrival.mesh,
                materials=arrival.materials,
                pivot=pivot,
                facts=facts(mesh),
            )
            draft.put(piece)
            made.append(piece.id)
            for name, position, turn, size in arrival.stands if self.place else ():
                draft.put(
                    Placement(
                        id=draft.new_id("placement"),
                        level=draft.level_id,
                        name=name,
                        piece=piece.id,
                        position=compensated(position, turn, size, ORIGIN, pivot),
                        turn=turn,
                        size=size,
                    )
                )
        draft.select = tuple(made)
        draft.note = f"{counted(len(made), 'piece', 'pieces')} from {self.file}"
