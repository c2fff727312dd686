"""A wall with an opening."""

from __future__ import annotations

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import SHORTEST, check_length, check_optional
from able_brick.core.shapes.mesh_builder import MeshBuilder, grid_uv


def doorway(
    width: float,
    height: float,
    thickness: float,
    *,
    opening_width: float,
    opening_height: float,
    offset: float = 0.0,
    sill: float = 0.0,
) -> PolyMesh:
    """Closed wall in metres along X, standing on its base centre, with a rectangular opening through Z.

    The opening's middle stands `offset` from the wall's middle; it begins `sill` above the ground and a sill of 0 makes
    a door. All faces are quads that meet corner to corner. Raises GeometryError when the opening leaves the wall.
    """
    for name, value in (("width", width), ("height", height), ("thickness", thickness)):
        check_length(name, value)
    check_length("opening width", opening_width, most=width - 2 * SHORTEST)
    sill = check_optional("sill", sill, most=height - 3 * SHORTEST)
    check_length("opening height", opening_height, most=height - sill - SHORTEST)
    reach = (width - opening_width) / 2 - SHORTEST
    if abs(offset) > reach:
        raise GeometryError(
            f"The opening leaves the wall: its offset is {offset:g} m; give −{reach:.4g} m to {reach:.4g} m.",
            field="offset",
            received=offset,
            allowed=[-reach, reach],
        )
    xs = np.array([-width / 2, offset - opening_width / 2, offset + opening_width / 2, width / 2])
    ys = np.array([0.0, sill, sill + opening_height, height]) if sill > 0 else np.array([0.0, opening_height, height])
    hole = (1, 1) if sill > 0 else (1, 0)
    zs = np.array([thickness / 2, -thickness / 2])
    lattice = np.stack(np.meshgrid(xs, ys, zs, indexing="ij"), axis=-1)
    builder = MeshBuilder()
    n = builder.points(lattice)
    front, back, left, right, top, bottom, jamb = (builder.new_facet() for _ in range(7))
    for i in range(3):
        for j in range(len(ys) - 1):
            if (i, j) == hole:
                continue
            x, y = xs[i : i + 2], ys[j : j + 2]
            builder.sheet(n[i : i + 2, j : j + 2, 0], grid_uv(x, y), front)
            builder.sheet(n[i : i + 2, j : j + 2, 1][::-1], grid_uv(-x[::-1], y), back)
    z = -zs
    for i, facet in ((0, left), (1, jamb), (2, jamb), (3, right)):
        for j in range(len(ys) - 1):
            if i in (1, 2) and j != hole[1]:
                continue
            wall = n[i, j : j + 2, :]
            if i in (1, 3):  # faces +X
                builder.sheet(wall.T, grid_uv(z, ys[j : j + 2]), facet)
            else:
                builder.sheet(wall.T[::-1], grid_uv(-z[::-1], ys[j : j + 2]), facet)
    for j in range(len(ys)):
        for i in range(3):
            here = i == hole[0]
            if j == len(ys) - 1 or (here and j == hole[1]):
                facet = top if j == len(ys) - 1 else jamb
                if here and j == 0:
                    continue
                builder.sheet(n[i : i + 2, j, :], grid_uv(xs[i : i + 2], z), facet)
            elif (j == 0 and not (here and hole[1] == 0)) or (here and j == hole[1] + 1):
                builder.sheet(n[i : i + 2, j, ::-1], grid_uv(xs[i : i + 2], -z[::-1]), bottom if j == 0 else jamb)
    mesh = builder.built()
    used = np.zeros(mesh.vertex_count, np.bool_)
    used[mesh.corners] = True
    renumber = np.cumsum(used) - 1
    return PolyMesh.trusted(
        mesh.positions[used], mesh.face_starts, renumber[mesh.corners], facet=mesh.facet, uv=mesh.uv
    )
