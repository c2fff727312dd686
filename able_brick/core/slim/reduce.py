"""Reducing a mesh to a share or a number of its triangles."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim import collapse, quadrics


@dataclass(frozen=True, eq=False)
class Slimmed:
    """A reduced mesh of triangles; `vertex_source` (V) int32 names the source vertex that each one grew from.

    `reached` is False where borders, seams and form left nothing more to take away.
    """

    mesh: PolyMesh
    vertex_source: Ints
    reached: bool


def target_triangles(mesh: PolyMesh, share: float) -> int:
    """Whole number of triangles that a share (0…1] of the mesh means, at least 4."""
    if not 0 < share <= 1:
        raise GeometryError(f"The share is {share:g}; give a number above 0 and up to 1.", received=share)
    return max(4, math.floor(mesh.triangle_count * share + 0.5))


def reduce_to(
    mesh: PolyMesh,
    triangles: int,
    *,
    locked: Bools | None = None,
    progress: Callable[[float], None] | None = None,
) -> Slimmed:
    """Reduce a mesh to at most `triangles` triangles, moving the surface as little as can be.

    Borders, material borders, texture seams and sharp edges survive as lines; `locked` (V) vertices stay exactly where
    they are, bit for bit, as do vertices on edges with more than two faces. `progress` is called with 0…1 between
    passes and may raise to cancel. A mesh that is already small enough comes back as it is.
    Raises GeometryError for a target below 1.
    """
    if triangles < 1:
        raise GeometryError(f"The target is {triangles} triangles; give 1 or more.", received=triangles)
    if mesh.triangle_count <= triangles:
        return Slimmed(mesh, np.arange(mesh.vertex_count, dtype=np.int32), True)
    corner_tri, tri_face = triangulate(mesh)
    hardware = hardware_vertices(mesh)
    centre = (mesh.bounds[0] + mesh.bounds[1]) / 2
    pos = mesh.positions - centre
    tri = mesh.corners[corner_tri]
    wedge = hardware.of_corner[corner_tri]
    face = tri_face.copy()
    uv = np.zeros((len(hardware), 0)) if mesh.uv is None else mesh.uv[hardware.corner]
    start, star = collapse.vertex_stars(tri, len(pos))
    quadric = quadrics.vertex_quadrics(pos, tri, wedge, start, star)
    fixed = np.zeros(len(pos), np.bool_) if locked is None else np.array(locked, np.bool_)
    t = topology(mesh)
    fixed[t.edges[t.edge_uses > 2]] = True
    stamp = np.zeros(len(pos), np.int32)
    cutoffs = [-1]
    goal = mesh.triangle_count - triangles
    hold, widen = -1, 1.0
    reached = True
    while len(tri) > triangles:
        if progress is not None:
            progress(1.0 - (len(tri) - triangles) / goal)
        number = len(cutoffs)
        if number > 1:
            start, star = collapse.vertex_stars(tri, len(pos))
        edges, uses = collapse.list_edges(tri, start, star)
        cost, way = collapse.cost_edges(pos, quadric, tri, wedge, start, star, edges, uses, fixed)
        needed = (len(tri) - triangles + 1) // 2
        quota = max(256.0, min(len(edges) / 2, 3.0 * needed)) * widen
        order, cut = collapse.choose(cost, edges, stamp, np.array(cutoffs, np.int32), number - 1, quota, hold)
        _, done = collapse.collapse_pass(
            pos,
            quadric,
            tri,
            wedge,
            uv,
            start,
            star,
            edges,
            uses,
            way,
            order,
            stamp,
            number,
            len(tri) - triangles,
        )
        cutoffs.append(cut)
        hold = cut if done > 0.1 * needed else -1
        left = collapse.compact(tri, wedge, face)
        tri, wedge, face = tri[:left], wedge[:left], face[:left]
        if not done:
            if not len(order) and quota >= len(edges):
                reached = False
                break
            widen *= 4.0
    return _rebuilt(mesh, pos, tri, wedge, face, uv, hardware.corner, hardware.normal_group, centre, reached)


def _rebuilt(
    mesh: PolyMesh,
    pos: np.ndarray,
    tri: Ints,
    wedge: Ints,
    face: Ints,
    uv: np.ndarray,
    wedge_corner: Ints,
    wedge_group: Ints,
    centre: np.ndarray,
    reached: bool,
) -> Slimmed:
    used = np.zeros(len(pos), np.bool_)
    used[tri] = True
    source = np.flatnonzero(used).astype(np.int32)
    renumber = np.cumsum(used, dtype=np.int32) - 1
    still = (pos[source] == mesh.positions[source] - centre).all(axis=1)
    positions = np.where(still[:, None], mesh.positions[source], pos[source] + centre)
    corners, wedges = renumber[tri.ravel()], wedge.ravel()
    bare = PolyMesh.trusted(positions, np.arange(len(tri) + 1) * 3, corners)
    group = wedge_group[wedges]
    t = topology(bare)
    c = np.flatnonzero(t.twin >= 0)
    across = t.twin[c]
    sharp = np.zeros(len(corners), np.bool_)
    sharp[c] = (group[c] != group[bare.next_corner[across]]) | (group[bare.next_corner[c]] != group[across])
    return Slimmed(
        PolyMesh.trusted(
            positions,
            bare.face_starts,
            corners,
            material=mesh.material[face],
            facet=mesh.facet[face],
            sharp=sharp,
            uv=None if mesh.uv is None else uv[wedges],
            colour=None if mesh.colour is None else mesh.colour[wedge_corner[wedges]],
            smooth_angle=math.pi,
        ),
        source,
        reached,
    )
