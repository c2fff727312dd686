"""Pulling faces out, with walls behind them."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, all_of, assemble, like_corners
from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.fans import before
from able_brick.core.edit.regions import Region
from able_brick.core.edit.remove import flip
from able_brick.core.edit.walls import walls
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors, dots
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology

Walls = Literal["straight", "even"]


def extrude(
    mesh: PolyMesh,
    faces: Indices,
    depth: float,
    *,
    each: bool = False,
    way: Walls = "straight",
    direction: Floats | None = None,
    leave: bool = False,
) -> Edited:
    """Pull faces out by a depth (m), below 0 in, along the mean normal of each connected part, or a direction (3,).

    `each`: every face by itself. `way` *even*: every face comes to lie the depth further out, so that walls between
    faces at an angle are as thick everywhere. Vertices inside of what is picked move; on its border they are doubled,
    with walls between. uv of walls go on with the density that the edge has. With a depth of 0 the walls are there and
    have no height yet, until what is picked next is moved. `leave`: the faces stay as well, and what is pulled out is a
    closed body; where they are a whole sheet they become its other side. Raises GeometryError for a body of no depth.
    """
    if not np.isfinite(depth) or (leave and depth == 0):
        raise GeometryError("The depth is 0; give one above 0, or below it to push in.", received=depth)
    region = Region.of(mesh, faces, each=each)
    if direction is not None:
        size = float(np.linalg.norm(direction))
        if not size > 0:
            raise GeometryError("The direction has no length; choose another one.")
        moves = np.tile(np.asarray(direction) * (depth / size), (region.count, 1))
    elif way == "even":
        moves = region.even_moves() * depth
    else:
        moves = region.mean_normals() * depth
    if leave:
        return _body(region, moves)
    positions, at = region.moved(moves)
    corners = mesh.corners.copy()
    corners[region.inside] = at[region.fan[region.inside]]
    above = None if mesh.uv is None else _above(region, mesh.uv, moves)
    out = assemble(
        mesh,
        positions=positions,
        corners=corners,
        added=walls(region, at, above, fresh=True),
        next_=Next(region.faces),
    )
    if depth == 0:
        return replace(out, note="the walls have no height yet: move what is picked")
    return refuse_flat(mesh, out)


def _body(region: Region, moves: Floats) -> Edited:
    """What lies between faces and where they have moved, closed, with its far side picked. Faces that have neighbours
    stay with them, and the body stands on them by itself."""
    mesh, t = region.mesh, topology(region.mesh)
    held = region.border & (t.edge_uses[t.corner_edge] != 1)
    standing = np.zeros(mesh.face_count, np.bool_)
    standing[region.part[held]] = True
    # (F) by the numbers of parts; a part that nothing holds is a sheet, and its faces are turned into the other side
    of_face = region.part[mesh.face_starts[:-1]]
    sheet = region.faces & ~standing[of_face]
    own = np.flatnonzero(region.faces).astype(np.int32)
    c = np.flatnonzero(region.inside)
    below = mesh.vertex_count + np.arange(region.count, dtype=np.int32)
    above = below + region.count
    of_sheet = np.zeros(region.count, np.bool_)
    of_sheet[region.fan[region.inside & sheet[mesh.corner_face]]] = True
    base = np.where(of_sheet, region.vertex, below)
    far = Faces(mesh.face_sizes[own], above[region.fan[c]], like_corners(mesh, c), own, mesh.sharp[c])
    face = mesh.corner_face[c]
    back = mesh.face_starts[face] + mesh.face_starts[face + 1] - 1 - c
    near = Faces(
        mesh.face_sizes[own],
        base[region.fan[back]].astype(np.int32),
        like_corners(mesh, back),
        own,
        mesh.sharp[before(mesh)[back]],
    )
    uv = None if mesh.uv is None else _above(region, mesh.uv, moves)
    between = walls(region, above, uv, fresh=True, base=base)
    places = mesh.positions[region.vertex]
    out = assemble(
        mesh,
        positions=np.concatenate([mesh.positions, places, places + moves]),
        keep=~sheet,
        added=all_of([far, near, between], mesh),
        next_=Next(added=np.arange(2 * len(own) + len(between.like)) < len(own)),
    )
    # pushed against where they look, a body is inside out
    way = np.zeros(mesh.face_count)
    np.add.at(way, of_face[face], dots(moves[region.fan[c]], area_vectors(mesh)[face]))
    inward = way[of_face[np.concatenate([own, own, between.like])]] < 0
    kept = int((~sheet).sum())
    turned = flip(out.mesh, (kept + np.flatnonzero(inward)).astype(np.int32)) if inward.any() else out
    return refuse_flat(mesh, replace(out, mesh=turned.mesh))


def _above(region: Region, uv: Floats, moves: Floats) -> Floats:
    """(n,2,2) uv of the upper corners of walls, at the beginning and the end of each border edge (n): as far across as
    the edge's own density says."""
    mesh = region.mesh
    c = np.flatnonzero(region.border)
    out = np.zeros((len(c), 2, 2))
    ahead = mesh.next_corner[c]
    along = uv[ahead] - uv[c]
    edge = mesh.positions[mesh.corners[ahead]] - mesh.positions[mesh.corners[c]]
    long = np.linalg.norm(edge, axis=1)
    # square to the edge in the uv, by the same number for each metre
    across = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.maximum(long, 1e-300)[:, None]
    for k in range(2):
        corner = c if k == 0 else ahead
        move = moves[region.fan[corner]]
        part = dots(move, edge) / np.maximum(long * long, 1e-300)
        sideways = move - edge * part[:, None]
        out[:, k] = uv[corner] + across * np.sqrt(dots(sideways, sideways))[:, None] + along * part[:, None]
    return out
