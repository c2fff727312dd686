"""Borders closed with faces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Final, Literal

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, weights_of
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import marked
from able_brick.core.edit.fill_patches import Patch, fan, grid, least_area
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.text import counted

FillWith = Literal["one face", "fan", "least area", "grid"]
_PATCHES: Final[dict[FillWith, Callable[[Floats], Patch]]] = {"fan": fan, "least area": least_area, "grid": grid}


def fill(mesh: PolyMesh, edges: Indices, how: FillWith = "one face", *, up_to: int = 0) -> Edited:
    """Close the borders that edges lie on, and all others of at most `up_to` edges: each with one face, with triangles
    to a vertex in its middle or of least area together, or with a grid of quads.

    The new faces have the material of the first face beside them, the uv and colours of the corners beside them, and a
    facet of their own; they are picked next. Raises GeometryError where no edge lies on a border, and where a border
    passes a vertex twice.
    """
    t = topology(mesh)
    wanted = marked(mesh, "edge", edges) & t.border
    if not wanted.any():
        raise GeometryError("No edge of a border is picked; pick one of a hole. Check shows where the piece is open.")
    loops = [loop for loop in border_loops(mesh) if len(loop) <= up_to or wanted[t.corner_edge[loop]].any()]
    # a corner of a border leads from one vertex to the next; a face that closes it runs the other way
    backward = [loop[::-1] for loop in loops]
    if how != "one face":
        return _patched(mesh, backward, _PATCHES[how])
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


def _patched(mesh: PolyMesh, backward: list[Ints], how: Callable[[Floats], Patch]) -> Edited:
    places, vertices, sources, weights, like, sharp, fresh, sizes = [], [], [], [], [], [], [], []
    count = mesh.vertex_count
    made: list[tuple[Ints, Patch]] = []
    for loop in backward:
        made.append((loop, how(mesh.positions[mesh.corners[mesh.next_corner[loop]]])))
    width = max(1, max(p.of.shape[1] for _, p in made))
    for k, (loop, patch) in enumerate(made):
        n, inside = len(loop), len(patch.points)
        at = mesh.next_corner[loop]  # the edge runs from the vertex of `at` to that of the loop
        own = np.concatenate([mesh.corners[at], count + np.arange(inside)])
        source = np.zeros((n + inside, width), np.int64)
        share = np.zeros((n + inside, width))
        source[:n, 0], share[:n, 0] = at, 1.0
        source[n:, : patch.of.shape[1]], share[n:, : patch.of.shape[1]] = at[patch.of], patch.shares
        named = patch.faces.ravel()
        following = np.roll(patch.faces, -1, axis=1).ravel()
        along = (named < n) & (following == (named + 1) % n)
        places.append(patch.points)
        vertices.append(own[named])
        sources.append(source[named])
        weights.append(share[named])
        sharp.append(along & mesh.sharp[loop[np.minimum(named, n - 1)]])
        like.append(np.full(len(patch.faces), mesh.corner_face[loop[0]]))
        fresh.append(np.full(len(patch.faces), k))
        sizes.append(np.full(len(patch.faces), patch.faces.shape[1]))
        count += inside
    faces = np.concatenate(like).astype(np.int32)
    added = Faces(
        np.concatenate(sizes).astype(np.int32),
        np.concatenate(vertices).astype(np.int32),
        weights_of(mesh, np.concatenate(sources), np.concatenate(weights)),
        faces,
        np.concatenate(sharp),
        fresh=np.concatenate(fresh),
    )
    positions = np.concatenate([mesh.positions, *places])
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
