"""What is derived from a mesh is kept with it, and goes when the mesh goes."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, wraps
from typing import Any, Final, TypeVar

from able_brick.core.mesh.polymesh import PolyMesh

T = TypeVar("T")
_KEPT: Final = "_derived"
#: A mesh with all that is derived from it takes about this many times the bytes of its own arrays.
DERIVED_SHARE: Final = 4


def kept_with_mesh(function: Callable[[PolyMesh], T]) -> Callable[[PolyMesh], T]:
    """Compute it once for each mesh. Meshes never change, so it stays true."""
    name = _name(function)

    @wraps(function)
    def kept(mesh: PolyMesh) -> T:
        derived: dict[str, Any] = mesh.__dict__.setdefault(_KEPT, {})
        if name not in derived:
            derived[name] = function(mesh)
        out: T = derived[name]
        return out

    return kept


def keep_with(mesh: PolyMesh, function: Callable[[PolyMesh], T], value: T) -> None:
    """Keep what a function that is kept with meshes gives for this very mesh, where it has been computed elsewhere."""
    mesh.__dict__.setdefault(_KEPT, {})[_name(function)] = value


def found_with(mesh: PolyMesh, function: Callable[[PolyMesh], T]) -> T | None:
    """What a function that is kept with meshes gives for this one, where that need not be computed any more."""
    found: T | None = mesh.__dict__.get(_KEPT, {}).get(_name(function))
    return found


@cache
def _name(function: Callable[[PolyMesh], Any]) -> str:
    return f"{function.__module__}.{function.__qualname__}"


def forget_derived(mesh: PolyMesh) -> None:
    """Drop what was derived, as for a mesh that has never been seen."""
    mesh.__dict__.pop(_KEPT, None)


def mesh_bytes(mesh: PolyMesh) -> int:
    """What a mesh takes in memory with what is derived from it, bytes: an estimate from its own arrays."""
    arrays: list[Any] = [mesh.positions, mesh.face_starts, mesh.corners, mesh.material, mesh.facet, mesh.sharp]
    arrays += [a for a in (mesh.uv, mesh.colour, mesh.normal) if a is not None]
    return DERIVED_SHARE * sum(int(a.nbytes) for a in arrays)
