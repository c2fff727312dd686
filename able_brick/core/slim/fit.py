"""Fitting a reduced mesh to its source: vertices that may move go, along their normals, where the surfaces are closest.

What collapsing edges leaves lies well by the planes of the faces that are gone, not by the surface itself. Here
samples of the source are met by least squares (after Hoppe et al. 1993, Mesh Optimization; along the normals only, so
that triangles keep their form and texture coordinates their place).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.normal_kernels import units
from able_brick.core.mesh.normals import area_vectors, crossed, dots
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim import fit_kernels as kernels
from able_brick.core.slim.reduce import Slimmed
from able_brick.core.slim.tree import build_tree
from able_brick.core.threads import side_by_side

#: Only what has lost so many times its triangles is fitted: with less there is little to gain.
WORTH: Final = 3.0
#: Samples for each triangle of the reduced mesh; small meshes get more.
_SAMPLES: Final = 4
_LEAST_SAMPLES: Final = 40_000
_MOST_SAMPLES: Final = 1_000_000
_SOLVING: Final = 10
_TRIES: Final = 2
_MOST_TRIES: Final = 60
_DAMPING: Final = 1e-2
#: A vertex goes no farther than by this share of how far the farthest sample round it is: so the largest deviation
#: hardly ever grows, and the least squares miss less of what they cannot see.
_REACH: Final = 1 / 3
#: Points closer to a triangle than this share of its first side need not be looked for elsewhere.
_NEAR: Final = 0.1
#: Faces that would turn by more than this cosine keep their vertices.
_TURN: Final = 0.7
#: Share of the box's diagonal up to which vertices are good as they are.
_FINEST: Final = 1e-7
#: Points that are looked up at one go by one thread.
_PORTION: Final = 16_384


def fitted(
    source: PolyMesh, slimmed: Slimmed, *, locked: Bools | None = None, breathe: Callable[[], None] | None = None
) -> Slimmed:
    """What a source was reduced to, lying closer to it.

    Borders, sharp edges, texture seams, material borders and the `locked` (V) vertices of the source stay where they
    are, bit for bit, and so does every vertex that would not come closer to all that it lies near to. `breathe` is
    called now and then and may raise to cancel. Same input, same output.
    """
    mesh = slimmed.mesh
    if not mesh.triangle_count or source.triangle_count < WORTH * mesh.triangle_count:
        return slimmed
    moving = _free(mesh)
    if locked is not None:
        moving &= ~locked[slimmed.vertex_source]
    low, high = source.bounds
    positions, triangles = mesh.positions, mesh.corners.reshape(-1, 3)
    across = area_vectors(mesh)
    normals = units(across)
    ways = _ways(across, triangles, len(positions))
    points, own = _samples(source, mesh.triangle_count)
    at = _lying_at(points, mesh, breathe)
    ids, parts, away = np.empty((len(points), 3), np.int64), np.empty((len(points), 3)), np.empty(len(points))
    count = kernels.equations(points, own, at, positions, triangles, normals, ways, ids, parts, away)
    ids, parts, away = ids[:count], parts[:count], away[:count]
    far = kernels.farthest(ids, away, len(positions))
    moving &= far > _FINEST * float(np.linalg.norm(high - low))
    shifts = np.zeros(len(positions))
    tries = 0
    while moving.any() and tries < _MOST_TRIES:
        if tries < _TRIES:  # what stays is made up for by its neighbours; few stay after that
            shifts = kernels.solve(ids, parts, away, moving, _DAMPING, _SOLVING)
            shifts = np.clip(shifts, -_REACH * far, _REACH * far)
        shifts[~moving] = 0.0
        tries += 1
        stay = kernels.worsened(ids, parts, away, shifts, far)
        there = mesh.replaced(positions=np.where(moving[:, None], positions + shifts[:, None] * ways, positions))
        stay[triangles[dots(units(area_vectors(there)), normals) < _TURN]] = True
        stay &= moving
        if not stay.any():
            return replace(slimmed, mesh=there)
        moving &= ~stay
        if breathe is not None:
            breathe()
    return slimmed


def _free(mesh: PolyMesh) -> Bools:
    """(V) vertices that may move: inside of the surface, and alike seen from all their faces."""
    t = topology(mesh)
    out = np.ones(mesh.vertex_count, np.bool_)
    out[t.edges[t.edge_uses != 2]] = False
    loose = np.flatnonzero((t.twin < 0) | mesh.sharp)
    out[mesh.corners[loose]] = False
    out[mesh.corners[mesh.next_corner[loose]]] = False
    looks: list[npt.NDArray[Any]] = [mesh.material[mesh.corner_face][:, None]]
    looks += [a for a in (mesh.uv, mesh.colour) if a is not None]
    for look in looks:
        of_vertex = np.empty((mesh.vertex_count, look.shape[1]), look.dtype)
        of_vertex[mesh.corners] = look
        out[mesh.corners[(of_vertex[mesh.corners] != look).any(axis=1)]] = False
    return out


def _samples(source: PolyMesh, triangles: int) -> tuple[Floats, Floats]:
    """Points (n,3) spread evenly over the source's area in the order of its triangles, and the normals (n,3) there."""
    tris = source.corners[triangulate(source)[0]]
    across = area_vectors(source)
    if len(tris) != source.face_count:
        a, b, c = (source.positions[tris[:, k]] for k in range(3))
        across = crossed(b - a, c - a)
    area = np.sqrt(dots(across, across))
    ends = np.cumsum(area)
    count = min(_MOST_SAMPLES, max(_SAMPLES * triangles, min(_LEAST_SAMPLES, 2 * len(tris))))
    rng = np.random.Generator(np.random.PCG64(2))
    of = np.searchsorted(ends, (np.arange(count) + rng.random(count)) * (ends[-1] / count))
    of = np.minimum(of, len(area) - 1)
    r, s = np.sqrt(rng.random((count, 1))), rng.random((count, 1))
    # each fourth lies at a corner: there a surface reaches farthest
    r[::4], s[::8], s[4::8] = 1.0, 0.0, 1.0
    r[::12] = 0.0
    a, b, c = (source.positions[tris[of, k]] for k in range(3))
    return (1 - r) * a + r * (1 - s) * b + r * s * c, units(across[of])


def _ways(across: Floats, triangles: Ints, count: int) -> Floats:
    """(V,3) the normals along which vertices move."""
    out = np.empty((count, 3))
    for k in range(3):
        out[:, k] = sum(np.bincount(triangles[:, j], across[:, k], count) for j in range(3))
    found: Floats = units(out)
    return found


def _lying_at(points: Floats, mesh: PolyMesh, breathe: Callable[[], None] | None) -> Ints:
    """(n) the triangle of a mesh that each point lies at."""
    soup = mesh.positions[mesh.corners.reshape(-1, 3)]
    twin = topology(mesh).twin.reshape(-1, 3)
    around = np.where(twin >= 0, twin // 3, -1).astype(np.int32)
    near = _NEAR**2 * dots(soup[:, 1] - soup[:, 0], soup[:, 1] - soup[:, 0])
    order, low, high, child = build_tree(soup)
    out = np.empty(len(points), np.int32)

    def part(first: int) -> None:
        last = first + _PORTION
        kernels.nearest_triangles(points[first:last], soup, around, near, order, low, high, child, out[first:last])

    for _ in side_by_side(part, range(0, len(points), _PORTION)):
        if breathe is not None:
            breathe()
    return out
