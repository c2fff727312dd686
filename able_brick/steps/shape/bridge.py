"""Borders of a piece joined."""

from __future__ import annotations

from typing import Literal, Self

from able_brick.core.edit.bridge import BridgeWay, bridge
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.errors import UnsoundError
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import count, field
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool


class Bridge(ElementTool):
    """Two rows of border edges, or two regions of faces, joined."""

    tool: Literal["bridge"] = "bridge"
    title = "Bridge"
    verb = "Join and part"
    about = "Joins two picked rows of border edges, or the borders of two picked regions of faces, which go"
    icon = "cable"
    takes = ("edge", "face")
    leads = ("segments", "twist", "middle")

    segments: int = count(1, "Segments", "Rows of faces between both ends", 1, 64)
    way: BridgeWay = field("straight", "Way", "Straight across, or along an arc that leaves both ends at right angles")
    twist: int = field(
        0, "Twist", "How many vertices farther on the second end begins, where both go round", ge=-1000, le=1000
    )
    middle: float = field(100.0, "Middle", "Size halfway, of what it would be", unit="%", step=5, gt=0, le=1000)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return bridge(mesh, kind, ids, segments=self.segments, twist=self.twist, way=self.way, middle=self.middle / 100)

    def _refused(self, error: UnsoundError, largest: Self | None) -> UnsoundError:
        if self.way == "straight":
            return UnsoundError(f"{error} An arc with more segments may go round; else pick other ones.", **error.data)
        return super()._refused(error, largest)
