"""Fitting a reduced mesh to its source: vertices that may move go, along their normals, where the surfaces are closest.

What collapsing edges leaves lies well by the planes of the faces that are gone, not by the surface itself. Here
samples of the source are met by least squares (after Hoppe et al. 1993, Mesh Optimization; along the normals only, so
that triangles keep their form and texture coordinates their place).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial, reduce
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.normal_kernels import units
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim import fit_kernels as kernels
from able_brick.core.slim.slimmed import Slimmed
from able_brick.core.slim.stars import vertex_stars
from able_brick.core.threads import by_halves

#: Only what has lost so many times its triangles is fitted: with less there is little to gain.
WORTH: Final = 3.0
#: Samples for each triangle of the reduced mesh; small meshes get more.
_SAMPLES: Final = 4
_LEAST_SAMPLES: Final = 40_000
_MOST_SAMPLES: Final = 1_000_000
_SOLVING: Final = 5
_MOST_TRIES: Final = 60
_DAMPING: Final = 1e-2
#: A vertex goes no farther than by this share of how far the farthest sample round it is: so the largest deviation
#: hardly ever grows, and the least squares miss less of what they cannot see.
_REACH: Final = 1 / 3
#: Faces that would turn by more than this cosine keep their vertices.
_TURN: Final = 0.7
#: Share of the box's diagonal up to which vertices are good as they are.
_FINEST: Final = 1e-7
#: Samples after which it can be stopped.
_PORTION: Final = 200_000
#: From so many samples on two threads look where they lie.
_PARALLEL_FROM: Final = 20_000


def fitted(
    source: PolyMesh,
    slimmed: Slimmed,
    *,
    locked: Bools | None = None,
    check_cancelled: Callable[[], None] | None = None,
) -> Slimmed:
    """What a source was reduced to, lying closer to it.

    Borders, sharp edges, texture seams, material borders and the `locked` (V) vertices of the source stay where they
    are, bit for bit, and so does every vertex that would not come closer to all that it lies near to. `check_cancelled`
    is called now and then and may raise to cancel. Same input, same output."""
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
    ids, parts, away = _met(source, slimmed, triangles, normals, ways, check_cancelled)
    halves = by_halves(partial(kernels.squares, ids, parts, away, len(triangles)), len(ids), _PARALLEL_FROM)
    sums, farthest = reduce(np.add, [h[0] for h in halves]), reduce(np.maximum, [h[1] for h in halves])
    far = kernels.farthest(farthest, triangles, len(positions))
    moving &= far > _FINEST * float(np.linalg.norm(high - low))
    shifts = np.clip(kernels.solve(sums, triangles, moving, _DAMPING, _SOLVING), -_REACH * far, _REACH * far)
    fresh = moving.copy()
    for _ in range(_MOST_TRIES):
        if not moving.any():
            break
        if check_cancelled is not None:
            check_cancelled()
        shifts[~moving] = 0.0
        strayed = partial(kernels.strayed, ids, parts, away, triangles, shifts, far, fresh)
        stay = kernels.lost(sums, triangles, shifts, fresh) | reduce(
            np.logical_or, by_halves(strayed, len(ids), _PARALLEL_FROM)
        )
        there = positions + shifts[:, None] * ways
        kernels.turned(there, triangles, normals, _TURN, fresh, stay)
        stay &= moving
        if not stay.any():
            return replace(slimmed, mesh=mapped(mesh, np.where(moving[:, None], there, positions)))
        moving &= ~stay
        fresh = stay
    return slimmed


def _free(mesh: PolyMesh) -> Bools:
    """(V) vertices that may move: inside of the surface, and alike seen from all their faces."""
    t = topology(mesh)
    out = np.ones(mesh.vertex_count, np.bool_)
    out[t.edges[t.edge_uses != 2]] = False
    loose = np.flatnonzero((t.twin < 0) | mesh.sharp)
    out[mesh.corners[loose]] = False
    out[mesh.corners[mesh.next_corner[loose]]] = False
    looks: list[npt.NDArray[Any]] = []
    if (mesh.material != mesh.material[0]).any():
        looks.append(mesh.material[mesh.corner_face][:, None])
    looks += [a for a in (mesh.uv, mesh.colour) if a is not None]
    for look in looks:
        of_vertex = np.empty((mesh.vertex_count, look.shape[1]), look.dtype)
        of_vertex[mesh.corners] = look
        out[mesh.corners[(of_vertex[mesh.corners] != look).any(axis=1)]] = False
    return out


def _ways(across: Floats, triangles: Ints, count: int) -> Floats:
    """(V,3) the normals along which vertices move."""
    out = np.empty((count, 3))
    for k in range(3):
        out[:, k] = sum(np.bincount(triangles[:, j], across[:, k], count) for j in range(3))
    found: Floats = units(out)
    return found


def _met(
    source: PolyMesh,
    slimmed: Slimmed,
    triangles: Ints,
    normals: Floats,
    ways: Floats,
    check_cancelled: Callable[[], None] | None,
) -> tuple[Ints, Floats, Floats]:
    """What samples of the source say of a mesh: `ids`, `parts` and `away`, as of `kernels.meet`."""
    source_tris = source.corners[triangulate(source)[0]]
    until = kernels.areas_until(source.positions, source_tris)
    count = min(_MOST_SAMPLES, max(_SAMPLES * len(triangles), min(_LEAST_SAMPLES, 2 * len(source_tris))))
    start, star = vertex_stars(triangles, slimmed.mesh.vertex_count)
    ids, parts, away = np.empty(count, np.int32), np.empty((count, 3)), np.empty(count)

    def part(begin: int, first: int, last: int) -> None:
        kernels.meet(
            source.positions,
            source_tris,
            until,
            count,
            slimmed.collapse_map,
            slimmed.mesh.positions,
            triangles,
            start,
            star,
            normals,
            ways,
            begin + first,
            begin + last,
            ids,
            parts,
            away,
        )

    for begin in range(0, count, _PORTION):
        if check_cancelled is not None:
            check_cancelled()
        by_halves(partial(part, begin), min(_PORTION, count - begin), _PARALLEL_FROM)
    return ids, parts, away
