"""Place a piece of the kit in the level."""

from __future__ import annotations

from typing import Literal

from able_brick.core.place.pose import from_degrees, quaternion
from able_brick.level.field import field
from able_brick.level.rows import Placement, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import check_group


class PlacePiece(Tool):
    """One placement of a piece."""

    tool: Literal["place_piece"] = "place_piece"
    title = "Place"
    about = "Puts the piece into the level, its pivot on the given place"
    verb = "Place"
    stages = ("kit", "build")
    need = Need(kinds=("piece",), least=1, most=1)
    icon = "map-pin"

    position: Vector = field((0.0, 0.0, 0.0), "Position", "Where the pivot stands", unit="m", widget="position")
    turn: Vector = field((0.0, 0.0, 0.0), "Turn", "Turn about X, Y and Z", unit="°", step=15)
    group: str | None = field(None, "Group", "The group that it is put into", widget="none")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = draft.piece(rows[0].id)
        place = Placement(
            id=draft.new_id("placement"),
            level=draft.level_id,
            name=draft.unique_name(piece.name, "placement"),
            piece=piece.id,
            group=check_group(draft, self.group),
            position=self.position,
            turn=quaternion(from_degrees(self.turn)),
        )
        draft.put(place)
        draft.select = (place.id,)
