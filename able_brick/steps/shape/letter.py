"""Letters on a face."""

from __future__ import annotations

import math
from typing import Literal

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.errors import InputError
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.core.shapes.lettering import MOST_LETTERS, lettering
from able_brick.core.solid.letters import LetterWay, frame_of, lettered
from able_brick.core.text import counted
from able_brick.level.field import field, length
from able_brick.level.rows import Piece
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.shape.element_tool import ElementTool, axis_in_mesh
from able_brick.steps.twins import twins_of


class LetterFace(ElementTool):
    """A face with letters on it."""

    tool: Literal["letter_face"] = "letter_face"
    title = "Letter"
    verb = "Add form"
    about = "Puts letters onto the picked face: raised, sunk into it, or drawn as edges"
    icon = "type"
    leads = ("height", "depth")

    text: str = field("Merrow Lock", "Text", "The letters", min_length=1, max_length=MOST_LETTERS)
    way: LetterWay = field("sunk", "Letters", "Raised from the face, sunk into it, or drawn on it as edges")
    height: float = length(0.2, "Height", "Height of a capital", step=0.05)
    depth: float = length(0.02, "Depth", "How far they are raised or sunk", step=0.01)
    right: float = field(0.0, "Right", "From the face's middle", unit="m", step=0.05, ge=-1e5, le=1e5)
    up: float = field(0.0, "Up", "From the face's middle", unit="m", step=0.05, ge=-1e5, le=1e5)
    turn: float = field(0.0, "Turn", "Counter-clockwise", unit="°", step=15, ge=-360, le=360)
    spacing: float = field(0.0, "Spacing", "Added between letters", unit="m", step=0.01, ge=-100, le=1000)
    chord_error: float = field(
        2.0, "Curve error", "How far chords may leave the curves", unit="mm", step=0.5, ge=0.05, le=1000
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = pieces_of(draft, rows[:1])[0]
        # a mirrored twin follows the piece, and its letters with it
        over = sum(len(draft.users(twin.id)) for twin in twins_of(draft, piece))
        super().apply(draft, rows)
        if over:
            draft.note = f"{draft.note}; they read backwards on {counted(over, 'mirrored one', 'mirrored ones')}"

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        if len(ids) != 1:
            raise InputError(f"{len(ids)} faces are picked; letters go onto one. Pick it alone.", field="elements")
        face = int(ids[0])
        error = min(self.chord_error / 1000, self.height / 4)
        letters = lettering(self.text, self.height, self.depth, chord_error=error, spacing=self.spacing)
        at = frame_of(mesh, face, axis_in_mesh(piece, "y"), math.radians(self.turn))
        return lettered(mesh, face, letters, at, self.way, (self.right, self.up))
