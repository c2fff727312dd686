"""A mesh on its way to fewer triangles."""

from __future__ import annotations

import copy
import math
from collections.abc import Callable
from functools import partial
from typing import Final, Self

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.hardware import HardwareVertices, hardware_vertices
from able_brick.core.mesh.normals import surface_shading, with_normals
from able_brick.core.mesh.numbering import bits_of, number_rows
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim import collapse, costs, quadrics, stars
from able_brick.core.slim.components import Components
from able_brick.core.slim.outline import outline_weights
from able_brick.core.slim.slimmed import Slimmed, check_target
from able_brick.core.slim.working import CollapseRecord, EdgeList, WorkingMesh
from able_brick.core.threads import by_halves

Progress = Callable[[float], None]
#: Meshes with more edges than this are costed by two threads.
_PARALLEL_EDGES: Final = 30_000
#: Share of many edges that have to have become as cheap as the last pass went for one that goes no farther.
_WORTH_A_PASS: Final = 1 / 32
#: Triangles to each vertex below which those that are gone are left out.
_SPARSE: Final = 1.0
#: Where there are parts that may be let go, it is looked at them so often in a pass, after so many edges at least.
_STEPS: Final = 8
_STEP: Final = 8
_LOOKS: Final = 6
#: By how many times what collapses cost may be above the square of a limit: borders and seams cost more than they go.
_OFF: Final = 64.0
#: Where so few triangles are left, no edge is taken that costs more, by so many times, than one that can only be taken
#: in the next pass: each of them shows.
_FEW_TRIANGLES: Final = 8_192
_AHEAD: Final = 4.0
#: Fewer edges than this are collapsed by one.
_FEW_EDGES: Final = 4_096


def _looks(mesh: PolyMesh, hardware: HardwareVertices) -> Ints:
    """(H) a number for each hardware vertex, the same for those of one vertex that only their normals tell apart."""
    out = np.arange(len(hardware), dtype=np.int32)
    split = np.flatnonzero(np.bincount(hardware.vertex, minlength=mesh.vertex_count)[hardware.vertex] > 1)
    if len(split):
        corners = hardware.corner[split]
        columns = [hardware.vertex[split], mesh.material[mesh.corner_face[corners]]]
        rows = [np.stack(columns, axis=1).astype(np.uint32)]
        rows += [bits_of(a[corners]) for a in (mesh.uv, mesh.colour) if a is not None]
        number, first = number_rows(np.concatenate(rows, axis=1))
        out[split] = split[first[number]]
    return out


def _followed(into: Indices, collapse_map: Ints) -> Ints:
    """Where what went to a place is, given where that went; −1 for nowhere."""
    return np.where(collapse_map >= 0, into[collapse_map], np.int32(-1))


