"""The middles of faces: points that see all of their corners."""

from __future__ import annotations

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, crossed, dots, unit
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh

#: A middle is to be farther inside of every edge than this share of the face's extent.
_CLEAR = 1e-6


def means(mesh: PolyMesh, faces: Indices) -> tuple[Indices, Floats, Indices]:
    """For faces (n): their corners (k), the share (k) of each in its face's middle, and the face's rank (k).

    The middle is the mean of the corners; of a concave face from which that does not see all corners, the point of its
    kernel that is farthest from its edges. Raises GeometryError for a face that has none.
    """
    rank = np.full(mesh.face_count, -1, np.int64)
    rank[faces] = np.arange(len(faces))
    c = np.flatnonzero(rank[mesh.corner_face] >= 0)
    share, own = 1.0 / mesh.face_sizes[mesh.corner_face[c]], rank[mesh.corner_face[c]]
    a, b = (mesh.positions.take(mesh.corners[k], axis=0) for k in (c, mesh.next_corner[c]))
    middle = sums_at(own, a * share[:, None], len(faces))
    normal = unit(area_vectors(mesh).take(faces, axis=0)).take(own, axis=0)
    inside = dots(crossed(normal, unit(b - a)), middle.take(own, axis=0) - a)
    size = np.zeros(len(faces))
    np.maximum.at(size, own, np.sqrt(dots(b - a, b - a)))
    blind = np.unique(own[inside <= _CLEAR * size[own]])
    for face in blind.tolist():
        mine = own == face
        if mine.sum() > 3:
            share[mine] = _seeing(a[mine], b[mine], normal[mine][0], int(faces[face]))
    return c, share, own


def _seeing(a: Floats, b: Floats, normal: Floats, face: int) -> Floats:
    """(k) shares of a face's corners (k,3), each with the one after it, by which its middle sees all of its edges."""
    from scipy.optimize import linprog  # slow to load, and few faces are concave

    across = unit(b[0] - a[0])
    flat = np.stack([across, np.cross(normal, across)])
    origin = a.mean(axis=0)
    p, q = (a - origin) @ flat.T, (b - origin) @ flat.T
    way = unit(np.column_stack([q - p, np.zeros(len(p))]))[:, :2]
    inward = np.stack([-way[:, 1], way[:, 0]], axis=1)
    # as far as may be (r) inside of the line of every edge
    found = linprog(
        [0.0, 0.0, -1.0],
        A_ub=np.column_stack([-inward, np.ones(len(p))]),
        b_ub=-(inward * p).sum(axis=1),
        bounds=[(None, None), (None, None), (0.0, None)],
    )
    size = float(np.abs(p).max())
    if found.x is None or not found.x[2] > _CLEAR * size:
        raise GeometryError(
            "A face has no middle from which all of its corners are seen; cut it across first, or slice it.", face=face
        )
    # the shares nearest to even ones that lead there: uv that change evenly over the face are right then
    even = np.full(len(p), 1.0 / len(p))
    lead = np.column_stack([p, np.ones(len(p))]).T
    more: Floats = np.linalg.lstsq(lead, np.append(found.x[:2], 1.0) - lead @ even, rcond=None)[0]
    return np.asarray(even + more)


def middles(mesh: PolyMesh, faces: Indices) -> Floats:
    """(n,3) the middles of faces (n)."""
    c, share, rank = means(mesh, faces)
    return sums_at(rank, mesh.positions.take(mesh.corners[c], axis=0) * share[:, None], len(faces))
