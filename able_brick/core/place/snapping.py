"""What of a mesh can be snapped to, and what is nearest to points that move."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np

from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.topology import topology

KINDS = ("vertex", "edge", "face")
#: Meshes with more edges than these are not snapped to along their edges.
MOST_EDGES = 4000


@dataclass(frozen=True, eq=False)
class MeshFeatures:
    """Vertices, edge middles and face centres of a mesh: where (N,3), their kind (N) as an index into KINDS, their
    number of that kind (N), a face that each lies on (N); the edges (E,2,3); the
    vertices to grip by."""

    points: Floats
    kind: np.ndarray
    index: np.ndarray
    face: np.ndarray
    tree: cKDTree
    edges: Floats
    grips: np.ndarray


_CACHE: WeakKeyDictionary[PolyMesh, MeshFeatures] = WeakKeyDictionary()


def mesh_features(mesh: PolyMesh) -> MeshFeatures:
    """The features of a mesh, in its own coordinates; kept for as long as the mesh is in use."""
    found = _CACHE.get(mesh)
    if found is None:
        found = _CACHE[mesh] = _features(mesh)
    return found


def _features(mesh: PolyMesh) -> MeshFeatures:
    topo = topology(mesh)
    vertex_face = np.zeros(mesh.vertex_count, np.int64)
    vertex_face[mesh.corners[::-1]] = mesh.corner_face[::-1]
    edge_face = np.zeros(len(topo.edges), np.int64)
    edge_face[topo.corner_edge[::-1]] = mesh.corner_face[::-1]
    ends = mesh.positions[topo.edges]
    parts = [mesh.positions, ends.mean(axis=1), _centres(mesh)]
    faces = [vertex_face, edge_face, np.arange(mesh.face_count)]
    points = np.concatenate(parts)
    few = len(topo.edges) <= MOST_EDGES
    return MeshFeatures(
        points,
        np.repeat(np.arange(3), [len(p) for p in parts]),
        np.concatenate([np.arange(len(p)) for p in parts]),
        np.concatenate(faces),
        cKDTree(points),
        ends if few else np.empty((0, 2, 3)),
        _grips(mesh.positions),
    )


def _centres(mesh: PolyMesh) -> Floats:
    """Centroids (F,3) of the faces, from the fan about the first corner, weighted by signed area."""
    first = np.repeat(mesh.face_starts[:-1], mesh.face_sizes)
    a, b, c = (mesh.positions[mesh.corners[k]] for k in (first, np.arange(len(mesh.corners)), mesh.next_corner))
    normals = area_vectors(mesh)
    size = np.maximum(np.linalg.norm(normals, axis=1), 1e-300)
    area = (np.cross(b - a, c - a) * (normals / size[:, None])[mesh.corner_face]).sum(axis=1)
    total = np.add.reduceat(area, mesh.face_starts[:-1])
    weighted = np.add.reduceat((a + b + c) / 3 * area[:, None], mesh.face_starts[:-1], axis=0)
    out: Floats = weighted / np.where(np.abs(total) > 1e-300, total, 1.0)[:, None]
    return out


_DIRECTIONS = np.array([[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if x or y or z], float)


def _grips(positions: Floats) -> np.ndarray:
    """The vertices by which a mesh is gripped: all of a few, else the outermost in 26 directions."""
    if len(positions) <= 32:
        return np.arange(len(positions))
    return np.unique((positions @ _DIRECTIONS.T).argmax(axis=0))


def on_segments(point: Floats, segments: Floats) -> tuple[Floats, Floats]:
    """The places (E,3) on segments (E,2,3) that are nearest to a point (3,), and how far they are (E)."""
    start = segments[:, 0]
    along = segments[:, 1] - start
    length = np.maximum((along**2).sum(axis=1), 1e-300)
    t = np.clip(((point - start) * along).sum(axis=1) / length, 0.0, 1.0)
    places: Floats = start + t[:, None] * along
    return places, np.linalg.norm(places - point, axis=1)


def edge_share(ends: Floats, target: Floats, unit: float) -> tuple[float, float]:
    """The share of an edge with ends (2,3) at which it is nearest to a point (3,), and how far from the nearer end
    that is, in whole units; as it is for a unit of 0, and where the edge has no room for a unit."""
    length = float(np.linalg.norm(ends[1] - ends[0]))
    if length <= 0:
        return 0.0, 0.0
    share = float(np.clip((target - ends[0]) @ (ends[1] - ends[0]) / length**2, 0.0, 1.0))
    back = share > 0.5
    away = length * (1.0 - share if back else share)
    if 0 < unit <= length / 2:
        away = min(round(away / unit) * unit, length / 2)
    return (1.0 - away / length if back else away / length), away


def edge_point(ends: Floats, share: float) -> Floats:
    """The point (3,) at a share of an edge with ends (2,3); its ends themselves at 0 and 1."""
    out: Floats = (1.0 - share) * ends[0] + share * ends[1]
    return out
