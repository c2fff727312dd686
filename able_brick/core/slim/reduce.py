"""A mesh on its way to fewer triangles."""

from __future__ import annotations

import copy
import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Final, Self

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.hardware import HardwareVertices, hardware_vertices
from able_brick.core.mesh.numbering import bits_of, number_rows
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim import collapse, quadrics
from able_brick.core.threads import by_halves

Progress = Callable[[float], None]
#: Meshes with more edges than this are costed by two threads.
_MANY_EDGES: Final = 30_000


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


def check_target(triangles: int) -> None:
    """GeometryError for a target below 1."""
    if triangles < 1:
        raise GeometryError(f"The target is {triangles} triangles; give 1 or more.", received=triangles)


def unchanged(mesh: PolyMesh) -> Slimmed:
    """The mesh as it is."""
    return Slimmed(mesh, np.arange(mesh.vertex_count, dtype=np.int32), True)


def _looks(mesh: PolyMesh, hardware: HardwareVertices) -> Ints:
    """(H) a number for each hardware vertex, the same for those that only their normals tell apart."""
    if len(hardware) == mesh.vertex_count:
        return np.arange(len(hardware), dtype=np.int32)
    columns = [hardware.vertex, mesh.material[mesh.corner_face[hardware.corner]]]
    rows = [np.stack(columns, axis=1).astype(np.uint32)]
    rows += [bits_of(a[hardware.corner]) for a in (mesh.uv, mesh.colour) if a is not None]
    return number_rows(np.concatenate(rows, axis=1))[0].astype(np.int32)


