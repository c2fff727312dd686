"""Area, volume, counts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate


@dataclass(frozen=True)
class Counts:
    """What a mesh is made of; `closed` where every edge has two faces that agree."""

    vertices: int
    faces: int
    triangles: int
    quads: int
    ngons: int
    hardware_vertices: int
    closed: bool


def counts(mesh: PolyMesh) -> Counts:
    """True counts; `triangles` is what the engine draws, n-gons are faces with five corners or more."""
    sizes = mesh.face_sizes
    return Counts(
        vertices=mesh.vertex_count,
        faces=mesh.face_count,
        triangles=mesh.triangle_count,
        quads=int((sizes == 4).sum()),
        ngons=int((sizes > 4).sum()),
        hardware_vertices=len(hardware_vertices(mesh)),
        closed=topology(mesh).is_closed,
    )


def area(mesh: PolyMesh) -> float:
    """Sum of the faces' areas, m²."""
    return float(np.sqrt((area_vectors(mesh) ** 2).sum(axis=1)).sum())


def volume(mesh: PolyMesh) -> float:
    """Enclosed volume of a closed mesh, m³; negative when it is inside out."""
    tris, _ = triangulate(mesh)
    p = mesh.positions[mesh.corners[tris]] - mesh.positions.mean(axis=0)
    return float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6.0)


def centre_of_mass(mesh: PolyMesh) -> Floats:
    """Centre (3,) of the enclosed volume of a closed mesh, of the surface of an open one."""
    tris, _ = triangulate(mesh)
    p = mesh.positions[mesh.corners[tris]]
    middle = mesh.positions.mean(axis=0)
    q = p - middle
    if topology(mesh).is_closed:
        weight = np.einsum("ij,ij->i", q[:, 0], np.cross(q[:, 1], q[:, 2])) / 6.0
        centres = q.sum(axis=1) / 4.0
    else:
        weight = np.linalg.norm(np.cross(q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]), axis=1) / 2.0
        centres = q.sum(axis=1) / 3.0
    total = weight.sum()
    out: Floats = middle if total == 0 else middle + (weight[:, None] * centres).sum(axis=0) / total
    return out
