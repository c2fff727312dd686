"""An upright cylinder, standing on its base centre."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import check_count, check_length
from able_brick.core.shapes.turned import turned


def cylinder(radius: float, height: float, *, sides: int = 24, rows: int = 1) -> PolyMesh:
    """Closed cylinder in metres with `sides` quads round and `rows` along, and one n-gon on each end.

    Facets: 0 the side, 1 the bottom, 2 the top. Raises GeometryError outside the allowed ranges.
    """
    check_length("radius", radius)
    check_length("height", height)
    check_count("rows", rows, 1, 1000)
    mesh = turned([(radius, height * k / rows) for k in range(rows + 1)], sides=sides)
    facet = np.where(mesh.facet < rows, 0, mesh.facet - rows + 1)
    return PolyMesh.trusted(mesh.positions, mesh.face_starts, mesh.corners, facet=facet, uv=mesh.uv)