class Reducing:
    """A mesh on its way to fewer and fewer triangles: what it is at one target is where the next one begins.

    `trace` are the collapses so far, in their order: (triangles left, the largest cost until then), costs being areas
    times squared distances, m⁴. The source is kept as it is.
    """

    def __init__(self, mesh: PolyMesh, *, locked: Bools | None = None) -> None:
        corner_tri, tri_face = triangulate(mesh)
        hardware = hardware_vertices(mesh)
        self.source = mesh
        self.centre = (mesh.bounds[0] + mesh.bounds[1]) / 2
        self._wedge_corner, self._wedge_group = hardware.corner, hardware.normal_group
        self._pos = mesh.positions - self.centre
        self._tri = mesh.corners[corner_tri]
        self._wedge = hardware.of_corner[corner_tri]
        self._face = tri_face.copy()
        self._uv = np.zeros((len(hardware), 0)) if mesh.uv is None else mesh.uv[hardware.corner]
        self._start, self._star = collapse.vertex_stars(self._tri, len(self._pos))
        look = _looks(mesh, hardware)
        of_some = partial(quadrics.vertex_quadrics, self._pos, self._tri, self._wedge, look, self._start, self._star)
        halves = by_halves(of_some, len(self._tri), _MANY_EDGES)
        self._quadric = halves[0] if len(halves) == 1 else np.add(halves[0], halves[1], out=halves[0])
        self._fixed = np.zeros(len(self._pos), np.bool_) if locked is None else np.array(locked, np.bool_)
        self._stamp = np.zeros(len(self._pos), np.int32)
        self._cutoffs = [-1]
        self._hold, self._widen = -1, 1.0
        self._left: list[Ints] = []
        self._costs: list[npt.NDArray[np.float32]] = []
        self.reached = True

    @property
    def triangles(self) -> int:
        return len(self._tri)

    def copied(self) -> Self:
        """Another that can go on from here by itself."""
        out = copy.copy(self)
        for name in ("_pos", "_tri", "_wedge", "_face", "_uv", "_quadric", "_stamp", "_start", "_star"):
            setattr(out, name, getattr(self, name).copy())
        for name in ("_cutoffs", "_left", "_costs"):
            setattr(out, name, list(getattr(self, name)))
        return out

    def trace(self) -> tuple[Ints, Floats]:
        """(n) triangles left after each collapse, and (n) the largest cost until then."""
        if not self._left:
            return np.zeros(0, np.int32), np.zeros(0)
        return np.concatenate(self._left), np.maximum.accumulate(np.concatenate(self._costs).astype(np.float64))

    def to(self, triangles: int, *, progress: Progress | None = None) -> None:
        """Go on to at most so many triangles; `reached` tells whether it came so far."""
        check_target(triangles)
        goal = max(1, len(self._tri) - triangles)
        while len(self._tri) > triangles and self.reached:
            if progress is not None:
                progress(1.0 - (len(self._tri) - triangles) / goal)
            self._pass(triangles)

    def _pass(self, triangles: int) -> None:
        number = len(self._cutoffs)
        if number > 1:
            self._start, self._star = collapse.vertex_stars(self._tri, len(self._pos))
        edges, uses = collapse.list_edges(self._tri, self._start, self._star)
        if number == 1:
            self._fixed[edges[uses > 2]] = True
        cost, way = self._costed(edges, uses)
        needed = (len(self._tri) - triangles + 1) // 2
        quota = max(256.0, min(len(edges) / 2, 3.0 * needed)) * self._widen
        cutoffs = np.array(self._cutoffs, np.int32)
        order, cut = collapse.choose(cost, edges, self._stamp, cutoffs, number - 1, quota, self._hold)
        surplus = len(self._tri) - triangles
        gone = np.empty((len(order), 2), np.int32)
        removed, done = collapse.collapse_pass(
            self._pos,
            self._quadric,
            self._tri,
            self._wedge,
            self._uv,
            self._start,
            self._star,
            edges,
            uses,
            way,
            order,
            self._stamp,
            number,
            surplus,
            gone,
        )
        self._left.append((len(self._tri) - gone[:done, 0]).astype(np.int32))
        self._costs.append(cost[gone[:done, 1]])
        # edges behind the last one that was needed have not been tried
        self._cutoffs.append(cut if removed < surplus else -1)
        self._hold = cut if removed < surplus and done > 0.1 * needed else -1
        left = collapse.compact(self._tri, self._wedge, self._face)
        self._tri, self._wedge, self._face = self._tri[:left], self._wedge[:left], self._face[:left]
        if not done:
            if not len(order) and quota >= len(edges):
                self.reached = False
            self._widen *= 4.0

    def _costed(self, edges: Ints, uses: Ints) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.int8]]:
        """Costs and ways of all edges; by two threads where there are many, with the same numbers."""
        n = len(edges)
        border, many = collapse.bound_vertices(
            len(self._pos), self._tri, self._wedge, self._start, self._star, edges, uses
        )
        cost, way = np.empty(n, np.float32), np.empty(n, np.int8)

        def part(first: int, last: int) -> None:
            collapse.cost_edges(
                self._pos,
                self._quadric,
                self._tri,
                self._wedge,
                self._start,
                self._star,
                edges,
                uses,
                self._fixed,
                border,
                many,
                first,
                last,
                cost,
                way,
            )

        by_halves(part, n, _MANY_EDGES)
        return cost, way

    def result(self) -> Slimmed:
        """The mesh as it is now."""
        mesh, pos, tri = self.source, self._pos, self._tri
        used = np.zeros(len(pos), np.bool_)
        used[tri] = True
        source = np.flatnonzero(used).astype(np.int32)
        renumber = np.cumsum(used, dtype=np.int32) - 1
        still = (pos[source] == mesh.positions[source] - self.centre).all(axis=1)
        positions = np.where(still[:, None], mesh.positions[source], pos[source] + self.centre)
        corners, wedges = renumber[tri.ravel()], self._wedge.ravel().copy()
        bare = PolyMesh.trusted(positions, np.arange(len(tri) + 1) * 3, corners)
        group = self._wedge_group[wedges]
        sharp = np.zeros(len(corners), np.bool_)
        seen = np.zeros(len(self._wedge_corner), np.bool_)
        seen[wedges] = True
        if np.count_nonzero(seen) > len(source):  # else every vertex looks alike from all its faces
            t = topology(bare)
            c = np.flatnonzero(t.twin >= 0)
            across = t.twin[c]
            sharp[c] = (group[c] != group[bare.next_corner[across]]) | (group[bare.next_corner[c]] != group[across])
        return Slimmed(
            PolyMesh.trusted(
                positions,
                bare.face_starts,
                corners,
                material=mesh.material[self._face],
                facet=mesh.facet[self._face],
                sharp=sharp,
                uv=None if mesh.uv is None else self._uv[wedges],
                colour=None if mesh.colour is None else mesh.colour[self._wedge_corner[wedges]],
                smooth_angle=math.pi,
            ),
            source,
            self.reached,
        )
