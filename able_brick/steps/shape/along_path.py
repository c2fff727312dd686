"""Faces pulled out along a path of the level."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.edit.sweep import sweep
from able_brick.core.errors import InputError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.level.field import count, field
from able_brick.level.rows import Path, Piece
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.shape.element_tool import ElementTool


class ExtrudeAlong(ElementTool):
    """Faces pulled out along the form of a path."""

    tool: Literal["extrude_along"] = "extrude_along"
    title = "Sweep along path"
    about = "Pulls the picked faces out along the form of a path, from where they are"
    verb = "Add form"
    icon = "spline"

    path: str = field("", "Path", "Its form counts, not where it lies", widget="path", max_length=80)
    sections: int = count(8, "Sections", "Over the whole path", 1, 200)
    spacing: Literal["even", "closer at the end", "closer at the start"] = field(
        "even", "Rhythm", "How the sections follow each other"
    )
    turn: float = field(0.0, "Turn", "Over the whole path", unit="°", step=15, ge=-3600, le=3600)
    taper: float = field(
        100.0,
        "End size",
        "Of the faces at the end of the path, in what they are now",
        unit="%",
        step=5,
        ge=0.1,
        le=10_000,
    )

    def edit_shown(
        self, draft: Draft, rows: list[ARow], piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices
    ) -> Edited:
        row = draft.things.get(self.path)
        if not isinstance(row, Path):
            raise InputError("Choose a path of this level for them to follow.", field="path")
        guide = row.guide(upright=False)
        share = np.linspace(0.0, 1.0, self.sections + 1)
        if self.spacing == "closer at the end":
            share = 1.0 - (1.0 - share) ** 2
        elif self.spacing == "closer at the start":
            share = share**2
        found = guide.sections(share * guide.length)
        up = found.up / np.linalg.norm(found.up, axis=1)[:, None]
        side = found.side / np.linalg.norm(found.side, axis=1)[:, None]
        frames: Floats = np.stack([side, up, np.cross(side, up)], axis=2)
        angle = np.radians(self.turn) * share
        about = Rotation.from_rotvec(angle[:, None] * np.array([0.0, 0.0, 1.0])).as_matrix()
        sizes = 1.0 + (self.taper / 100 - 1.0) * share
        return sweep(mesh, ids, found.origin, frames @ about, sizes)
