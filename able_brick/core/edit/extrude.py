"""Pulling faces out, with walls behind them."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.assemble import Next, assemble
from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.regions import Region
from able_brick.core.edit.walls import walls
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import dots
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh

Walls = Literal["straight", "even"]


def extrude(
    mesh: PolyMesh,
    faces: Indices,
    depth: float,
    *,
    each: bool = False,
    way: Walls = "straight",
    direction: Floats | None = None,
) -> Edited:
    """Pull faces out by a depth (m), below 0 in, along the mean normal of each connected part, or a direction (3,).

    `each`: every face by itself. `way` *even*: every face comes to lie the depth further out, so that walls between
    faces at an angle are as thick everywhere. Vertices inside of what is picked move; on its border they are doubled,
    with walls between. uv of walls go on with the density that the edge has. Raises GeometryError for no depth.
    """
    if not abs(depth) > 0 or not np.isfinite(depth):
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
    return refuse_flat(mesh, out)


def _above(region: Region, uv: Floats, moves: Floats) -> Floats:
    """(C,2,2) uv of the upper corners of walls, at the beginning and the end of each border edge: as far across as the
    edge's own density says."""
    mesh = region.mesh
    out = np.zeros((len(mesh.corners), 2, 2))
    c = np.flatnonzero(region.border)
    ahead = mesh.next_corner[c]
    along = uv[ahead] - uv[c]
    edge = mesh.positions[mesh.corners[ahead]] - mesh.positions[mesh.corners[c]]
    long = np.linalg.norm(edge, axis=1)
    # square to the edge in the uv, by the same number for each metre
    across = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.maximum(long, 1e-300)[:, None]
    for k in range(2):
        corner = c if k == 0 else ahead
        move = moves[region.fan[corner]]
        part = dots(move, edge) / np.maximum(long, 1e-300) ** 2
        aside = move - edge * part[:, None]
        out[c, k] = uv[corner] + across * np.sqrt(dots(aside, aside))[:, None] + along * part[:, None]
    return out
