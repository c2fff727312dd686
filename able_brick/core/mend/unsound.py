"""What of a whole mesh is unsound, sought once."""

from __future__ import annotations

from able_brick.core.edit.sound import Faults, faults_of
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.polymesh import PolyMesh


@kept_with_mesh
def unsound(mesh: PolyMesh) -> Faults:
    """What of the whole mesh crosses, overlaps, is folded or holds nothing."""
    return faults_of(mesh)
