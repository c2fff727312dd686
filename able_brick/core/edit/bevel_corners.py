"""Where the corners of faces go as edges are bevelled."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from able_brick.core.edit.fans import Fan, Fans
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh
from able_brick.core.mesh.topology import topology

#: Below this sine an edge lies along another one.
_ALONG = 1e-3
#: Faces whose normals agree by this cosine lie in a plane.
_FLAT = 1.0 - 1e-9


@dataclass
class Sector:
    """What lies at a vertex between two bevelled edges, or between one and the border: `points`, by their numbers,
    counter-clockwise."""

    points: list[int]


@dataclass
class Around:
    """A fan whose edges are bevelled: its sectors counter-clockwise, and the bevelled spokes: spoke k lies before
    sector k, in an open fan before sector k + 1."""

    fan: Fan
    sectors: list[Sector]
    spokes: list[int]


@dataclass
class Moves:
    """Where vertices go for each metre of width: `vertex` and `way` (3,) of each new point; `at` the points of each
    corner of a face, in the order of the face."""

    vertex: list[int] = field(default_factory=list)
    way: list[Floats] = field(default_factory=list)
    at: dict[int, list[int]] = field(default_factory=dict)

    def add(self, vertex: int, way: Floats) -> int:
        self.vertex.append(vertex)
        self.way.append(way)
        return len(self.vertex) - 1


class CornerMoves:
    """Finds where the corners of faces go."""

    def __init__(self, mesh: PolyMesh, chosen: Bools) -> None:
        self.mesh, self.chosen = mesh, chosen
        self.t = topology(mesh)
        self.normals = unit(area_vectors(mesh))
        self.fans = Fans(mesh)
        self.moves = Moves()

    def around(self, vertex: int) -> list[Around]:
        """The fans at a vertex that have bevelled edges, their corners moved."""
        out = []
        for fan in self.fans.of(vertex):
            marks = [bool(self.chosen[self.t.corner_edge[s]]) for s in fan.spokes]
            if any(marks):
                out.append(self._moved(fan, marks))
        return out

    def _moved(self, fan: Fan, marks: list[bool]) -> Around:
        corners, spokes = fan.corners, fan.spokes
        if fan.closed:
            lead = marks.index(True)
            corners, spokes = corners[lead:] + corners[:lead], spokes[lead:] + spokes[:lead]
            marks = marks[lead:] + marks[:lead]
            spokes, marks = [*spokes, spokes[0]], [*marks, True]
            fan = Fan(fan.vertex, corners, spokes[:-1], True)
        chosen = [i for i, m in enumerate(marks) if m]
        cuts = chosen if fan.closed else [-1, *chosen, len(spokes)]
        sectors = []
        for k in range(len(cuts) - 1):
            low, high = cuts[k], cuts[k + 1]
            inner = list(range(low + 1, high))
            between = corners[max(low, 0) : min(high, len(corners))]
            beside = (low if low >= 0 else None, high if high < len(spokes) else None)
            sectors.append(self._sector(fan, spokes, between, inner, beside))
        return Around(fan, sectors, [spokes[i] for i in (chosen[:-1] if fan.closed else chosen)])

    def _way(self, fan: Fan, spoke: int) -> Floats:
        """The unit direction (3,) of a spoke, away from the vertex."""
        a, b = self.mesh.corners[spoke], self.mesh.corners[self.mesh.next_corner[spoke]]
        other = b if a == fan.vertex else a
        out: Floats = unit(self.mesh.positions[other] - self.mesh.positions[fan.vertex])
        return out

    def _sector(
        self,
        fan: Fan,
        spokes: list[int],
        between: list[int],
        inner: list[int],
        beside: tuple[int | None, int | None],
    ) -> Sector:
        """The points of a sector: `between` are its corners, `inner` the spokes within, `beside` it the bevelled ones,
        None for the border."""
        low, high = beside
        normals = [self.normals[self.mesh.corner_face[c]] for c in between]
        # square to the bevelled edges, into the sector
        first = None if low is None else np.cross(normals[0], self._way(fan, spokes[low]))
        last = None if high is None else np.cross(self._way(fan, spokes[high]), normals[-1])
        if not inner and low is not None and high is not None and first is not None and last is not None:
            ways = [_mitre(first, last, self._way(fan, spokes[low]), self._way(fan, spokes[high]))]
        else:
            lines = [self._way(fan, spokes[i]) for i in inner]
            ways = _slides(lines, first, last)
            if len(inner) == 1 and first is not None and last is not None and float(normals[0] @ normals[-1]) > _FLAT:
                ways = [_mitre(first, last, lines[0], lines[0])]
        points = [self.moves.add(fan.vertex, way) for way in ways]
        at = self.moves.at
        if len(points) == 1:
            for corner in between:
                at[corner] = [points[0]]
            return Sector(points)
        # corner j lies between the spokes j and j + 1 of the sector; a face comes in by the later one
        ahead = 0 if low is not None else 1
        for j, corner in enumerate(between):
            mine = [k for k in (j + ahead, j - 1 + ahead) if 0 <= k < len(points)]
            at[corner] = [points[k] for k in mine]
        return Sector(points)


def _mitre(first: Floats, last: Floats, one: Floats, other: Floats) -> Floats:
    """The move (3,) by which a corner comes to lie a metre from both edges of it, in their plane."""
    both = first + last
    half = 1.0 + float(first @ last)
    if half > 1e-6:
        out: Floats = both / half
        return out
    # the edges lie on each other: along them
    back: Floats = (one + other) / 2
    return back


def _slides(lines: list[Floats], first: Floats | None, last: Floats | None) -> list[Floats]:
    """The moves along spokes: a metre from the bevelled edges on both sides, evenly between."""
    ends: list[float | None] = []
    for side, line in ((first, lines[0]), (last, lines[-1])):
        if side is None:
            ends.append(None)
            continue
        sine = float(side @ line)
        ends.append(1.0 / sine if sine > _ALONG else None)
    known = [e for e in ends if e is not None]
    if not known:
        sides = [s for s in (first, last) if s is not None]
        return [np.mean(sides, axis=0) for _ in lines]
    begin, end = (known[0] if e is None else e for e in ends)
    if len(lines) == 1:
        return [lines[0] * ((begin + end) / 2)]
    steps = np.linspace(begin, end, len(lines))
    return [line * step for line, step in zip(lines, steps, strict=True)]
