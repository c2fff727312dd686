"""Cuts across faces: from place to place, and all along a plane."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, weights_of
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import edges_between
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.slicing import sliced
from able_brick.core.mesh.topology import topology

#: Places nearer to the end of an edge than this share are its vertex.
_AT_END = 1e-9


@dataclass(frozen=True)
class Stop:
    """A place of a cut: a `vertex`, or a `share` of an `edge` from its lower vertex."""

    vertex: int = -1
    edge: int = -1
    share: float = 0.5


@dataclass
class _Loop:
    """A face as it is cut: its vertices, the old corner of each with the share of its edge, and whether the edge on is
    sharp."""

    names: list[int]
    corners: list[int]
    shares: list[float]
    sharp: list[bool]

    def part(self, a: int, b: int) -> _Loop:
        """From the vertex at a round to the one at b; the edge back is new."""
        n = len(self.names)
        at = [(a + k) % n for k in range((b - a) % n + 1)]
        sharp = [self.sharp[k] for k in at]
        sharp[-1] = False
        return _Loop([self.names[k] for k in at], [self.corners[k] for k in at], [self.shares[k] for k in at], sharp)


def cut(mesh: PolyMesh, stops: Sequence[Stop]) -> Edited:
    """Cut faces from each stop (n ≥ 2) to the next, which must lie on one face, straight across it.

    Stops on edges become vertices of the faces on both sides. Raises GeometryError where two that follow each other
    share no face, are neighbours on one already, or where the way leaves the face.
    """
    if len(stops) < 2:
        raise GeometryError("A cut needs two places at least.", received=len(stops))
    names, places, on_edge = _vertices(mesh, stops)
    positions = np.concatenate([mesh.positions, np.array(places).reshape(-1, 3)])
    faces: dict[int, list[_Loop]] = {}
    t = topology(mesh)

    def loops_of(face: int) -> list[_Loop]:
        if face not in faces:
            faces[face] = [_with_stops(mesh, face, on_edge)]
        return faces[face]

    for edge in on_edge:
        for corner in np.flatnonzero(t.corner_edge == edge).tolist():
            loops_of(int(mesh.corner_face[corner]))
    normals = area_vectors(mesh)
    pairs = []
    for k, (a, b) in enumerate(pairwise(names)):
        if a == b:
            continue
        if not _cut_one(mesh, loops_of, stops[k : k + 2], (a, b), positions, normals):
            raise GeometryError(
                f"Places {k + 1} and {k + 2} of the cut do not lie across one face; add one on each edge between.",
                place=k,
            )
        pairs.append((a, b))
    changed = sorted(faces)
    out = assemble(
        mesh,
        positions=positions,
        changed=_faces(mesh, [(f, faces[f][0]) for f in changed]),
        added=_faces(mesh, [(f, loop) for f in changed for loop in faces[f][1:]]),
        next_=Next(pairs=np.array(pairs, np.int64).reshape(-1, 2)),
    )
    return refuse_worse(mesh, out)


def _vertices(
    mesh: PolyMesh, stops: Sequence[Stop]
) -> tuple[list[int], list[Floats], dict[int, list[tuple[float, int]]]]:
    """The vertex of each stop, the places of those that are new, and by edge the shares and numbers of these."""
    table = topology(mesh).edges
    names: list[int] = []
    places: list[Floats] = []
    on_edge: dict[int, list[tuple[float, int]]] = {}
    for k, stop in enumerate(stops):
        if stop.vertex >= 0:
            if stop.vertex >= mesh.vertex_count:
                raise GeometryError(f"The mesh has vertices 0 to {mesh.vertex_count - 1}; pick again.", place=k)
            names.append(stop.vertex)
            continue
        if not 0 <= stop.edge < len(table):
            raise GeometryError(f"The mesh has edges 0 to {len(table) - 1}; pick again.", place=k)
        if not 0.0 <= stop.share <= 1.0:
            raise GeometryError("A place on an edge is between 0 and 100 % of it.", place=k, received=stop.share)
        a, b = (int(v) for v in table[stop.edge])
        if stop.share < _AT_END or stop.share > 1.0 - _AT_END:
            names.append(a if stop.share < 0.5 else b)
            continue
        placed = on_edge.setdefault(stop.edge, [])
        same = [n for s, n in placed if abs(s - stop.share) < _AT_END]
        if same:
            names.append(same[0])
            continue
        name = mesh.vertex_count + len(places)
        places.append(mesh.positions[a] * (1.0 - stop.share) + mesh.positions[b] * stop.share)
        placed.append((stop.share, name))
        names.append(name)
    return names, places, on_edge


def _with_stops(mesh: PolyMesh, face: int, on_edge: dict[int, list[tuple[float, int]]]) -> _Loop:
    """A face with the stops on its edges among its vertices."""
    t = topology(mesh)
    loop = _Loop([], [], [], [])

    def add(name: int, corner: int, share: float) -> None:
        loop.names.append(name)
        loop.corners.append(corner)
        loop.shares.append(share)
        loop.sharp.append(bool(mesh.sharp[corner]))

    for c in range(int(mesh.face_starts[face]), int(mesh.face_starts[face + 1])):
        add(int(mesh.corners[c]), c, 0.0)
        edge = int(t.corner_edge[c])
        ahead = int(t.edges[edge, 0]) == int(mesh.corners[c])
        for share, name in sorted(on_edge.get(edge, ()), reverse=not ahead):
            add(name, c, share if ahead else 1.0 - share)
    return loop


def _cut_one(
    mesh: PolyMesh,
    loops_of: Callable[[int], list[_Loop]],
    stops: Sequence[Stop],
    ends: tuple[int, int],
    positions: Floats,
    normals: Floats,
) -> bool:
    """Cut the first face that has both ends, not beside each other, and whose inside the way goes through; whether
    there was one, or the way is an edge already."""
    a, b = ends
    t = topology(mesh)
    shared: set[int] | None = None
    for stop in stops:
        if stop.vertex >= 0:
            mine = set(mesh.corner_face[mesh.corners == stop.vertex].tolist())
        else:
            mine = set(mesh.corner_face[t.corner_edge == stop.edge].tolist())
            for v in t.edges[stop.edge] if stop.share in (0.0, 1.0) else ():
                mine |= set(mesh.corner_face[mesh.corners == v].tolist())
        shared = mine if shared is None else shared & mine
    for face in sorted(shared or ()):
        loops = loops_of(face)
        for k, loop in enumerate(loops):
            if a not in loop.names or b not in loop.names:
                continue
            i, j = loop.names.index(a), loop.names.index(b)
            n = len(loop.names)
            if (j - i) % n in (1, n - 1):
                return True
            one, other = loop.part(i, j), loop.part(j, i)
            ways = [_area(positions[p.names]) @ normals[face] for p in (one, other)]
            whole = _area(positions[loop.names]) @ normals[face]
            if min(ways) <= 1e-12 * abs(whole):
                continue
            loops[k : k + 1] = [one]
            loops.append(other)
            return True
    return False


def _area(points: Floats) -> Floats:
    """(3,) the area vector of a polygon (n,3)."""
    p = points - points[0]
    out: Floats = np.cross(p[1:-1], p[2:]).sum(axis=0) / 2
    return out


def _faces(mesh: PolyMesh, loops: list[tuple[int, _Loop]]) -> Faces:
    corners = np.array([c for _, loop in loops for c in loop.corners], np.int64)
    shares = np.array([s for _, loop in loops for s in loop.shares])
    pair = np.stack([corners, mesh.next_corner[corners]], axis=1) if len(corners) else np.zeros((0, 2), np.int64)
    return Faces(
        np.array([len(loop.names) for _, loop in loops], np.int32),
        np.array([v for _, loop in loops for v in loop.names], np.int32),
        weights_of(mesh, pair, np.stack([1.0 - shares, shares], axis=1)),
        np.array([face for face, _ in loops], np.int32),
        np.array([s for _, loop in loops for s in loop.sharp], np.bool_),
    )


def slice_by_plane(mesh: PolyMesh, point: Floats, normal: Floats) -> Edited:
    """Cut all faces that a plane goes through, a point (3,) of it and its normal (3,). Raises GeometryError where it
    cuts none."""
    at = (mesh.positions - point) @ np.asarray(normal)
    numbered = mesh.replaced(facet=np.arange(mesh.face_count, dtype=np.int32))
    out, where = sliced(numbered, at, np.zeros(1))
    source = np.asarray(out.facet)
    if out.face_count == mesh.face_count:
        raise GeometryError("The plane goes through no face; place it within the piece.")
    made = out.replaced(facet=mesh.facet[source])
    vertex_from = np.full(out.vertex_count, -1, np.int32)
    vertex_from[: mesh.vertex_count] = np.arange(mesh.vertex_count)
    # of the parts of a face the first one is the old face
    face_from = np.where(np.concatenate([[True], source[1:] != source[:-1]]), source, -1).astype(np.int32)
    table = topology(made).edges
    pairs = table[(where[table] == 0.0).all(axis=1)]
    return Edited(made, vertex_from, face_from, edges_between(made, pairs), "edge")
