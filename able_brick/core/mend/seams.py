"""Seams that are open only because their vertices are there twice."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Next, assemble
from able_brick.core.edit.edited import Edited
from able_brick.core.mend.places import edge_places, places, unless_named_twice
from able_brick.core.mesh.gather import lowest_of
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology


def open_seams(mesh: PolyMesh) -> Ints:
    """Border edges, rising, beside one other border edge between the same two places, with no other face there."""
    return np.unique(_pairs(mesh)).astype(np.int32)


def _pairs(mesh: PolyMesh) -> Ints:
    """(n,2) pairs of border edges of two faces that are between the same two places."""
    t = topology(mesh)
    number, uses = edge_places(mesh)
    place = places(mesh)[t.edges]
    at = np.flatnonzero(t.border & (uses[number] == 2) & (place[:, 0] != place[:, 1]))
    at = at[np.argsort(number[at], kind="stable")].astype(np.int32)
    if not len(at):
        return np.zeros((0, 2), np.int32)
    # two uses of borders alone: they come in twos
    pairs = at.reshape(-1, 2)
    face = np.zeros(len(t.edges), np.int32)
    face[t.corner_edge] = mesh.corner_face
    out: Ints = pairs[face[pairs[:, 0]] != face[pairs[:, 1]]]
    return out


def weld_seams(mesh: PolyMesh, edges: Indices) -> Edited:
    """Make the vertices along open seams one, where the first of each is. What is picked next are the edges there."""
    t = topology(mesh)
    wanted = np.zeros(len(t.edges), np.bool_)
    wanted[edges] = True
    pairs = _pairs(mesh)
    pairs = pairs[wanted[pairs].any(axis=1)]
    place = places(mesh)
    one, other = t.edges[pairs[:, 0]], t.edges[pairs[:, 1]]
    same = place[one[:, 0]] == place[other[:, 0]]
    other = np.where(same[:, None], other, other[:, ::-1])
    label, count = joined_numbers(mesh.vertex_count, one.ravel(), other.ravel())
    target = unless_named_twice(lowest_of(label, count), mesh)
    return assemble(
        mesh, positions=mesh.positions, corners=target[mesh.corners], next_=Next(pairs=target[one]), normals=True
    )
