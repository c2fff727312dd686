"""New faces pulled out of borders."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, like_corners
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import marked
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, crossed, unit
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def pull_edges(mesh: PolyMesh, edges: Indices, depth: float, *, direction: Floats | None = None) -> Edited:
    """Pull a face out of each border edge by a depth (m), along a direction (3,) or on in the plane of its face, even
    along all. Raises GeometryError for edges that have more than one face."""
    picked = marked(mesh, "edge", edges)
    t = topology(mesh)
    inner = np.flatnonzero(picked & ~t.border)
    if len(inner):
        raise GeometryError(
            f"{len(inner)} of the edges {'has' if len(inner) == 1 else 'have'} faces on both sides; faces are pulled "
            "out of borders only.",
            edge=int(inner[0]),
        )
    if not abs(depth) > 0 or not np.isfinite(depth):
        raise GeometryError("The depth is 0; give another one.", received=depth)
    c = np.flatnonzero(picked[t.corner_edge])
    ahead = mesh.next_corner[c]
    a, b = mesh.corners[c], mesh.corners[ahead]
    vertices, at = np.unique(np.concatenate([a, b]), return_inverse=True)
    at = at.ravel()
    if direction is not None:
        size = float(np.linalg.norm(direction))
        if not size > 0:
            raise GeometryError("The direction has no length; choose another one.")
        moves = np.tile(np.asarray(direction) * (depth / size), (len(vertices), 1))
    else:
        edge = unit(mesh.positions[b] - mesh.positions[a])
        out = crossed(edge, unit(area_vectors(mesh))[mesh.corner_face[c]])
        total, square = sums_at(at, np.concatenate([out, out]), len(vertices)), np.bincount(at, minlength=len(vertices))
        length2 = (total**2).sum(axis=1)
        if (length2 < 1e-6).any():
            raise GeometryError("Two borders meet at a vertex from opposite sides; choose an axis.")
        # as far along the mean that each edge comes to lie the depth further out
        moves = total * (square / length2)[:, None] * depth
    base = mesh.vertex_count
    n = len(c)
    high_a, high_b = base + at[:n], base + at[n:]
    corners = np.stack([ahead, c, c, ahead], axis=1)
    uv = None
    if mesh.uv is not None:
        along = mesh.uv[ahead] - mesh.uv[c]
        long = np.maximum(np.linalg.norm(mesh.positions[b] - mesh.positions[a], axis=1), 1e-300)
        across = np.stack([along[:, 1], -along[:, 0]], axis=1) * (depth / long)[:, None]
        uv = np.stack([mesh.uv[ahead], mesh.uv[c], mesh.uv[c] + across, mesh.uv[ahead] + across], axis=1)
    sharp = np.zeros((n, 4), np.bool_)
    sharp[:, 0] = mesh.sharp[c]
    added = Faces(
        np.full(n, 4, np.int32),
        np.stack([b, a, high_a, high_b], axis=1).astype(np.int32).ravel(),
        like_corners(mesh, corners.ravel()),
        mesh.corner_face[c],
        sharp.ravel(),
        None if uv is None else uv.reshape(-1, 2),
    )
    out_mesh = assemble(
        mesh,
        positions=np.concatenate([mesh.positions, mesh.positions[vertices] + moves]),
        added=added,
        next_=Next(pairs=np.stack([high_a, high_b], axis=1)),
    )
    return refuse_worse(mesh, out_mesh)
