"""Reducing a mesh once, to a number of triangles."""

from __future__ import annotations

from able_brick.core.mesh.polymesh import Bools, PolyMesh
from able_brick.core.slim.attributes import fitted_attributes
from able_brick.core.slim.fit import fitted
from able_brick.core.slim.reduce import Progress, Reducing
from able_brick.core.slim.slimmed import Slimmed, check_target, unchanged


def reduce_to(
    mesh: PolyMesh,
    triangles: int,
    *,
    locked: Bools | None = None,
    progress: Progress | None = None,
    fit: bool = True,
) -> Slimmed:
    """Reduce a mesh to at most `triangles` triangles, moving the surface as little as can be.

    Borders survive as lines; material borders, texture seams and sharp edges are kept by what it costs to leave them,
    and small parts are let go where that costs least. `locked` (V) vertices stay exactly where they are, bit for bit,
    as do vertices on edges with more than two faces. `fit` brings what is left closer to the source, see `fitted`, and
    its colours and normals, see `fitted_attributes`. `progress` is called with 0…1 now and then and may raise to
    cancel. A mesh that is already small enough comes back as it is. Raises GeometryError for a target below 1.
    """
    check_target(triangles)
    if mesh.triangle_count <= triangles:
        return unchanged(mesh)
    run = Reducing(mesh, locked=locked)
    run.to(triangles, progress=progress)
    out = run.result()
    if not fit:
        return out
    out = fitted(mesh, out, locked=locked, check_cancelled=None if progress is None else lambda: progress(1.0))
    return fitted_attributes(mesh, out, locked=locked)
