"""A mesh whose own parts run through each other, made one body."""

from __future__ import annotations

from collections.abc import Callable

from able_brick.core.edit.sound import faults_of
from able_brick.core.mesh.combine import joined
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.parts import apart
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.solid.flush import NEAR


@kept_with_mesh
def crosses_itself(mesh: PolyMesh) -> bool:
    """Whether faces of a mesh run through others of it, or lie on others."""
    faults = faults_of(mesh)
    return bool(faults.crossing.any() or faults.twice.any() or faults.folded.any())


def parts_united(mesh: PolyMesh, unite: Callable[[PolyMesh, PolyMesh], PolyMesh]) -> PolyMesh:
    """The mesh, where its parts run through each other with those of them united that meet; else as it is."""
    count, label = topology(mesh).parts
    if count < 2 or not crosses_itself(mesh):
        return mesh
    parts = apart(mesh, label, count)
    if any(volume(part) <= 0 for part in parts):  # a hollow is no form of its own
        return mesh
    out: list[PolyMesh] = []
    for part in parts:
        # those whose boxes reach into its box, one after the other
        meet = [k for k, other in enumerate(out) if boxes_meet(part, other)]
        for k in meet:
            part = unite(out[k], part)
        out = [other for k, other in enumerate(out) if k not in meet]
        out.append(part)
    return out[0] if len(out) == 1 else joined(out)


def boxes_meet(a: PolyMesh, b: PolyMesh) -> bool:
    """Whether the boxes of two meshes meet, or nearly."""
    return bool((a.bounds[0] <= b.bounds[1] + NEAR).all() and (b.bounds[0] <= a.bounds[1] + NEAR).all())
