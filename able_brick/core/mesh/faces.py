"""Single faces of a mesh: their loops, normals and centres, and where features are."""

from __future__ import annotations

import numpy as np

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology


def face_loop(mesh: PolyMesh, face: int) -> Ints:
    """The vertices (n) round a face."""
    return mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]


def loop_normal(loop: Floats) -> Floats:
    """Unit normal (3,) of a loop of points (n,3); GeometryError where it has no area."""
    n = np.cross(loop - loop[0], np.roll(loop, -1, axis=0) - loop[0]).sum(axis=0)
    size = float(np.linalg.norm(n))
    if size <= 0:
        raise GeometryError("That face has no area; nothing can stand on it.")
    out: Floats = n / size
    return out


def face_centre(mesh: PolyMesh, face: int) -> Floats:
    """Centroid (3,) of a face, from the fan about its first corner, weighted by signed area."""
    p = mesh.positions[face_loop(mesh, face)]
    normal = loop_normal(p)
    fan = np.stack([np.broadcast_to(p[0], p[1:-1].shape), p[1:-1], p[2:]], axis=1)
    area = np.cross(fan[:, 1] - fan[:, 0], fan[:, 2] - fan[:, 0]) @ normal
    out: Floats = (fan.mean(axis=1) * area[:, None]).sum(axis=0) / area.sum()
    return out


def feature_place(mesh: PolyMesh, kind: str, index: int) -> tuple[Floats, Floats]:
    """Where a feature is in its mesh (3,), and the normal there (3,): the face's, or the mean of the faces round it."""
    limits = {"vertex": mesh.vertex_count, "edge": len(topology(mesh).edges), "face": mesh.face_count}
    if not 0 <= index < limits[kind]:
        raise SelectionError(f"The piece has no {kind} {index}; pick again.", received=index, allowed=limits[kind])
    if kind == "face":
        return face_centre(mesh, index), loop_normal(mesh.positions[face_loop(mesh, index)])
    if kind == "vertex":
        at, faces = mesh.positions[index], mesh.corner_face[mesh.corners == index]
    else:
        ends = topology(mesh).edges[index]
        at, faces = mesh.positions[ends].mean(axis=0), mesh.corner_face[topology(mesh).corner_edge == index]
    total = sum((loop_normal(mesh.positions[face_loop(mesh, int(f))]) for f in faces), np.zeros(3))
    size = float(np.linalg.norm(total))
    return np.array(at), total / size if size > 1e-9 else np.array([0.0, 1.0, 0.0])
