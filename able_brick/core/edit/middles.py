"""The middles of faces: points that see all of their corners."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.middle_kernels import blind_faces
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.spans import spans

#: A middle is to be farther inside of every edge than this share of the face's extent.
_CLEAR = 1e-6


def means(mesh: PolyMesh, faces: Indices) -> tuple[Indices, Floats, Indices]:
    """For faces (n), rising: their corners (k), the share (k) of each in its face's middle, and the face's rank (k).

    The middle is the mean of the corners; of a concave face from which that does not see all corners, the point of its
    kernel that is farthest from its edges. Raises GeometryError for a face that has none.
    """
    sizes = mesh.face_sizes[faces]
    c = spans(mesh.face_starts[faces], sizes)
    own = np.repeat(np.arange(len(faces)), sizes)
    share = np.repeat(1.0 / sizes, sizes)
    area = area_vectors(mesh)
    begins = np.cumsum(sizes) - sizes
    blind = blind_faces(mesh.positions, mesh.face_starts, mesh.corners, faces, area, _CLEAR)
    for i in np.flatnonzero(blind & (sizes > 3)).tolist():
        face = int(faces[i])
        mine = slice(begins[i], begins[i] + sizes[i])
        loop = mesh.positions[mesh.corners[c[mine]]]
        share[mine] = _seeing(loop, np.roll(loop, -1, axis=0), unit(area[face]), face)
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


def middles(mesh: PolyMesh, shares: tuple[Indices, Floats, Indices]) -> Floats:
    """(n,3) the middles of faces (n) by their shares, as `means` gives them."""
    c, share, rank = shares
    count = int(rank[-1]) + 1 if len(rank) else 0
    return sums_at(rank, mesh.positions.take(mesh.corners[c], axis=0) * share[:, None], count)
