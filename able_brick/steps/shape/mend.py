"""What is wrong with the mesh of a piece, mended."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from able_brick.core.edit.compose import composed, unchanged
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.errors import GeometryError
from able_brick.core.mend.faults import FaultCode, mended
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import field
from able_brick.level.finish import with_other_half
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool


class Mend(ElementTool):
    """Faults mended."""

    tool: Literal["mend"] = "mend"
    title = "Mend"
    verb = "Join and part"
    about = (
        "Mends what is wrong with the whole piece, as far as nothing else that is seen changes; Check says what that is"
    )
    icon = "hammer"
    takes = ()
    instant = True
    leads = ()

    faults: Annotated[tuple[FaultCode, ...], Field(max_length=20)] = field(
        (), "Faults", "Which ones; none for all that are safe to mend", widget="none"
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        finish = piece.live_finish
        # a half alone is open where the other one begins
        whole = unchanged(mesh) if finish is None else with_other_half(mesh, finish)
        made = mended(whole.mesh, self.faults)
        why = "; ".join(dict.fromkeys(made.refused.values()))
        if made.out.mesh is whole.mesh:
            raise GeometryError(why or "Nothing is wrong that could be mended safely. Check shows what else there is.")
        return composed(whole, made.with_note())
