"""Drawing the border of faces inward, in their planes."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Next, assemble
from able_brick.core.edit.edited import Edited, fitting, refuse_flat
from able_brick.core.edit.regions import Region
from able_brick.core.edit.walls import walls
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors, crossed, dots, unit
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.uv_gradients import uv_gradients


def inset(mesh: PolyMesh, faces: Indices, width: float, *, depth: float = 0.0, each: bool = False) -> Edited:
    """Draw the border of faces inward by a width (m), even along all edges, and move what is inside by a depth (m).

    The picked faces as one, or `each` by itself; a ring of quads is left around them. Raises GeometryError for no
    width, and beyond the largest that leaves every edge a length, which is said.
    """
    if not width > 0 or not np.isfinite(width):
        raise GeometryError("The width is 0; give one above 0.", received=width)
    region = Region.of(mesh, faces, each=each)
    if not region.border.any():
        raise GeometryError("The picked faces have no border to be drawn inward; pick fewer.")
    inward = _inward(region)
    width = fitting(width, _largest(region, inward), "An inset", clamp=False)
    moves = inward * width
    if depth != 0.0:
        moves = moves + region.even_moves() * depth
    positions, at = region.moved(moves)
    corners = mesh.corners.copy()
    corners[region.inside] = at[region.fan[region.inside]]
    uv, above = None, None
    if mesh.uv is not None:
        uv = mesh.uv.copy()
        c = np.flatnonzero(region.inside).astype(np.int32)
        uv[c] = _carried(mesh, mesh.uv, c, inward[region.fan[c]] * width)
        edge = np.flatnonzero(region.border)
        above = np.stack([uv[edge], uv[mesh.next_corner[edge]]], axis=1)
    out = assemble(
        mesh,
        positions=positions,
        corners=corners,
        uv=uv,
        added=walls(region, at, above),
        next_=Next(region.faces),
    )
    return refuse_flat(mesh, out)


def _inward(region: Region) -> Floats:
    """(fans,3) by how much each fan moves for a metre of inset: w / sin(θ/2) along the bisector; 0 within."""
    mesh = region.mesh
    c = np.flatnonzero(region.border)
    ahead = mesh.next_corner[c]
    normal = unit(area_vectors(mesh).take(mesh.corner_face[c], axis=0))
    edge = unit(mesh.positions.take(mesh.corners[ahead], axis=0) - mesh.positions.take(mesh.corners[c], axis=0))
    side = crossed(normal, edge)
    begins, ends = np.zeros((region.count, 3)), np.zeros((region.count, 3))
    begins[region.fan[c]] = side
    ends[region.fan[ahead]] = side
    touched = np.zeros(region.count, np.bool_)
    touched[region.fan[c]] = True
    both = begins + ends
    half = 1.0 + dots(begins, ends)
    if (half[touched] < 1e-6).any():
        raise GeometryError("A picked face has a corner without an angle, which cannot be drawn inward.")
    out = np.where(touched[:, None], both / np.where(half > 0, half, 1.0)[:, None], 0.0)
    return np.asarray(out)


def _largest(region: Region, inward: Floats) -> float:
    """The inset at which the first edge has no length any more, metres; border edges meet their own kind there."""
    mesh = region.mesh
    c = np.flatnonzero(region.inside)
    ahead = mesh.next_corner[c]
    edge = mesh.positions.take(mesh.corners[ahead], axis=0) - mesh.positions.take(mesh.corners[c], axis=0)
    long = np.sqrt(dots(edge, edge))
    moves = inward.take(region.fan[ahead], axis=0) - inward.take(region.fan[c], axis=0)
    shrink = -dots(moves, edge) / np.maximum(long, 1e-300)
    return float(np.min(np.where(shrink > 1e-12, long / np.where(shrink > 1e-12, shrink, 1.0), np.inf)))


def _carried(mesh: PolyMesh, uv: Floats, corners: Indices, moves: Floats) -> Floats:
    """(n,2) uv of corners moved within their faces by (n,3): by how the uv of each face change over it."""
    of_face = mesh.corner_face[corners]
    chosen = np.zeros(mesh.face_count, np.bool_)
    chosen[of_face] = True
    slope = uv_gradients(mesh, mesh.positions, uv, chosen)[of_face]
    out: Floats = uv[corners] + np.einsum("ni,nik->nk", moves, slope)
    return out
