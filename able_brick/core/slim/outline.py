"""How much of what lies round a vertex shows as the outline of a mesh, seen from anywhere."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.topology import topology

#: By how many times a vertex counts more that shows as outline as much as the mean of all do.
_WEIGHT: Final = 4.0
#: How much of a border shows.
_BORDER: Final = 0.5


def outline_weights(mesh: PolyMesh) -> Floats:
    """(V) by what the quadrics of vertices are to be multiplied so that outlines count before what lies inside them.

    An edge is part of the outline for the share θ / π of all directions, θ being the angle between the normals of its
    faces, where it is convex, and never where it is not: a plane at right angles to a random direction parts the two
    normals so often.
    """
    t = topology(mesh)
    if not len(t.edges):
        return np.ones(mesh.vertex_count)
    normal = unit(area_vectors(mesh))
    middle = np.add.reduceat(mesh.positions[mesh.corners], mesh.face_starts[:-1], axis=0) / mesh.face_sizes[:, None]
    shows = np.where(t.edge_uses == 1, _BORDER, 0.0)
    c = np.flatnonzero(t.twin > np.arange(len(t.twin)))
    one, other = mesh.corner_face[c], mesh.corner_face[t.twin[c]]
    convex = dots(middle[other] - mesh.positions[mesh.corners[c]], normal[one]) < 0.0
    angle = np.arccos(np.clip(dots(normal[one], normal[other]), -1.0, 1.0))
    shows[t.corner_edge[c]] = np.where(convex, angle / np.pi, 0.0)
    ends = mesh.positions[t.edges]
    length = np.sqrt(dots(ends[:, 1] - ends[:, 0], ends[:, 1] - ends[:, 0]))
    at = t.edges.ravel()
    both = sums_at(at, np.repeat(np.stack([shows * length, length], axis=1), 2, axis=0), mesh.vertex_count)
    share = np.divide(both[:, 0], both[:, 1], out=np.zeros(mesh.vertex_count), where=both[:, 1] > 0)
    mean = float(share.mean())
    return np.ones(mesh.vertex_count) if mean <= 0 else 1.0 + _WEIGHT * share / mean
