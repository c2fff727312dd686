"""Draw a shape: a new piece with live dimensions, and its first placement."""

from __future__ import annotations

from typing import Literal

from able_brick.core.place.pose import from_degrees, quaternion, rotation
from able_brick.core.text import grouped
from able_brick.level.field import field
from able_brick.level.palette import PALETTE, Tint
from able_brick.level.rows import Dimensions, Piece, Placement, Vector
from able_brick.level.shapes.catalogue import AnyShape
from able_brick.level.shapes.flat_sided import Box
from able_brick.level.snapshot import ARow
from able_brick.level.surface import FaceAt, ground_of, on_ground
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Tool
from able_brick.steps.tree import check_group


class AddShape(Tool):
    """A new piece from a shape, standing on the ground or on a face."""

    tool: Literal["add_shape"] = "add_shape"
    title = "Draw a shape"
    about = "Makes a piece of exact size that keeps its dimensions, and places it"
    verb = "Make"
    stages = ("kit", "build")
    icon = "shapes"
    leads = ()
    hidden = True

    shape: AnyShape = field(Box(), "Shape", "The shape and its dimensions", widget="shape")
    name: str = field("", "Name", "Name on the shelf; empty for the shape's own", max_length=80)
    surface: Tint = field(Tint.STONE, "Surface", "Surface from the palette")
    position: Vector = field(
        (0.0, 0.0, 0.0), "Position", "Where the base centre of the first placement stands", unit="m", widget="position"
    )
    heading: float = field(0.0, "Heading", "Turn about the upright of the base", unit="°", step=15, ge=-360, le=360)
    on: FaceAt | None = field(None, "On", "The face that the base lies on; the ground when left out", widget="none")
    group: str | None = field(None, "Group", "The group that it is put into", widget="none")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        position, turn = self.position, from_degrees((0.0, self.heading, 0.0))
        if self.on is not None:
            ground = ground_of(draft.snapshot, draft.level_id, draft.load, self.on)
            position, turn = on_ground(ground, position), rotation(ground.turn) * turn
        mesh, facts = draft.keep_mesh(self.shape.mesh())
        piece = Piece(
            id=draft.new_id("piece"),
            name=draft.unique_name(self.name.strip() or self.shape.title, "piece"),
            mesh=mesh,
            materials=(PALETTE[self.surface],),
            facts=facts,
            dimensions=Dimensions(shape=self.shape, mesh=mesh),
        )
        draft.put(piece)
        place = Placement(
            id=draft.new_id("placement"),
            level=draft.level_id,
            name=draft.unique_name(piece.name, "placement"),
            piece=piece.id,
            group=check_group(draft, self.group),
            position=position,
            turn=quaternion(turn),
        )
        draft.put(place)
        draft.select = (place.id,)
        x, y, z = (hi - lo for lo, hi in zip(facts.low, facts.high, strict=True))
        draft.note = f"{x:.2f} × {y:.2f} × {z:.2f} m, {grouped(facts.triangles)} tris"
