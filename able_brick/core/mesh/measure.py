"""Area, volume, counts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.mesh.combine import joined, together
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.mesh_cache import found_with, kept_with_mesh
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate

#: Faces below which meshes are counted many at a time.
SMALL: Final = 2000


@dataclass(frozen=True)
class Counts:
    """What a mesh is made of; `closed` where every edge has two faces that agree; `own_normals`
    where it is shaded by those of a file."""

    vertices: int
    faces: int
    triangles: int
    quads: int
    ngons: int
    hardware_vertices: int
    closed: bool
    own_normals: bool


@kept_with_mesh
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
        own_normals=mesh.normal is not None,
    )


def counts_of_all(meshes: Sequence[PolyMesh]) -> list[Counts]:
    """`counts` of many meshes, computed of several at once: for small ones that takes a fraction of the time."""
    out: dict[int, Counts] = {}
    alike: dict[tuple[object, ...], list[int]] = {}
    for k, mesh in enumerate(meshes):
        cached = found_with(mesh, counts)
        if cached is not None:
            out[k] = cached
            continue
        alike.setdefault((mesh.smooth_angle, mesh.uv is None, mesh.colour is None, mesh.normal is None), []).append(k)
    for numbers in alike.values():
        computed = (c for some in together([meshes[k] for k in numbers]) for c in _counted(some))
        out |= dict(zip(numbers, computed, strict=True))
    return [out[k] for k in range(len(meshes))]


def _counted(meshes: list[PolyMesh]) -> Iterator[Counts]:
    """The counts of meshes whose surfaces are kept alike."""
    if len(meshes) == 1:
        yield counts(meshes[0])
        return
    whole = joined(meshes)
    vertices = np.array([m.vertex_count for m in meshes])
    faces = np.array([m.face_count for m in meshes])
    corners = np.array([len(m.corners) for m in meshes])
    numbers = np.arange(len(meshes))
    of_vertex = np.repeat(numbers, vertices)
    of_face = np.repeat(numbers, faces)
    sizes = whole.face_sizes

    def each(of: Indices) -> list[int]:
        return [int(n) for n in np.bincount(of, minlength=len(meshes))]

    hardware = each(of_vertex[hardware_vertices(whole).vertex])
    quads, ngons = each(of_face[sizes == 4]), each(of_face[sizes > 4])
    loose = each(np.repeat(numbers, corners)[topology(whole).twin < 0])
    for k in range(len(meshes)):
        yield Counts(
            vertices=int(vertices[k]),
            faces=int(faces[k]),
            triangles=int(corners[k] - 2 * faces[k]),
            quads=quads[k],
            ngons=ngons[k],
            hardware_vertices=hardware[k],
            closed=bool(corners[k]) and not loose[k],
            own_normals=meshes[k].normal is not None,
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