class Reducing:
    """A mesh on its way to fewer and fewer triangles: what it is at one target is where the next one begins.

    `trace` are the collapses so far, in their order: (triangles left, the largest cost until then), costs being areas
    times squared distances, m⁴. The source is kept as it is. With `outline` what shows against the background counts
    before what lies inside it, see `outline_weights`.
    """

    def __init__(self, mesh: PolyMesh, *, locked: Bools | None = None, outline: bool = False) -> None:
        corner_tri, tri_face = triangulate(mesh)
        hardware = hardware_vertices(mesh)
        self.source = mesh
        self.centre = (mesh.bounds[0] + mesh.bounds[1]) / 2
        self._wedge_corner, self._wedge_group = hardware.corner, hardware.normal_group
        self._pos = mesh.positions - self.centre
        self._tri = mesh.corners[corner_tri]
        self._wedge = hardware.of_corner[corner_tri]
        if np.array_equal(self._wedge, self._tri):  # no seams: one list for both is quicker
            self._wedge = self._tri
        self._face = tri_face.copy()
        if mesh.normal is not None:  # creases are those of the surface
            self._wedge_group = surface_shading(mesh).group[hardware.corner]
        # what goes along with corners and is mixed: texture coordinates, colours, normals of a file
        mixed = [a[hardware.corner] for a in (mesh.uv, mesh.colour, mesh.normal) if a is not None]
        self._uv = np.concatenate(mixed, axis=1) if mixed else np.zeros((len(hardware), 0))
        self._start, self._star = stars.vertex_stars(self._tri, len(self._pos))
        self._look = _looks(mesh, hardware)
        self._quadric = np.zeros((len(self._pos), 11))
        self._multi_wedge = stars.has_many_wedges(self._tri, self._wedge, self._start, self._star)

        def part(first: int, last: int) -> None:
            quadrics.vertex_quadrics(
                self._pos,
                self._tri,
                self._wedge,
                self._look,
                self._multi_wedge,
                self._start,
                self._star,
                first,
                last,
                self._quadric,
            )

        by_halves(part, len(self._pos), _PARALLEL_EDGES)
        if outline:
            self._quadric *= outline_weights(mesh)[:, None]
        self._fixed = np.zeros(len(self._pos), np.bool_) if locked is None else np.array(locked, np.bool_)
        self._stamp = np.zeros(len(self._pos), np.int32)
        self._of = self._collapse_map = self._into = np.arange(len(self._pos), dtype=np.int32)
        along = self._pos[:, np.argmax(mesh.bounds[1] - mesh.bounds[0])]
        self._half = (along > np.median(along)).astype(np.int8)
        self._border = np.zeros(len(self._pos), np.bool_)
        self._components: Components | None = None
        self.limit = math.inf
        self._highest = 0.0
        self._stopped = np.zeros(1, np.bool_)
        self.gone = 0
        self._cutoffs = [-1]
        self._hold, self._widen = -1, 1.0
        self._begun = len(self._tri)
        self._gone: list[Ints] = []
        self._costs: list[npt.NDArray[np.float32]] = []
        self.reached = True

    @property
    def triangles(self) -> int:
        return len(self._tri)

    def copied(self) -> Self:
        """Another that can go on from here by itself."""
        out = copy.copy(self)
        arrays = (
            "_stopped",
            "_pos",
            "_tri",
            "_wedge",
            "_face",
            "_uv",
            "_quadric",
            "_stamp",
            "_into",
            "_start",
            "_star",
            "_fixed",
        )
        for name in (*arrays, "_look", "_multi_wedge"):
            setattr(out, name, getattr(self, name).copy())
        if self._wedge is self._tri:
            out._wedge = out._tri
        for name in ("_cutoffs", "_gone", "_costs"):
            setattr(out, name, list(getattr(self, name)))
        if self._components is not None:
            out._components = self._components.copied()
        return out

    def allow(self, limit: float) -> None:
        """Try no collapse from now on that is likely to go farther than a limit, in the mesh's own metres. What was
        beyond the one before is looked at again."""
        self.limit = limit
        self.reached = True
        self._hold, self._widen = -1, 1.0
        self._cutoffs = [-1] * len(self._cutoffs)

    def lock(self, vertices: Ints) -> None:
        """Keep what has become of vertices of the source, and all round it, where it is from now on."""
        now = _followed(stars.ends(self._into), self._collapse_map)[vertices]
        kept = np.zeros(len(self._pos), np.bool_)
        kept[now[now >= 0]] = True
        self._fixed[self._tri[kept[self._tri].any(axis=1)]] = True

    def trace(self) -> tuple[Ints, Floats]:
        """(n) triangles left after each collapse, and (n) the largest cost until then."""
        if not self._gone:
            return np.zeros(0, np.int32), np.zeros(0)
        left = self._begun - np.cumsum(np.concatenate(self._gone), dtype=np.int32)
        return left.astype(np.int32), np.maximum.accumulate(np.concatenate(self._costs).astype(np.float64))

    def _remember(self, faces: npt.NDArray[np.integer], costs: npt.NDArray[np.floating]) -> int:
        """Remember that so many faces (n) went at such costs (n), one after the other; how many went in all."""
        if not len(faces):
            return 0
        self._gone.append(faces.astype(np.int32))
        self._costs.append(costs.astype(np.float32))
        self._highest = max(self._highest, float(costs.max()))
        return int(faces.sum())

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
            if len(self._tri) < _SPARSE * len(self._pos):
                self._close_up()
            self._start, self._star = stars.vertex_stars(self._tri, len(self._pos))
            if self._highest > 0.0 and self._let_go(len(self._tri) - triangles, self._highest):
                self._drop_dead()
                self._start, self._star = stars.vertex_stars(self._tri, len(self._pos))
        edges, uses = self._edges()
        if number == 1:  # for good: what is at a border goes only along it
            self._fixed[edges[uses > 2]] = True
            self._border = stars.border_vertices(len(self._pos), edges, uses)
            self._components = Components.found(self._pos, self._tri, self._fixed, self._border)
        cost, way = self._costed(edges, uses)
        needed = (len(self._tri) - triangles + 1) // 2
        quota = max(256.0, min(len(edges) / 2, 3.0 * needed)) * self._widen
        order, cut = self._chosen(cost, edges, quota)
        before, surplus = len(self._tri), len(self._tri) - triangles
        done = self._collapsed(edges, uses, way, cost, order, surplus)
        self._drop_dead()
        removed = before - len(self._tri)
        # edges behind the last one that was needed, or that was to be taken by now, have not been tried
        tried = removed < surplus and not self._stopped[0]
        self._cutoffs.append(cut if tried else -1)
        self._hold = cut if tried and done > 0.1 * needed else -1
        if not done:
            if not len(order) and quota >= len(edges):
                self.reached = bool(self._let_go(len(self._tri) - triangles, None))
                self._drop_dead()
            self._widen *= 4.0

    def _let_go(self, surplus: int, taken: float | None, rounds: int = 1) -> int:
        """Let parts go that cost no more than edges did that were `taken`, or whatever is left where there is nothing
        else to take; how many faces went. What has gone may have been what others were near to: it is looked again in
        so many rounds."""
        if self._components is None or surplus <= 0 or (taken is not None and taken < self._components.least):
            return 0
        alive = self._tri[self._tri[:, 0] >= 0]
        gone, cost, faces = self._components.to_let_go(
            self._pos, alive, self._fixed, surplus, taken, self.limit, rounds
        )
        if not len(gone):
            return 0
        self.gone += len(gone)
        self._tri[np.isin(self._components.of[self._tri[:, 0]], gone) & (self._tri[:, 0] >= 0), 0] = -1
        return self._remember(faces, cost)

    def _drop_dead(self) -> None:
        left = stars.compact(self._tri, self._wedge, self._face)
        alike = self._wedge is self._tri
        self._tri, self._face = self._tri[:left], self._face[:left]
        self._wedge = self._tri if alike else self._wedge[:left]

    def _chosen(self, cost: npt.NDArray[np.float32], edges: Ints, quota: float) -> tuple[Ints, int]:
        """Edges worth trying, in rising cost, and the cut-off that was used, as the bits of a cost."""
        n, passes = len(edges), len(self._cutoffs) - 1
        cutoffs, wanted = np.array(self._cutoffs, np.int32), np.empty(n, np.bool_)
        halves = by_halves(
            lambda first, last: (
                first,
                last,
                costs.worth_trying(cost, edges, self._stamp, cutoffs, passes, first, last, wanted),
            ),
            n,
            _PARALLEL_EDGES,
        )
        bins = np.stack([h[2] for h in halves])
        cut = self._hold
        if cut >= 0 and n > _PARALLEL_EDGES and bins[:, : cut + 1].sum() < _WORTH_A_PASS * n:
            cut = -1
        if cut < 0:
            cut = int(costs.cut_at(bins, quota))
        order = np.empty(costs.places_of(bins, cut), np.int32)

        def put(half: int, _next: int) -> None:
            first, last, _ = halves[half]
            costs.put_in_order(cost, wanted, cut, bins[half], first, last, order)

        by_halves(put, len(halves), 2)
        return order, cut

    def _collapsed(
        self,
        edges: Ints,
        uses: Ints,
        way: npt.NDArray[np.int8],
        cost: npt.NDArray[np.float32],
        order: Ints,
        surplus: int,
    ) -> int:
        """Collapse chosen edges until so many faces are gone; how many edges went. What lies in one half of the mesh
        and what lies in the other goes on two threads, then what lies between, as long as that cannot be too much."""
        number = len(self._cutoffs)
        self._stopped[0] = False
        used = np.zeros(len(self._pos), np.bool_)
        took = np.zeros(len(order), np.int8)
        large = len(order) > _PARALLEL_EDGES
        most = float(cost[order[-1]]) if len(order) else 0.0
        lane = took
        if large:
            lane = self._lanes(edges, order)

        mesh, listed = self._working(), EdgeList(edges, uses, way, cost)
        record = CollapseRecord(self._stamp, self._into, used, took, self._stopped)
        ahead = _AHEAD if len(self._tri) <= _FEW_TRIANGLES else math.inf

        def part(first: int, last: int, only: int, _next: int = 0) -> None:
            collapse.collapse_pass(mesh, listed, record, order, lane, only, first, last, number, surplus, most, ahead)

        step = len(order) if large or self._components is None else max(_STEP, len(order) // _STEPS)
        first = 0
        while first < len(order) and surplus > 0 and not self._stopped[0]:
            some = surplus // 2  # an edge takes two faces at most
            in_lanes = large and some >= _FEW_EDGES
            last = min(first + (some if in_lanes else step), len(order))
            if in_lanes:
                by_halves(partial(part, first, last), 2, 2)  # lanes 0 and 1
            part(first, last, 2 if in_lanes else -1)
            collapse_map = first + np.flatnonzero(took[first:last])
            surplus -= self._remember(took[collapse_map], cost[order[collapse_map]])
            if last < len(order) and not large and len(collapse_map):
                rounds = _LOOKS if len(self._tri) <= _FEW_TRIANGLES else 1
                surplus -= self._let_go(surplus, float(cost[order[collapse_map]].max()), rounds)
            first = last
        return int(np.count_nonzero(took))

    def _close_up(self) -> None:
        """Leave out the vertices that are gone: what lies close together is quicker to reach."""
        left, number = stars.remaining(self._tri, len(self._pos))
        alike = self._wedge is self._tri
        self._collapse_map = _followed(number[stars.ends(self._into)], self._collapse_map)
        self._into = np.arange(len(left), dtype=np.int32)
        self._tri = number[self._tri]
        names = ["_of", "_pos", "_quadric", "_fixed", "_border", "_multi_wedge", "_half", "_stamp"]
        if alike:
            self._wedge = self._tri
            names += ["_uv", "_look", "_wedge_corner", "_wedge_group"]
        for name in names:
            setattr(self, name, getattr(self, name)[left])
        if self._components is not None:
            self._components = self._components.among(left)

    def _edges(self) -> tuple[Ints, Ints]:
        """(E,2) all edges and (E) the faces on each; by two threads where there are many."""
        halves = by_halves(
            partial(stars.list_edges, self._tri, self._start, self._star), len(self._pos), _PARALLEL_EDGES
        )
        return np.concatenate([h[0] for h in halves]), np.concatenate([h[1] for h in halves])

    def _lanes(self, edges: Ints, order: Ints) -> npt.NDArray[np.int8]:
        """(n) the lane of each chosen edge, see `stars.lanes`."""
        inside, out = np.empty(len(self._pos), np.int8), np.empty(len(order), np.int8)

        def vertices(first: int, last: int) -> None:
            stars.insides(self._half, self._tri, self._start, self._star, first, last, inside)

        def chosen(first: int, last: int) -> None:
            stars.lanes(inside, edges, order, first, last, out)

        by_halves(vertices, len(inside), _PARALLEL_EDGES)
        by_halves(chosen, len(order), _PARALLEL_EDGES)
        return out

    def _costed(self, edges: Ints, uses: Ints) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.int8]]:
        """Costs and ways of all edges; by two threads where there are many, with the same numbers."""
        n = len(edges)
        cost, way = np.empty(n, np.float32), np.empty(n, np.int8)

        mesh, listed = self._working(), EdgeList(edges, uses, way, cost)
        square = _OFF * self.limit * self.limit

        def part(first: int, last: int) -> None:
            costs.cost_edges(mesh, listed, self._fixed, self._border, square, first, last)

        by_halves(part, n, _PARALLEL_EDGES)
        return cost, way

    def _working(self) -> WorkingMesh:
        """What kernels work on, the arrays shared."""
        return WorkingMesh(
            self._pos,
            self._quadric,
            self._tri,
            self._wedge,
            self._look,
            self._multi_wedge,
            self._uv,
            self._start,
            self._star,
        )

    def result(self) -> Slimmed:
        """The mesh as it is now."""
        mesh, tri = self.source, self._tri
        left, number = stars.remaining(tri, len(self._pos))
        source = self._of[left]
        positions = stars.places(self._pos, left, mesh.positions, source, self.centre)
        corners, wedges = number[tri.ravel()], self._wedge.ravel().copy()
        bare = PolyMesh.trusted(positions, np.arange(0, 3 * len(tri) + 1, 3, dtype=np.int32), corners)
        sharp, edges = np.zeros(len(corners), np.bool_), None
        if self._multi_wedge[left].any():  # else every vertex looks alike from all its faces
            edges = topology(bare)
            sharp = stars.creases(edges.twin, bare.next_corner, self._wedge_group[wedges])
        uvs = 0 if mesh.uv is None else 2
        out = bare.replaced(
            material=mesh.material[self._face],
            facet=mesh.facet[self._face],
            sharp=sharp,
            uv=None if mesh.uv is None else self._uv[wedges, :2],
            colour=None if mesh.colour is None else self._uv[wedges][:, uvs : uvs + 4],
            smooth_angle=math.pi,
        )
        if mesh.normal is not None:
            out = with_normals(out, self._uv[wedges, -3:])
        if edges is not None:
            topology(out)  # the same, and it goes with the mesh
        collapse_map = _followed(number[stars.ends(self._into)], self._collapse_map)
        return Slimmed(out, source, self.reached, collapse_map, self.gone)
