"""Loops of edges put through strips of quads."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, all_of, assemble, between_corners, weights_of
from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.element_types import marked
from able_brick.core.edit.limits import check_limit
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


@dataclass(frozen=True, eq=False)
class Strips:
    """Edges that strips of quads run across: `cut` (E); `turned` (E), whether the strip's first side is at the higher
    vertex of the edge; `number` (E) of the strip, −1 elsewhere."""

    cut: Bools
    turned: Bools
    number: Indices

    @classmethod
    def through(cls, mesh: PolyMesh, edges: Indices) -> Strips:
        """The strips through edges (k). Raises GeometryError for a strip that comes back to itself turned over."""
        picked = marked(mesh, "edge", edges)
        t = topology(mesh)
        count = len(t.edges)
        quads = mesh.face_starts[:-1][mesh.face_sizes == 4]
        a: list[Indices] = []
        b: list[Indices] = []
        for k in (0, 1):
            first, second = quads + k, quads + k + 2
            # the edge from a corner on and the opposite one, seen the same way: the other one is run through backward
            one = 2 * t.corner_edge[first] + (t.edges[t.corner_edge[first], 0] != mesh.corners[first])
            other = 2 * t.corner_edge[second] + (t.edges[t.corner_edge[second], 0] == mesh.corners[second])
            a += [one, one ^ 1]
            b += [other, other ^ 1]
        label, _ = joined_numbers(2 * count, np.concatenate(a), np.concatenate(b))
        forward, backward = label[0::2], label[1::2]
        if (forward[picked] == backward[picked]).any():
            raise GeometryError("A strip comes back to itself turned over; its loops cannot be closed.")
        strip = np.minimum(forward, backward)
        cut = np.isin(strip, strip[picked])
        # seen the same way as the lowest picked edge of its strip
        lead, at = np.unique(strip[picked], return_index=True)
        lowest = np.flatnonzero(picked)[at]
        number = np.full(count, -1, np.int32)
        number[cut] = np.searchsorted(lead, strip[cut])
        turned = np.zeros(count, np.bool_)
        turned[cut] = forward[cut] != forward[lowest][number[cut]]
        return cls(cut, turned, number)


def add_loops(
    mesh: PolyMesh, edges: Indices, count: int = 1, *, share: float | None = None, metres: float | None = None
) -> Edited:
    """Put loops through the strips of quads that edges cross: so many evenly; or one at a share of the way, or at so
    many metres from the first side, below 0 from the other one.

    A strip ends at faces that are no quads, which get the loop's ends as corners. All old vertices stay, new ones lie
    on the old edges; uv and colours are interpolated. Raises GeometryError where it would be beyond an edge, with the
    farthest that fits.
    """
    strips = Strips.through(mesh, edges)
    t = topology(mesh)
    cut = np.flatnonzero(strips.cut)
    ends = t.edges[cut].astype(np.int64)
    ends[strips.turned[cut]] = ends[strips.turned[cut]][:, ::-1]
    p = mesh.positions
    n = count if share is None and metres is None else 1
    if share is not None:
        if not 0.0 < share < 1.0:
            raise GeometryError("A loop lies between the sides; give a share above 0 and below 100 %.", received=share)
        at = np.full((len(cut), 1), share)
    elif metres is not None:
        at = _at_metres(np.linalg.norm(p[ends[:, 1]] - p[ends[:, 0]], axis=1), metres)[:, None]
    else:
        if n < 1:
            raise GeometryError("Give at least one loop.", received=n)
        at = np.tile(np.arange(1, n + 1) / (n + 1), (len(cut), 1))
    crossed = np.bincount(mesh.corner_face[strips.cut[t.corner_edge]], minlength=mesh.face_count)
    # a quad that is crossed both ways has a grid
    check_limit(int((crossed == 2).sum()) * (n + 1) + int((crossed > 2).sum()) * (n + 1) ** 2)
    fresh = p[ends[:, 0], None] * (1.0 - at[..., None]) + p[ends[:, 1], None] * at[..., None]
    work = Cutting(mesh, strips, n, cut, at)
    parts, pairs, interior, source = work.quads()
    more = work.others()
    positions = np.concatenate([p, fresh.reshape(-1, 3), interior])
    keep = np.ones(mesh.face_count, np.bool_)
    keep[source] = False
    out = assemble(
        mesh,
        positions=positions,
        keep=keep,
        changed=more,
        added=parts,
        next_=Next(pairs=pairs),
        note="" if more is None else _ends(len(more.like)),
    )
    if more is not None:
        out = replace(out, ended=np.flatnonzero(np.isin(out.face_from, more.like)).astype(np.int32))
    return refuse_flat(mesh, out)


def _ends(count: int) -> str:
    return f"ends at {count} {'face that is' if count == 1 else 'faces that are'} no quad{'' if count == 1 else 's'}"


def _at_metres(long: Floats, metres: float) -> Floats:
    """(k) shares of edges of some lengths (k), at metres from the first side, or below 0 from the other one."""
    shortest = float(long.min())
    if not 0 < abs(metres) < shortest:
        raise GeometryError(
            f"{metres:g} m is not within the strip: its shortest edge is {shortest:.4g} m long.",
            received=metres,
            allowed=shortest,
        )
    out: Floats = metres / long if metres > 0 else 1.0 + metres / long
    return out


class Cutting:
    """The faces that are crossed, and what becomes of them; only quads of some faces (F) where they are given."""

    def __init__(
        self, mesh: PolyMesh, strips: Strips, n: int, cut: Indices, at: Floats, only: Bools | None = None
    ) -> None:
        self.mesh, self.strips, self.n = mesh, strips, n
        self.only = np.ones(mesh.face_count, np.bool_) if only is None else only
        self.t = topology(mesh)
        rank = np.full(len(self.t.edges), -1, np.int64)
        rank[cut] = np.arange(len(cut))
        self.rank, self.at = rank, at
        self.crossed = strips.cut[self.t.corner_edge]
        #: Whether faces that are no quads are for `others` as well.
        self.whole = only is None

    def along(self, corners: Indices) -> tuple[Indices, Floats]:
        """The new vertices (k,n) on the edges from corners on, in the way of the corner, and their shares of it."""
        edge = self.t.corner_edge[corners]
        r = self.rank[edge]
        base = self.mesh.vertex_count + r * self.n
        begins = self.t.edges[edge, 0] == self.mesh.corners[corners]
        ahead = begins != self.strips.turned[edge]
        k = np.arange(self.n)
        order = np.where(ahead[:, None], k, self.n - 1 - k)
        shares = np.take_along_axis(self.at[r], order, axis=1)
        return (base[:, None] + order).astype(np.int32), np.where(ahead[:, None], shares, 1.0 - shares)

    def quads(self) -> tuple[Faces, Indices, Floats, Indices]:
        """What quads become: faces, pairs of vertices with the loops' edges, places of vertices within, and which
        quads they were."""
        mesh = self.mesh
        starts = mesh.face_starts[:-1]
        four = (mesh.face_sizes == 4) & self.only
        first = np.zeros(mesh.face_count, np.bool_)
        second = np.zeros(mesh.face_count, np.bool_)
        first[four] = self.crossed[starts[four]]
        second[four] = self.crossed[starts[four] + 1]
        parts: list[Faces] = []
        pairs: list[Indices] = []
        inner: list[Floats] = []
        made = 0
        for shift, chosen, both in (
            (0, first & ~second, False),
            (1, second & ~first, False),
            (0, first & second, True),
        ):
            faces = np.flatnonzero(chosen)
            if not len(faces):
                continue
            start = starts[faces]
            c = np.stack([start + (k + shift) % 4 for k in range(4)], axis=1)
            columns, rows = self.n + 1, self.n + 1 if both else 1
            grid, shares = self._grid(c, both, made)
            if both:
                u, v = shares[:, 1:-1, 1:-1, 0], shares[:, 1:-1, 1:-1, 1]
                four_of = np.stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], axis=-1)
                place = np.einsum("fijk,fkx->fijx", four_of, mesh.positions[mesh.corners[c]])
                inner.append(place.reshape(-1, 3))
                made += len(faces) * self.n * self.n
            parts.append(self._cells(c, faces, grid, shares, columns, rows))
            pairs.append(np.stack([grid[:, 1:-1, :-1], grid[:, 1:-1, 1:]], axis=-1).reshape(-1, 2))
            if both:
                pairs.append(np.stack([grid[:, :-1, 1:-1], grid[:, 1:, 1:-1]], axis=-1).reshape(-1, 2))
        gone = np.flatnonzero(first | second)
        if not parts:
            raise GeometryError("No quad lies beside these edges; loops run through quads only.")
        interior = np.concatenate(inner) if inner else np.zeros((0, 3))
        return all_of(parts, mesh), np.concatenate(pairs), interior, gone

    def _grid(self, c: Indices, both: bool, made: int) -> tuple[Indices, Floats]:
        """The vertices (f,i,j) of quads' grids, i from the first corner to the second, j to the fourth; and the shares
        (f,i,j,2) of the ways there."""
        mesh, n, f = self.mesh, self.n, len(c)
        v = mesh.corners[c]
        low, low_at = self.along(c[:, 0])
        high, high_at = self.along(c[:, 2])
        high, high_at = high[:, ::-1], 1.0 - high_at[:, ::-1]
        rows = n + 2 if both else 2
        grid = np.zeros((f, n + 2, rows), np.int32)
        shares = np.zeros((f, n + 2, rows, 2))
        for j, (line, at, a, b) in ((0, (low, low_at, 0, 1)), (-1, (high, high_at, 3, 2))):
            grid[:, :, j] = np.concatenate([v[:, a, None], line, v[:, b, None]], axis=1)
            shares[:, 1:-1, j, 0] = at
            shares[:, -1, j, 0] = 1.0
        shares[:, :, -1, 1] = 1.0
        if both:
            left, left_at = self.along(c[:, 3])
            right, right_at = self.along(c[:, 1])
            left, left_at = left[:, ::-1], 1.0 - left_at[:, ::-1]
            grid[:, 0, 1:-1], grid[:, -1, 1:-1] = left, right
            shares[:, 0, 1:-1, 1], shares[:, -1, 1:-1, 1] = left_at, right_at
            shares[:, -1, 1:-1, 0] = 1.0
            base = self.mesh.vertex_count + len(self.at) * n + made
            grid[:, 1:-1, 1:-1] = base + np.arange(f * n * n).reshape(f, n, n)
            # where the line from low to high meets the one from left to right
            along, skew = low_at[:, :, None], (high_at - low_at)[:, :, None]
            up, lean = left_at[:, None, :], (right_at - left_at)[:, None, :]
            u = (along + skew * up) / (1.0 - skew * lean)
            shares[:, 1:-1, 1:-1, 0] = u
            shares[:, 1:-1, 1:-1, 1] = up + lean * u
        return grid, shares

    def _cells(self, c: Indices, faces: Indices, grid: Indices, shares: Floats, columns: int, rows: int) -> Faces:
        """The cells of quads' grids as faces."""
        mesh, f = self.mesh, len(faces)
        ring = [(0, 0), (1, 0), (1, 1), (0, 1)]
        at = [(slice(None), slice(i, i + columns), slice(j, j + rows)) for i, j in ring]
        vertices = np.stack([grid[s] for s in at], axis=-1)
        part = np.stack([shares[s] for s in at], axis=-2)
        u, v = part[..., 0].ravel(), part[..., 1].ravel()
        four = np.stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], axis=1)
        own = np.repeat(c, 4 * columns * rows, axis=0)
        sharp = np.zeros((f, columns, rows, 4), np.bool_)
        of = mesh.sharp[c]
        sharp[:, :, 0, 0] = of[:, 0, None]
        sharp[:, -1, :, 1] = of[:, 1, None]
        sharp[:, :, -1, 2] = of[:, 2, None]
        sharp[:, 0, :, 3] = of[:, 3, None]
        return Faces(
            np.full(f * columns * rows, 4, np.int32),
            vertices.ravel(),
            weights_of(mesh, own, four),
            np.repeat(faces, columns * rows),
            sharp.ravel(),
        )

    def others(self) -> Faces | None:
        """The faces that stay, with the new vertices on their edges as corners; None where there are none."""
        mesh, n = self.mesh, self.n
        touched = np.zeros(mesh.face_count, np.bool_)
        touched[mesh.corner_face[self.crossed]] = True
        faces = np.flatnonzero(touched & ((mesh.face_sizes != 4) & self.whole | ~self.only))
        return inserted(mesh, faces, *self._inserts(faces)) if len(faces) and n else None

    def _inserts(self, faces: Indices) -> tuple[Indices, Indices, Floats]:
        mesh = self.mesh
        chosen = np.zeros(mesh.face_count, np.bool_)
        chosen[faces] = True
        c = np.flatnonzero(chosen[mesh.corner_face] & self.crossed)
        vertices, shares = self.along(c)
        return np.repeat(c, self.n), vertices.ravel(), shares.ravel()


def inserted(mesh: PolyMesh, faces: Indices, after: Indices, vertices: Indices, shares: Floats) -> Faces:
    """Faces with vertices (k) put in behind corners `after` (k, rising, in their order), at shares (k) of their
    edges."""
    chosen = np.zeros(mesh.face_count, np.bool_)
    chosen[faces] = True
    own = np.flatnonzero(chosen[mesh.corner_face])
    corner = np.concatenate([own, after])
    order = np.argsort(corner, kind="stable")
    at = corner[order]
    every = np.concatenate([mesh.corners[own], vertices])[order]
    share = np.concatenate([np.zeros(len(own)), shares])[order]
    sizes = np.bincount(mesh.corner_face[at], minlength=mesh.face_count)[faces]
    return Faces(
        sizes.astype(np.int32),
        every.astype(np.int32),
        between_corners(mesh, at, mesh.next_corner[at], share),
        np.asarray(faces),
        mesh.sharp[at],
    )
