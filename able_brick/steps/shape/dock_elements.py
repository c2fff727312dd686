"""What is picked of a piece brought to a place of the level."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from able_brick.core.edit.carry import placed
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.errors import GeometryError, InputError
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.core.place.meet import meeting
from able_brick.level.field import field
from able_brick.level.rows import Piece, Placement, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.shape.element_tool import ElementTool
from able_brick.steps.tool import Need


class DockElements(ElementTool):
    """What is picked moved so that one vertex of it lies on a place of the level."""

    tool: Literal["dock_elements"] = "dock_elements"
    title = "Dock elements"
    about = "Brings a vertex of what is picked exactly onto a corner, edge or face of something else"
    verb = "Move"
    icon = "magnet"
    key = "K"
    leads = ()
    need = Need(kinds=("placement",), least=1, most=1)
    takes = ("vertex", "edge", "face")

    grip: Annotated[int, Field(ge=0)] = field(0, "Grip", "The vertex that lands", widget="none")
    landing: Vector = field((0.0, 0.0, 0.0), "Landing", "A place of the level", unit="m", step=0.05)

    def edit_shown(
        self, draft: Draft, rows: list[ARow], piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices
    ) -> Edited:
        row = rows[0]
        if not isinstance(row, Placement):
            raise InputError("Select the placement whose elements are to be docked.")
        vertices = converted(mesh, kind, ids, "vertex")
        at = np.flatnonzero(vertices == self.grip)
        if not len(at):
            raise GeometryError("The grip is none of the picked vertices; click one of them.", received=self.grip)
        goal = meeting(np.asarray(self.landing), row.position, row.turn, row.size, piece.pivot, piece.axes)
        moved = mesh.positions[vertices] + (goal - mesh.positions[self.grip])
        moved[at[0]] = goal
        return placed(mesh, kind, ids, vertices, moved)
