"""Borders joined by strips of faces."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, weights_of
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import ElementType, marked
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.text import counted

BridgeWay = Literal["straight", "arc"]


@dataclass(frozen=True, eq=False)
class _Side:
    """One end of a bridge: corners (n) whose edges follow each other as their faces run, and whether they close."""

    corners: Ints
    closed: bool

    def vertices(self, mesh: PolyMesh) -> Ints:
        """The vertices along it: as many as edges where it closes, else one more."""
        first = mesh.corners[self.corners]
        if self.closed:
            return first
        return np.append(first, mesh.corners[mesh.next_corner[self.corners[-1]]])


def bridge(
    mesh: PolyMesh,
    kind: ElementType,
    ids: Indices,
    *,
    segments: int = 1,
    twist: int = 0,
    way: BridgeWay = "straight",
    middle: float = 1.0,
) -> Edited:
    """Join two rows of border edges, or the borders of two regions of faces, which go, by strips of faces.

    The rows are paired so that the sum of squared distances is least, `twist` vertices farther on where they close.
    `segments` rows of faces lie between them, straight or along an arc that leaves both ends at right angles; halfway
    they are `middle` times as large about their centre. Where one row has more edges, triangles close the strip at it,
    spread evenly. The new faces have the material of the first side, a facet of their own, and are picked next. Raises
    GeometryError where two such rows are not picked, or only one of them closes.
    """
    gone = marked(mesh, "face", ids) if kind == "face" else np.zeros(mesh.face_count, np.bool_)
    if gone.all():
        raise GeometryError("All faces are picked, so nothing would stay to be joined; pick two regions.")
    one, two = _sides(mesh, kind, ids, gone)
    a, b = one.vertices(mesh), two.vertices(mesh)[::-1]
    start = _least_twisted(mesh.positions[a], mesh.positions[b], closed=one.closed, twist=twist)
    b = np.roll(b, -start)
    rows, places = _rows(mesh, one, two, a, b, segments, way, middle)
    sizes, vertices, sources = _strips(mesh, a, b, rows, places, one, two)
    faces = np.full(len(sizes), mesh.corner_face[one.corners[0]], np.int32)
    added = Faces(
        sizes,
        vertices,
        weights_of(mesh, *sources),
        faces,
        np.zeros(len(vertices), np.bool_),
        fresh=np.zeros(len(sizes), np.int32),
    )
    out = assemble(
        mesh,
        positions=np.concatenate([mesh.positions, places.reshape(-1, 3)]),
        keep=~gone,
        added=added,
        next_=Next(added=np.ones(len(sizes), np.bool_)),
        note=f"{counted(len(a) - (not one.closed), 'edge', 'edges')} to {len(b) - (not one.closed)}",
    )
    return refuse_worse(mesh, out)


def _sides(mesh: PolyMesh, kind: ElementType, ids: Indices, gone: Bools) -> tuple[_Side, _Side]:
    """The two ends, by their lowest corners."""
    t = topology(mesh)
    if kind == "face":
        # what is left beside a face that goes
        beside: Indices = t.twin[gone[mesh.corner_face] & (t.twin >= 0)]
        corners: Indices = np.sort(beside[~gone[mesh.corner_face[beside]]])
        what = "regions of faces, each with one border, that do not touch"
    else:
        chosen = marked(mesh, "edge", ids)
        if (chosen & ~t.border).any():
            raise GeometryError("Only edges of a border can be bridged: some that are picked have faces on both sides.")
        corners = np.flatnonzero(chosen[t.corner_edge])
        what = "rows of border edges"
    rows = _chained(mesh, corners)
    if len(rows) != 2:
        raise GeometryError(f"A bridge joins two {what}; {counted(len(rows), 'is', 'are')} picked.", received=len(rows))
    if rows[0].closed != rows[1].closed:
        raise GeometryError("One of the rows goes round and the other does not; pick the same of both.")
    if np.isin(rows[0].vertices(mesh), rows[1].vertices(mesh)).any():
        raise GeometryError("The two rows share a vertex; a bridge needs room between them.")
    return rows[0], rows[1]


def _chained(mesh: PolyMesh, corners: Indices) -> list[_Side]:
    """Corners whose edges follow each other, row by row."""
    start, end = mesh.corners[corners], mesh.corners[mesh.next_corner[corners]]
    for ends in (start, end):
        if len(np.unique(ends)) < len(ends):
            raise GeometryError("A row of edges passes a vertex twice; pick less, or part the faces there first.")
    leads = dict(zip(start.tolist(), corners.tolist(), strict=True))
    comes = set(end.tolist())
    out: list[_Side] = []
    left = dict.fromkeys(corners.tolist())
    begins = [c for c, v in zip(corners.tolist(), start.tolist(), strict=True) if v not in comes]
    for first in [*begins, *corners.tolist()]:
        if first not in left:
            continue
        row = []
        at: int | None = first
        while at is not None and at in left:
            del left[at]
            row.append(at)
            at = leads.get(int(mesh.corners[mesh.next_corner[at]]))
        out.append(_Side(np.array(row, np.int32), at == first))
    return sorted(out, key=lambda s: int(s.corners.min()))


def _spots(count: int, closed: bool) -> Floats:
    """Where vertices lie along a row, 0 … 1."""
    return np.arange(count) / (count if closed else max(count - 1, 1))


def _at(points: Floats, spots: Floats, *, closed: bool) -> Floats:
    """Points (k,3) at spots (k) along rows of points (n,3), evenly numbered."""
    n = len(points)
    place = spots * (n if closed else n - 1)
    low = np.floor(place + 1e-9).astype(np.int64)
    share = np.clip(place - low, 0.0, 1.0)[:, None]
    high = low + 1
    low, high = (low % n, high % n) if closed else (np.minimum(low, n - 1), np.minimum(high, n - 1))
    out: Floats = points[low] + share * (points[high] - points[low])
    return out


def _least_twisted(a: Floats, b: Floats, *, closed: bool, twist: int) -> int:
    """How many vertices on the second row (m,3) is to begin, so that the sum of squared distances from the first (n,3)
    is least."""
    if not closed:
        return 0
    spots = _spots(len(a), True)
    costs = [float(((a - _at(np.roll(b, -k, axis=0), spots, closed=True)) ** 2).sum()) for k in range(len(b))]
    least = min(costs)
    first = next(k for k, cost in enumerate(costs) if cost <= least * (1 + 1e-9) + 1e-300)
    return (first + twist) % len(b)


def _rows(
    mesh: PolyMesh,
    one: _Side,
    two: _Side,
    a: Ints,
    b: Ints,
    segments: int,
    way: BridgeWay,
    middle: float,
) -> tuple[Floats, Floats]:
    """How far along each row between lies (s−1), and where its vertices are (s−1,n,3)."""
    along = np.arange(1, segments) / segments
    start = mesh.positions[a]
    end = _at(mesh.positions[b], _spots(len(a), one.closed), closed=one.closed)
    t = along[:, None, None]
    places = start + t * (end - start)
    if way == "arc" and segments > 1:
        # Hermite's cubic, leaving both ends along their faces
        length = np.linalg.norm(end - start, axis=1)[:, None]
        out, back = (_leaving(mesh, side) for side in (one, two))
        h = (2 * t**3 - 3 * t**2 + 1, t**3 - 2 * t**2 + t, -2 * t**3 + 3 * t**2, t**3 - t**2)
        places = h[0] * start + h[1] * length * out + h[2] * end - h[3] * length * back
    if middle != 1.0:
        centre = places.mean(axis=1, keepdims=True)
        factor = 1.0 + (middle - 1.0) * (4.0 * t * (1.0 - t))
        places = centre + factor * (places - centre)
    return along, places


def _leaving(mesh: PolyMesh, side: _Side) -> Floats:
    """The unit direction (3,) in which a bridge leaves an end: out of the plane of a row that closes, away from the
    faces beside one that does not."""
    if side.closed:
        p = mesh.positions[side.vertices(mesh)]
        # what would close it runs the other way than the faces beside it
        middle = p.mean(axis=0)
        out: Floats = unit(-np.cross(p - middle, np.roll(p, -1, axis=0) - middle).sum(axis=0)[None])[0]
        return out
    ends = mesh.positions[mesh.corners[mesh.next_corner[side.corners]]] - mesh.positions[mesh.corners[side.corners]]
    across: Floats = unit(np.cross(ends, area_vectors(mesh)[mesh.corner_face[side.corners]]).sum(axis=0)[None])[0]
    return across


def _strips(
    mesh: PolyMesh, a: Ints, b: Ints, rows: Floats, places: Floats, one: _Side, two: _Side
) -> tuple[Ints, Ints, tuple[Ints, Floats]]:
    """The sizes (f) and vertices (k) of all new faces, and of each corner the two old corners (k,2) that it takes its
    uv and colour from, with their weights (k,2)."""
    n, m, closed = len(a), len(b), one.closed
    from_a, from_b = _corner_at(mesh, a, one), _corner_at(mesh, b, two)
    levels: list[Indices] = [a, *(mesh.vertex_count + k * n + np.arange(n) for k in range(len(rows))), b]
    shares = [0.0, *rows.tolist(), 1.0]
    sizes: list[int] = []
    vertices: list[int] = []
    corners: list[tuple[int, int]] = []
    weights: list[tuple[float, float]] = []

    def corner(level: int, k: int) -> None:
        row, share = levels[level], shares[level]
        k %= len(row)
        vertices.append(int(row[k]))
        i, j = (k, k * m // n) if level < len(levels) - 1 else (k * n // m, k)
        corners.append((int(from_a[min(i, n - 1)]), int(from_b[min(j, m - 1)])))
        weights.append((1.0 - share, share))

    for level in range(len(levels) - 1):
        below, above = len(levels[level]), len(levels[level + 1])
        i = j = 0
        edges_below, edges_above = (below, above) if closed else (below - 1, above - 1)
        while i < edges_below or j < edges_above:
            # whichever edge ends first; both where they end together
            here, there = (i + 1) * edges_above, (j + 1) * edges_below
            step_i = i < edges_below and (here <= there or j >= edges_above)
            step_j = j < edges_above and (there <= here or i >= edges_below)
            loop = [(level, i + 1)] if step_i else []
            loop += [(level, i), (level + 1, j)]
            loop += [(level + 1, j + 1)] if step_j else []
            for at, k in loop:
                corner(at, k)
            sizes.append(len(loop))
            i, j = i + step_i, j + step_j
    return (
        np.array(sizes, np.int32),
        np.array(vertices, np.int32),
        (np.array(corners, np.int32), np.array(weights)),
    )


def _corner_at(mesh: PolyMesh, row: Ints, side: _Side) -> Ints:
    """(n) a corner beside a row at each of its vertices (n)."""
    at = dict(zip(mesh.corners[side.corners].tolist(), side.corners.tolist(), strict=True))
    ahead = mesh.next_corner[side.corners]
    at = dict(zip(mesh.corners[ahead].tolist(), ahead.tolist(), strict=True)) | at
    return np.array([at[v] for v in row.tolist()], np.int32)
