"""Edges cut off: flat, or round by several segments."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Next, assemble
from able_brick.core.edit.bevel_corners import Moves, bevelled_fans
from able_brick.core.edit.bevel_faces import changed_faces, new_faces
from able_brick.core.edit.bevel_patches import patches
from able_brick.core.edit.bevel_rails import rails
from able_brick.core.edit.bevel_strips import strips
from able_brick.core.edit.bevel_uv import BevelUv
from able_brick.core.edit.edited import Edited, fitting, refuse_folded, what_fits
from able_brick.core.edit.element_types import marked
from able_brick.core.edit.limits import MOST_BEVELLED, check_limit
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import dots
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def bevel(
    mesh: PolyMesh,
    edges: Indices,
    width: float,
    *,
    segments: int = 1,
    shape: float = 0.5,
    clamp: bool = True,
    material: int | None = None,
) -> Edited:
    """Cut edges off by a width (m), measured along the faces beside them, with so many segments across.

    `shape` 0 is flat, 0.5 round, 1 goes through the old edge. Where three or more of the edges meet, a patch closes
    them; a closed mesh stays closed. Where the width is more than fits, `clamp` takes what fits; else GeometryError
    says the largest. New faces have the material of the face beside them, or the one given. Raises GeometryError for
    edges that have not two faces.
    """
    chosen = marked(mesh, "edge", edges)
    if not width > 0 or not np.isfinite(width):
        raise GeometryError("The width is 0; give one above 0.", received=width)
    t = topology(mesh)
    twin_of = np.zeros(len(t.edges), np.bool_)
    twin_of[t.corner_edge[t.twin >= 0]] = True
    bad = np.flatnonzero(chosen & ~twin_of)
    if len(bad):
        raise GeometryError(
            f"{len(bad)} of the edges {'has' if len(bad) == 1 else 'have'} not two faces that meet; a bevel needs both."
            " Pick edges within the surface.",
            edge=int(bad[0]),
        )
    # where three or more meet there is a patch
    corners = int((np.bincount(t.edges[chosen].ravel()) >= 3).sum())
    check_limit(int(chosen.sum()) * segments + corners * segments**2, MOST_BEVELLED)
    round_, moves = bevelled_fans(mesh, chosen)
    asked, width = width, fitting(width, _largest(mesh, moves), "A bevel", clamp=clamp)
    places = mesh.positions.take(moves.vertex, axis=0) + moves.way * width
    across = rails(mesh, np.flatnonzero(chosen), round_, moves, places, segments, shape)
    places = np.concatenate([places, across.places])
    uv = BevelUv.of(mesh, moves, places)
    along, rail_uv = strips(mesh, across, moves, uv, places)
    between, within = patches(mesh, round_, moves, across, rail_uv, uv, places, facet=int(chosen.sum()))
    positions = np.concatenate([mesh.positions, places, within])
    made = new_faces(mesh, [along, between], material)
    out = assemble(
        mesh,
        positions=positions,
        changed=changed_faces(mesh, chosen, moves, across, uv),
        added=made,
        next_=Next(added=np.ones(len(made.like), np.bool_)),
    )
    return refuse_folded(mesh, what_fits(out, asked, width))


def _largest(mesh: PolyMesh, moves: Moves) -> float:
    """The width at which the first edge has no length any more, metres."""
    moved = moves.one >= 0
    c = np.flatnonzero(moved | moved[mesh.next_corner])
    ahead = mesh.next_corner[c]
    last = np.where(moves.two >= 0, moves.two, moves.one)
    start = np.where(moved[c][:, None], moves.way.take(last[c], axis=0), 0.0)
    end = np.where(moved[ahead][:, None], moves.way.take(moves.one[ahead], axis=0), 0.0)
    edge = mesh.positions.take(mesh.corners[ahead], axis=0) - mesh.positions.take(mesh.corners[c], axis=0)
    long = np.sqrt(dots(edge, edge))
    shrink = -dots(end - start, edge) / np.maximum(long, 1e-300)
    return float(np.min(np.where(shrink > 1e-12, long / np.where(shrink > 1e-12, shrink, 1.0), np.inf)))
