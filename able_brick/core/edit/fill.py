"""Borders closed with faces."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, weights_of
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import marked
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.text import counted

FillWith = Literal["one face", "fan"]


def fill(mesh: PolyMesh, edges: Indices, how: FillWith = "one face") -> Edited:
    """Close the borders that edges lie on: each with one face, or with triangles to a vertex in its middle.

    The new faces have the material of the first face beside them, the uv and colours of the corners beside them, and a
    facet of their own; they are picked next. Raises GeometryError where no edge lies on a border, and where a border
    passes a vertex twice.
    """
    t = topology(mesh)
    wanted = marked(mesh, "edge", edges) & t.border
    if not wanted.any():
        raise GeometryError("No edge of a border is picked; pick one of a hole. Check shows where the piece is open.")
    loops = [loop for loop in border_loops(mesh) if wanted[t.corner_edge[loop]].any()]
    # a corner of a border leads from one vertex to the next; a face that closes it runs the other way
    backward = [loop[::-1] for loop in loops]
    if how == "fan":
        return _fans(mesh, backward)
    # at each vertex the corner that leads on from it beside the border
    leading = [mesh.next_corner[loop] for loop in backward]
    corners = np.concatenate(leading)
    sizes = np.array([len(loop) for loop in loops], np.int32)
    added = Faces(
        sizes,
        mesh.corners[corners].astype(np.int32),
        weights_of(mesh, corners[:, None], np.ones((len(corners), 1))),
        np.array([mesh.corner_face[loop[0]] for loop in loops], np.int32),
        mesh.sharp[np.concatenate(backward)],
        fresh=np.arange(len(loops)),
    )
    out = assemble(mesh, positions=mesh.positions, added=added, next_=Next(added=np.ones(len(loops), np.bool_)))
    return refuse_worse(mesh, _said(out, len(loops)))


def _fans(mesh: PolyMesh, backward: list[Ints]) -> Edited:
    count = mesh.vertex_count
    places, vertices, sources, weights, like, sharp, fresh = [], [], [], [], [], [], []
    width = max(len(loop) for loop in backward)
    for k, loop in enumerate(backward):
        n = len(loop)
        at, to = mesh.next_corner[loop], loop  # the edge runs from the vertex of `at` to that of `to`
        places.append(mesh.positions[mesh.corners[at]].mean(axis=0))
        ends = np.stack([mesh.corners[at], mesh.corners[to], np.full(n, count + k)], axis=1)
        vertices.append(ends.ravel())
        # the corner in the middle has the mean of all round it
        source = np.zeros((n, 3, width), np.int64)
        share = np.zeros((n, 3, width))
        source[:, 0, 0], source[:, 1, 0] = at, to
        share[:, :2, 0] = 1.0
        source[:, 2, :n], share[:, 2, :n] = at, 1.0 / n
        sources.append(source.reshape(-1, width))
        weights.append(share.reshape(-1, width))
        like.append(np.full(n, mesh.corner_face[loop[0]]))
        edge = np.zeros((n, 3), np.bool_)
        edge[:, 0] = mesh.sharp[loop]
        sharp.append(edge.ravel())
        fresh.append(np.full(n, k))
    faces = np.concatenate(like).astype(np.int32)
    added = Faces(
        np.full(len(faces), 3, np.int32),
        np.concatenate(vertices).astype(np.int32),
        weights_of(mesh, np.concatenate(sources), np.concatenate(weights)),
        faces,
        np.concatenate(sharp),
        fresh=np.concatenate(fresh),
    )
    positions = np.concatenate([mesh.positions, np.array(places)])
    out = assemble(mesh, positions=positions, added=added, next_=Next(added=np.ones(len(faces), np.bool_)))
    return refuse_worse(mesh, _said(out, len(backward)))


def _said(out: Edited, count: int) -> Edited:
    return replace(out, note=f"{counted(count, 'border', 'borders')} closed")


def border_loops(mesh: PolyMesh) -> list[Ints]:
    """The borders of a mesh as corners whose edges follow each other round them, each from its lowest corner on.

    Raises GeometryError where one passes a vertex twice: which way it goes on there is not told.
    """
    t = topology(mesh)
    corners = np.flatnonzero(t.border[t.corner_edge])
    start = mesh.corners[corners]
    if len(np.unique(start)) < len(start):
        raise GeometryError(
            "A border passes a vertex twice, as a figure of eight does; part the faces there, or weld them, first."
        )
    leads = dict(zip(start.tolist(), corners.tolist(), strict=True))
    out: list[Ints] = []
    left = dict.fromkeys(corners.tolist())
    while left:
        first = next(iter(left))
        loop = []
        at: int | None = first
        while at is not None and at in left:
            del left[at]
            loop.append(at)
            at = leads.get(int(mesh.corners[mesh.next_corner[at]]))
        if at == first:
            out.append(np.array(loop, np.int32))
    return out
