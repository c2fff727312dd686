"""Dividing meshes so that they can be bent: by planes across the way, and into legs at its corners."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.slicing import ON_PLANE, cut_planes, sliced
from able_brick.core.path.bend import Bent, Division, Rows, bent_points

#: How far from a corner it is looked how normals lean there, as a share of a piece's length.
_BESIDE: Final = 4e-4


@dataclass(frozen=True, eq=False)
class Divided:
    """A mesh as it is bent, in the directions in which it runs: its points (V,3), their rows, and which (V) lie where
    neighbours or legs meet.

    Legs share no vertices: each shades by itself up to the corner.
    """

    mesh: PolyMesh
    points: Floats
    rows: Rows
    seam: Bools


def divided(mesh: PolyMesh, points: Floats, division: Division, *, at_corner: bool = False) -> Divided:
    """A mesh cut so that it can be bent; `points` (V,3) are those of the mesh as they run, and so are the normals of a
    file. `at_corner`: its legs begin or end in corners."""
    s = points[:, 0]
    low, high = float(s.min()), float(s.max())
    planes = []
    for begin, end, parts in division:
        within = s[(s > begin) & (s < end)]
        planes.append(cut_planes(np.concatenate([within, [begin, end]]), (end - begin) / parts))
    corners = [leg[0] for leg in division[1:]]
    every = np.unique(np.concatenate([*planes, corners]))
    mesh, run = mapped(mesh, points), points
    if len(every):
        mesh, at = sliced(mesh, s, every)
        run = np.array(mesh.positions)
        run[:, 0] = at
    if not at_corner:
        seam = (run[:, 0] == run[:, 0].min()) | (run[:, 0] == run[:, 0].max())
        return Divided(mesh, run, Rows.of(run), seam)
    leg = np.zeros(len(run), np.int32)
    if corners:
        leg, mesh, run = _in_legs(mesh, run, np.asarray(corners), (high - low) * ON_PLANE)
    beside = _BESIDE * (high - low)
    bounds = np.array([low, *corners, high])
    key, number = np.unique(np.stack([leg, run[:, 0]], axis=1), axis=0, return_inverse=True)
    of = key[:, 0].astype(np.int64)
    begins, ends = bounds[of], bounds[of + 1]
    middle = (begins + ends) / 2
    inside = np.clip(key[:, 1], np.minimum(begins + beside, middle), np.maximum(ends - beside, middle))
    rows = Rows(key[:, 1].copy(), number.ravel().astype(np.int32), inside)
    return Divided(mesh, run, rows, np.isin(run[:, 0], bounds))


def _in_legs(mesh: PolyMesh, points: Floats, corners: Floats, grain: float) -> tuple[Ints, PolyMesh, Floats]:
    """The leg (V') of each vertex, the mesh and its points, in which every leg has vertices of its own."""
    s = points[:, 0]
    count = np.maximum(mesh.face_sizes, 1)
    middle = np.add.reduceat(s[mesh.corners], mesh.face_starts[:-1]) / count
    leg = np.searchsorted(corners, middle)
    # what lies in a corner itself closes the leg that it looks away from
    nearest = np.minimum(leg, len(corners) - 1)
    for near in (nearest, np.maximum(leg - 1, 0)):
        across = np.abs(middle - corners[near]) <= grain
        if across.any():
            back = area_vectors(mesh.replaced(positions=points))[:, 0] < 0
            leg = np.where(across, near + back, leg)
    key = mesh.corners.astype(np.int64) * (len(corners) + 1) + leg[mesh.corner_face]
    used, number = np.unique(key, return_inverse=True)
    vertex = used // (len(corners) + 1)
    arrays = {"positions": mesh.positions[vertex], "corners": number.ravel().astype(np.int32)}
    out = mesh.replaced(**arrays, normal=mesh.normal)
    return (used % (len(corners) + 1)).astype(np.int32), out, points[vertex]


def divided_for(found: Bent, item: int, mesh: PolyMesh, points: Floats) -> Divided:
    """A mesh, wound as it runs, cut for one bent item; `points` (V,3) are those of the mesh as they run. The same for
    all items with an equal division, but for those with legs."""
    at_corner = item in found.legs
    part = divided(mesh, points, found.division(item), at_corner=at_corner)
    return without_needles(part, bent_points(found, part.points, [item], part.rows)[0]) if at_corner else part


def without_needles(part: Divided, world: Floats) -> Divided:
    """The same without edges whose ends are one point (V,3) in the world, where the inside of a corner has no length
    left: faces lose what they had of them, or go."""
    mesh = part.mesh
    ends = mesh.corners[mesh.next_corner]
    short = (world[mesh.corners] == world[ends]).all(axis=1)
    if not short.any():
        return part
    # the one that lies on the end of the piece stays
    first, second = mesh.corners[short], ends[short]
    low, high = part.points[:, 0].min(), part.points[:, 0].max()
    at_end = (part.points[:, 0] == low) | (part.points[:, 0] == high)
    stays, goes = np.where(at_end[second], second, first), np.where(at_end[second], first, second)
    number = np.arange(mesh.vertex_count)
    number[goes] = stays
    corners = number[number[mesh.corners]]
    kept = corners != corners[mesh.next_corner]
    sizes = np.add.reduceat(kept.astype(np.int64), mesh.face_starts[:-1])
    faces = sizes >= 3
    kept &= faces[mesh.corner_face]
    used, fresh = np.unique(corners[kept], return_inverse=True)
    out = mesh.with_corners(
        np.flatnonzero(kept),
        corners=fresh.ravel().astype(np.int32),
        positions=mesh.positions[used],
        face_starts=np.concatenate([[0], np.cumsum(sizes[faces])]),
        material=mesh.material[faces],
        facet=mesh.facet[faces],
        sharp=mesh.sharp[kept],
    )
    rows = Rows(part.rows.lengths, part.rows.number[used], part.rows.inside)
    return Divided(out, part.points[used], rows, part.seam[used])
