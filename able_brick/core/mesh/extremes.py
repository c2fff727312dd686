"""The vertices that alone decide how far a mesh reaches in any direction."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.hull import on_hull
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.polymesh import Floats, PolyMesh

_FEW = 64


@kept_with_mesh
def extreme_points(mesh: PolyMesh) -> Floats:
    """(n,3) positions of the vertices on the convex hull; all of them where there are few, or where it is flat."""
    points = mesh.positions
    if len(points) <= _FEW:
        return points
    found = on_hull(points)
    return points if found is None else np.ascontiguousarray(points[found])
