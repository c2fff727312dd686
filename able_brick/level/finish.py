"""What a live finish makes of the mesh that is edited: the one place where it is computed."""

from __future__ import annotations

import math

from able_brick.core.edit.compose import unchanged
from able_brick.core.edit.edited import Edited
from able_brick.core.finish.halves import both_halves
from able_brick.core.finish.seam import settled
from able_brick.core.finish.smooth import smoothed
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows import Finish


def with_other_half(source: PolyMesh, finish: Finish) -> Edited:
    """The mesh that is edited with its other half, where it is mirrored live. Raises GeometryError where nothing of it
    is on the side that stays."""
    if finish.mirror is None:
        return unchanged(source)
    return both_halves(source, finish.mirror.reflection(), finish.weld)


def finished(source: PolyMesh, finish: Finish) -> PolyMesh:
    """What is shown of the mesh that is edited: the other half first, then the smoother surface. Raises GeometryError
    where nothing is on the side that stays, and for too many faces."""
    angle = None if finish.crease_angle is None else math.radians(finish.crease_angle)
    out = smoothed(with_other_half(source, finish).mesh, finish.levels, crease_angle=angle)
    if finish.mirror is None or not finish.levels:
        return out
    # what is the mean of both sides lies on the plane but for rounding
    return out.replaced(positions=settled(out.positions, finish.mirror.reflection()))
