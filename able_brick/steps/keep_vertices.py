"""Vertices of a piece that are picked to stay where they are on every rung."""

from __future__ import annotations

from typing import Final, Literal

from able_brick.core.errors import GeometryError, InputError, SelectionError
from able_brick.core.place.pose import vector
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, feature_vertices
from able_brick.level.snapshot import ARow
from able_brick.level.surface import FaceAt, item_at
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool

_MOST_KEPT: Final = 5000


class KeepVertices(Tool):
    """Vertices that stay where they are on every rung."""

    tool: Literal["keep_vertices"] = "keep_vertices"
    title = "Keep vertices"
    about = "A vertex, or those of an edge or a face, stay exactly where they are on every rung; picked again, no more"
    verb = "Slim"
    stages = ("slim",)
    need = Need(kinds=("placement", "array", "course"), least=1, most=1)
    icon = "map-pin"

    on: FeatureAt | None = field(None, "At", "The vertex, edge or face in the view", widget="feature at")

    @property
    def moves_nothing(self) -> bool:
        return True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        if self.on is None:
            raise InputError("Nothing is picked yet: click a vertex, edge or face in the view.", field="on")
        face = FaceAt(thing=self.on.thing, item=self.on.item, face=self.on.face)
        drawable, mesh, _ = item_at(draft.snapshot, draft.level_id, draft.load, face)
        piece = draft.piece(drawable.piece.id)
        if drawable.deformer is not None:
            raise SelectionError(f"This item of {piece.name} is bent or mirrored; pick one that stands as it is.")
        chosen = [vector(mesh.positions[v]) for v in feature_vertices(mesh, self.on)]
        if set(chosen) <= set(piece.kept):
            kept = tuple(p for p in piece.kept if p not in chosen)
            draft.note = f"{counted(len(chosen), 'vertex', 'vertices')} of {piece.name} may go"
        else:
            kept = tuple(dict.fromkeys((*piece.kept, *chosen)))
            draft.note = f"{counted(len(kept), 'vertex', 'vertices')} of {piece.name} stay on every rung"
        if len(kept) > _MOST_KEPT:
            raise GeometryError(
                f"At most {_MOST_KEPT} vertices are picked one by one; choose sides of the box instead."
            )
        draft.put(piece.changed(kept=kept))
