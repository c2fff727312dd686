"""The faces round vertices, one after the other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.rings import vertex_corners
from able_brick.core.mesh.topology import topology


def before(mesh: PolyMesh) -> Indices:
    """(C) the corner before each corner, round its face."""
    out = np.empty_like(mesh.next_corner)
    out[mesh.next_corner] = np.arange(len(out), dtype=np.int32)
    return out


@dataclass(frozen=True, eq=False)
class Fans:
    """n fans: faces that hang together round a vertex, counter-clockwise seen from outside.

    `vertex` (n); `corners` (k) of the faces there, those of fan i from starts[i] to starts[i + 1]; whether each is
    `closed` (n). `spokes` are the edges between the faces, each by a corner whose edge it is, those of fan i from
    spoke_starts[i] on: spoke j comes before corner j. An open fan has one spoke more, the edge at its end, which is
    that of the corner before.
    """

    vertex: Indices
    closed: Bools
    starts: Indices
    corners: Indices
    spoke_starts: Indices
    spokes: Indices


def fans(mesh: PolyMesh, vertices: Indices) -> Fans:
    """The fans at vertices (n), in their order; several at one where parts touch in it, that with the lowest corner
    first."""
    back, twin, round_ = before(mesh), topology(mesh).twin, vertex_corners(mesh)
    most = int((round_.starts[vertices + 1] - round_.starts[vertices]).sum())
    vertex, closed = np.empty(most, np.int32), np.empty(most, np.bool_)
    starts, corners = np.zeros(most + 1, np.int64), np.empty(most, np.int32)
    n = _walk(vertices, round_.starts, round_.corners, twin, mesh.next_corner, back, vertex, closed, starts, corners)
    vertex, closed, starts = vertex[:n], closed[:n], starts[: n + 1]
    ends = starts[1:][~closed]
    spokes = np.insert(corners, ends, back[corners[ends - 1]])
    return Fans(vertex, closed, starts, corners, starts + np.concatenate([[0], np.cumsum(~closed)]), spokes)


@kernel
def _walk(
    vertices: Any,
    round_starts: Any,
    round_corners: Any,
    twin: Any,
    next_corner: Any,
    back: Any,
    vertex: Any,
    closed: Any,
    starts: Any,
    corners: Any,
) -> int:
    """Fills in fans, and returns their number."""
    seen = np.zeros(len(twin), np.bool_)
    n, k = 0, 0
    for v in vertices:
        for q in range(round_starts[v], round_starts[v + 1]):
            first = round_corners[q]
            if seen[first]:
                continue
            # back to the border, or once round
            start, whole = first, False
            while not whole and twin[start] >= 0:
                start = next_corner[twin[start]]
                whole = start == first
            corner = start
            while True:
                corners[k] = corner
                seen[corner] = True
                k += 1
                other = twin[back[corner]]
                if other < 0 or other == start:
                    break
                corner = other
            vertex[n], closed[n] = v, whole
            n += 1
            starts[n] = k
    return n
