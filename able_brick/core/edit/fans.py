"""The faces round a vertex, one after the other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.core.mesh.rings import vertex_corners
from able_brick.core.mesh.topology import topology


def before(mesh: PolyMesh) -> Indices:
    """(C) the corner before each corner, round its face."""
    out = np.empty_like(mesh.next_corner)
    out[mesh.next_corner] = np.arange(len(out), dtype=np.int32)
    return out


@dataclass(frozen=True)
class Fan:
    """Faces that hang together round a vertex, counter-clockwise seen from outside, by their `corners` there.

    `spokes` are the corners of the edges between them, each by a corner whose edge it is: spoke i comes before corner
    i. An open fan has one spoke more, the edge at its end, which is that of the corner before.
    """

    vertex: int
    corners: list[int]
    spokes: list[int]
    closed: bool


class Fans:
    """Finds fans."""

    def __init__(self, mesh: PolyMesh) -> None:
        self.mesh = mesh
        self.twin = topology(mesh).twin
        self.before = before(mesh)
        self.round = vertex_corners(mesh)

    def of(self, vertex: int) -> list[Fan]:
        """The fans at a vertex; several where parts touch in it."""
        left = set(self.round.of(vertex).tolist())
        out: list[Fan] = []
        while left:
            first = start = min(left)
            # back to the border, or once round
            while (other := int(self.twin[start])) >= 0:
                start = int(self.mesh.next_corner[other])
                if start == first:
                    break
            closed = other >= 0
            corners = [start]
            while (other := int(self.twin[self.before[corners[-1]]])) >= 0 and other != start:
                corners.append(other)
            spokes = list(corners) if closed else [*corners, int(self.before[corners[-1]])]
            out.append(Fan(vertex, corners, spokes, closed))
            left -= set(corners)
        return out
