"""Closed meshes as bodies of the library that cuts volumes."""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.solid.planes import face_planes
from able_brick.core.text import counted


@dataclass(frozen=True, eq=False)
class Body:
    """A body of the library, its own number there, and of each source number of its triangles the face (n) it lies on.

    A flat face has one number for all of its triangles, so that it comes back as one; a bent one has one for each.
    """

    manifold: manifold3d.Manifold
    number: int
    face: Ints


@kept_with_mesh
def body_of(mesh: PolyMesh) -> Body:
    """The body that a closed mesh bounds. Raises GeometryError where it is knotted."""
    return _made(mesh, mesh.positions)


def body_at(mesh: PolyMesh, positions: Floats) -> Body:
    """The body of a closed mesh with its vertices at other places (V,3), cut into the same triangles."""
    return _made(mesh, positions)


@kept_with_mesh
def source_numbers(mesh: PolyMesh) -> tuple[Ints, Ints]:
    """The source number (T) of each triangle, and the face (n) of each number: first the faces, then triangles."""
    _, face = triangulate(mesh)
    bent = np.flatnonzero(~face_planes(mesh).flat[face])
    number = face.copy()
    number[bent] = mesh.face_count + np.arange(len(bent), dtype=np.int32)
    return number, np.concatenate([np.arange(mesh.face_count, dtype=np.int32), face[bent]])


def _made(mesh: PolyMesh, positions: Floats) -> Body:
    tris, _ = triangulate(mesh)
    number, face = source_numbers(mesh)
    own = int(manifold3d.Manifold.reserve_ids(1))
    made = manifold3d.Manifold(
        manifold3d.Mesh64(
            np.array(positions),
            mesh.corners[tris].astype(np.uint64),
            run_index=np.array([0, tris.size], np.uint64),
            run_original_id=np.array([own], np.uint32),
            face_id=number.astype(np.uint64),
        )
    )
    if made.status() != manifold3d.Error.NoError:
        raise GeometryError("Its faces meet in a way that bounds no volume; mend it first.")
    return Body(made, own, face)


def require_closed(mesh: PolyMesh, what: str) -> None:
    """Raise GeometryError, which begins with what cannot be done and has the fault to `mend` in its data, unless a mesh
    bounds a volume from outside."""
    fault = unclosed(mesh)
    if fault == "":
        return
    t = topology(mesh)
    border, crowded = int(t.border.sum()), int(np.greater(t.edge_uses, 2).sum())
    why = {
        "border": f"it is open: {counted(border, 'edge has', 'edges have')} one face only. Fill it first.",
        "crowded": f"{counted(crowded, 'edge has', 'edges have')} more than two faces; mend it first, by Check in "
        "Shape.",
        "against": "some of its faces look against their neighbours; mend it first, by Check in Shape.",
        "inside_out": "it is inside out; mend it first, by Check in Shape.",
    }
    if fault is None:
        raise GeometryError(f"{what}: it has no faces.", received=0, allowed=1)
    raise GeometryError(f"{what}: {why[fault]}", received=border or crowded, allowed=0, mend=fault)


def unclosed(mesh: PolyMesh) -> str | None:
    """Why a mesh bounds no volume from outside, as mending calls it: "" where it does, None where it has no faces."""
    t = topology(mesh)
    if not mesh.face_count:
        return None
    if t.border.any():
        return "border"
    if np.greater(t.edge_uses, 2).any():
        return "crowded"
    if not t.is_closed:
        return "against"
    return "inside_out" if _turned_in(mesh) else ""


@kept_with_mesh
def _turned_in(mesh: PolyMesh) -> bool:
    return volume(mesh) <= 0
