"""What lies round the vertices of a mesh of triangles, and what is left of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints


@kernel
def vertex_stars(tri: Indices, count: int) -> tuple[Ints, Ints]:
    """Faces round each vertex as (start (V+1), faces (3T))."""
    start = np.zeros(count + 1, np.int32)
    for f in range(len(tri)):
        for k in range(3):
            start[tri[f, k] + 1] += 1
    for v in range(count):
        start[v + 1] += start[v]
    fill = start[:-1].copy()
    star = np.empty(3 * len(tri), np.int32)
    for f in range(len(tri)):
        for k in range(3):
            v = tri[f, k]
            star[fill[v]] = f
            fill[v] += 1
    return start, star


@kernel
def list_edges(tri: Indices, start: Indices, star: Indices, first: int, last: int) -> tuple[Ints, Ints]:
    """Unique edges (E,2), lower vertex first, and the number of faces on each (E): those whose lower vertex is from
    `first` to before `last`."""
    most = 2 * (start[last] - start[first])
    edges = np.empty((most, 2), np.int32)
    uses = np.empty(most, np.int32)
    slot = np.full(len(start) - 1, -1, np.int32)
    n = 0
    for a in range(first, last):
        begin = n
        for i in range(start[a], start[a + 1]):
            f = star[i]
            for k in range(3):
                b = tri[f, k]
                if b > a:
                    s = slot[b]
                    if s < begin:
                        slot[b] = n
                        edges[n, 0] = a
                        edges[n, 1] = b
                        uses[n] = 1
                        n += 1
                    else:
                        uses[s] += 1
    return edges[:n], uses[:n]


@kernel
def corner_of(tri: Indices, f: int, v: int) -> int:
    """Which corner of a face a vertex is, −1 for none."""
    if tri[f, 0] == v:
        return 0
    if tri[f, 1] == v:
        return 1
    return 2 if tri[f, 2] == v else -1


@kernel
def border_vertices(count: int, edges: Indices, uses: Indices) -> Bools:
    """(V) whether a vertex is on a border."""
    border = np.zeros(count, np.bool_)
    for e in range(len(edges)):
        if uses[e] == 1:
            border[edges[e, 0]] = True
            border[edges[e, 1]] = True
    return border


@kernel
def has_many_wedges(tri: Indices, wedge: Indices, start: Indices, star: Indices) -> Bools:
    """(V) whether a vertex has more than one wedge."""
    multi_wedge = np.zeros(len(start) - 1, np.bool_)
    for v in range(len(multi_wedge)):
        if start[v + 1] > start[v]:
            f = star[start[v]]
            w = wedge[f, corner_of(tri, f, v)]
            for i in range(start[v] + 1, start[v + 1]):
                f = star[i]
                if wedge[f, corner_of(tri, f, v)] != w:
                    multi_wedge[v] = True
                    break
    return multi_wedge


@kernel
def insides(
    half: npt.NDArray[np.int8],
    tri: Indices,
    start: Indices,
    star: Indices,
    first: int,
    last: int,
    out: npt.NDArray[np.int8],
) -> None:
    """Write for each vertex (V) from `first` to before `last` the `half` (V) in which all faces round it lie, or 2."""
    for v in range(first, last):
        out[v] = half[v]
        for i in range(start[v], start[v + 1]):
            f = star[i]
            if half[tri[f, 0]] != half[v] or half[tri[f, 1]] != half[v] or half[tri[f, 2]] != half[v]:
                out[v] = 2
                break


@kernel
def lanes(
    inside: npt.NDArray[np.int8], edges: Indices, order: Indices, first: int, last: int, out: npt.NDArray[np.int8]
) -> None:
    """Write the lane (n) of each chosen edge from `first` to before `last`: 0 or 1, the half that its ends are `inside`
    (V), or 2. What is done in lane 0 and in lane 1 has no face in common and is the same in any order."""
    for i in range(first, last):
        a, b = inside[edges[order[i], 0]], inside[edges[order[i], 1]]
        out[i] = a if a == b else 2


@kernel
def creases(twin: Indices, following: Indices, group: Indices) -> Bools:
    """(C) whether the normals on the two sides of each corner's edge are of different groups (C)."""
    out = np.zeros(len(twin), np.bool_)
    for c in range(len(twin)):
        t = twin[c]
        if t >= 0:
            out[c] = group[c] != group[following[t]] or group[following[c]] != group[t]
    return out


@kernel
def ends(into: Indices) -> Indices:
    """(V) where each vertex is in the end, of which it went into."""
    out = into.copy()
    for v in range(len(out)):
        end = out[v]
        while out[end] != end:
            end = out[end]
        while out[v] != end:
            out[v], v = end, out[v]
    return out


@kernel
def compact(tri: Indices, wedge: Indices, face: Indices) -> int:
    """Drop dead faces in place; returns how many are left."""
    n = 0
    for f in range(len(tri)):
        if tri[f, 0] >= 0:
            if n != f:
                for k in range(3):
                    tri[n, k] = tri[f, k]
                    wedge[n, k] = wedge[f, k]
                face[n] = face[f]
            n += 1
    return n


@kernel
def remaining(tri: Indices, count: int) -> tuple[Ints, Ints]:
    """The vertices (n), of so many, that triangles use; and the number (count) of each among them, −1 for others."""
    number = np.full(count, -1, np.int32)
    for f in range(len(tri)):
        for k in range(3):
            number[tri[f, k]] = 0
    left = np.empty(count, np.int32)
    n = 0
    for v in range(count):
        if number[v] == 0:
            left[n] = v
            number[v] = n
            n += 1
    return left[:n], number


@kernel
def places(pos: Floats, left: Indices, positions: Floats, source: Indices, centre: Floats) -> Floats:
    """Positions (n,3) of the vertices left, `pos` (V,3) being about a centre: those of the source bit for bit where
    they have stayed."""
    out = np.empty((len(left), 3))
    for i in range(len(left)):
        v, s = left[i], source[i]
        still = True
        for k in range(3):
            still = still and pos[v, k] == positions[s, k] - centre[k]
        for k in range(3):
            out[i, k] = positions[s, k] if still else pos[v, k] + centre[k]
    return out
