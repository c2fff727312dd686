"""Vertices in which faces meet that hang together nowhere else."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Next, assemble
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.fans import before
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.solid.touching import own_vertices, parted_edges


def touching_vertices(mesh: PolyMesh) -> Ints:
    """Vertices, rising, whose faces are in several groups that share no edge there."""
    bunch = _bunches(mesh)
    vertex = np.zeros(int(bunch.max(initial=-1)) + 1, np.int32)
    vertex[bunch] = mesh.corners
    return np.flatnonzero(np.bincount(vertex, minlength=mesh.vertex_count) > 1).astype(np.int32)


def _bunches(mesh: PolyMesh) -> Ints:
    """(C) corners at one vertex whose faces hang together there by edges have one number."""
    t = topology(mesh)
    # of each edge its two ends
    ahead = 2 * t.corner_edge + (t.edges[t.corner_edge, 1] == mesh.corners)
    behind = t.corner_edge[before(mesh)]
    back = 2 * behind + (t.edges[behind, 1] == mesh.corners)
    label, _ = joined_numbers(2 * len(t.edges), ahead.astype(np.int32), back.astype(np.int32))
    return np.unique(label[ahead], return_inverse=True)[1].ravel().astype(np.int32)


def part_vertices(mesh: PolyMesh, vertices: Indices) -> Edited:
    """Give each group of faces at such vertices a vertex of its own in the same place; the first keeps the old one."""
    bunch = _bunches(mesh)
    chosen = np.zeros(mesh.vertex_count, np.bool_)
    chosen[vertices] = True
    at = np.flatnonzero(chosen[mesh.corners])
    corners, added = own_vertices(mesh, at, bunch[at])
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    return assemble(
        mesh,
        positions=np.concatenate([mesh.positions, mesh.positions[added]]),
        vertex_from=np.concatenate([every, added]),
        corners=corners,
        next_=Next(vertices=np.unique(corners[at])),
        normals=True,
    )


def part_edges(mesh: PolyMesh, edges: Indices) -> Edited:
    """Give each body at edges of more than two faces vertices of its own there; a sheet that is too much is let go."""
    parted = parted_edges(mesh)
    back = np.arange(parted.vertex_count, dtype=np.int32)
    back[parted.corners] = mesh.corners
    return assemble(
        mesh,
        positions=parted.positions,
        vertex_from=back,
        corners=parted.corners,
        next_=Next(vertices=topology(mesh).edges[edges].ravel()),
        normals=True,
    )
