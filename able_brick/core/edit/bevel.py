"""Edges cut off: flat, or round by several segments."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, weights_of
from able_brick.core.edit.bevel_corners import Around, CornerMoves, Moves
from able_brick.core.edit.edited import Edited, fitting, refuse_folded, what_fits
from able_brick.core.edit.fans import before
from able_brick.core.edit.kinds import marked
from able_brick.core.edit.limits import MOST_BEVELLED, refuse_many
from able_brick.core.edit.patch import patch
from able_brick.core.edit.profile import profile
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.uv_gradients import uv_gradients


@dataclass
class _New:
    """Faces that are gathered: their vertices, the face each is like, the corner there that uv go on from, and uv."""

    faces: list[list[int]] = field(default_factory=list)
    like: list[int] = field(default_factory=list)
    corner: list[list[int]] = field(default_factory=list)
    uv: list[list[Floats]] = field(default_factory=list)
    facet: list[int] = field(default_factory=list)

    def add(self, face: list[int], like: int, corner: list[int], uv: list[Floats], facet: int) -> None:
        keep = [i for i in range(len(face)) if face[i] != face[i - 1]]
        if len(keep) < 3:
            return
        self.faces.append([face[i] for i in keep])
        self.like.append(like)
        self.corner.append([corner[i] for i in keep])
        self.uv.append([uv[i] for i in keep])
        self.facet.append(facet)


def bevel(
    mesh: PolyMesh,
    edges: Indices,
    width: float,
    *,
    segments: int = 1,
    shape: float = 0.5,
    clamp: bool = True,
    material: int | None = None,
) -> Edited:
    """Cut edges off by a width (m), measured along the faces beside them, with so many segments across.

    `shape` 0 is flat, 0.5 round, 1 goes through the old edge. Where three or more of the edges meet, a patch closes
    them; a closed mesh stays closed. Where the width is more than fits, `clamp` takes what fits; else GeometryError
    says the largest. New faces have the material of the face beside them, or the one given. Raises GeometryError for
    edges that have not two faces.
    """
    chosen = marked(mesh, "edge", edges)
    if not width > 0 or not np.isfinite(width):
        raise GeometryError("The width is 0; give one above 0.", received=width)
    t = topology(mesh)
    twin_of = np.zeros(len(t.edges), np.bool_)
    twin_of[t.corner_edge[t.twin >= 0]] = True
    bad = np.flatnonzero(chosen & ~twin_of)
    if len(bad):
        raise GeometryError(
            f"{len(bad)} of the edges {'has' if len(bad) == 1 else 'have'} not two faces that meet; a bevel needs both."
            " Pick edges within the surface.",
            edge=int(bad[0]),
        )
    # where three or more meet there is a patch
    patches = int((np.bincount(t.edges[chosen].ravel()) >= 3).sum())
    refuse_many(int(chosen.sum()) * segments + patches * segments**2, MOST_BEVELLED)
    finder = CornerMoves(mesh, chosen)
    around = [a for v in np.unique(t.edges[chosen]).tolist() for a in finder.around(v)]
    return _Bevelling(mesh, np.flatnonzero(chosen), around, finder.moves, segments, shape).done(width, clamp, material)


class _Bevelling:
    def __init__(
        self, mesh: PolyMesh, edges: Indices, around: list[Around], moves: Moves, segments: int, shape: float
    ) -> None:
        self.mesh, self.edges, self.around, self.moves = mesh, edges, around, moves
        self.segments, self.shape = segments, shape
        self.t = topology(mesh)
        self.normals = unit(area_vectors(mesh))
        self.ways = np.array(moves.way).reshape(-1, 3)
        self.base = mesh.vertex_count
        self.places: list[Floats] = []
        #: Profiles by the bevelled edge and the vertex where they lie, from the face of the edge's first corner on.
        self.rails: dict[tuple[int, int], list[int]] = {}
        #: The uv across them, as their strips have them.
        self.rail_uv: dict[tuple[int, int], list[Floats]] = {}
        self.new = _New()
        self.changed: dict[int, list[int]] = {}

    def done(self, width: float, clamp: bool, material: int | None) -> Edited:
        mesh, moves = self.mesh, self.moves
        asked, width = width, fitting(width, self._largest(), "A bevel", clamp=clamp)
        self.places = list(mesh.positions[np.array(moves.vertex)] + self.ways * width)
        self.moved_uv = self._uv_of_corners(width)
        first: dict[int, int] = {}
        for corner in np.flatnonzero(np.isin(self.t.corner_edge, self.edges)).tolist():
            first.setdefault(int(self.t.corner_edge[corner]), corner)
        self.first = first
        for a in self.around:
            self._profiles(a)
        for edge in self.edges.tolist():
            self._strip(edge)
        for k, a in enumerate(self.around):
            self._patch(a, len(self.edges) + k)
        positions = np.concatenate([mesh.positions, np.array(self.places)])
        made = self._faces(material)
        changed = self._changed()
        out = assemble(
            mesh,
            positions=positions,
            changed=changed,
            added=made,
            next_=Next(added=np.ones(len(made.like), np.bool_)),
        )
        return refuse_folded(mesh, what_fits(out, asked, width))

    # -- corners -

    def _largest(self) -> float:
        """The width at which the first edge has no length any more, metres."""
        mesh, at = self.mesh, self.moves.at
        corners = np.array(sorted(at), np.int64)
        c = np.unique(np.concatenate([corners, before(mesh)[corners]]))
        ahead = mesh.next_corner[c]
        still = np.zeros(3)
        start = np.array([self.ways[at[k][-1]] if k in at else still for k in c.tolist()])
        end = np.array([self.ways[at[k][0]] if k in at else still for k in ahead.tolist()])
        edge = mesh.positions[mesh.corners[ahead]] - mesh.positions[mesh.corners[c]]
        long = np.linalg.norm(edge, axis=1)
        shrink = -dots(end - start, edge) / np.maximum(long, 1e-300)
        return float(np.min(np.where(shrink > 1e-12, long / np.where(shrink > 1e-12, shrink, 1.0), np.inf)))

    def _uv_of_corners(self, width: float) -> dict[tuple[int, int], Floats]:
        """The uv (2,) of each point of each corner, by how uv change over the corner's face."""
        mesh, at = self.mesh, self.moves.at
        if mesh.uv is None:
            return {}
        faces = np.zeros(mesh.face_count, np.bool_)
        faces[mesh.corner_face[np.array(sorted(at))]] = True
        self.slopes = uv_gradients(mesh, mesh.positions, mesh.uv, faces)
        out = {}
        for corner, points in at.items():
            slope = self.slopes[mesh.corner_face[corner]]
            for p in points:
                out[corner, p] = mesh.uv[corner] + (self.ways[p] * width) @ slope
        return out

    def _uv(self, corner: int, point: int) -> Floats:
        return self.moved_uv.get((corner, point), np.zeros(2))

    # -- profiles -

    def _turn(self, spoke: int) -> float:
        mesh = self.mesh
        a, b = self.normals[mesh.corner_face[spoke]], self.normals[mesh.corner_face[self.t.twin[spoke]]]
        return float(np.arccos(np.clip(a @ b, -1.0, 1.0)))

    def _profiles(self, a: Around) -> None:
        """The points across each bevelled spoke at a vertex, from the sector after it to the one before."""
        vertex, n = a.fan.vertex, len(a.spokes)
        middle = self.mesh.positions[vertex]
        lone = all(len(s.points) == 1 for s in a.sectors)
        shared: list[int] | None = None
        for k, spoke in enumerate(a.spokes):
            after = a.sectors[k if a.fan.closed else k + 1]
            ahead = a.sectors[(k - 1) % n if a.fan.closed else k]
            begin, end = after.points[0], ahead.points[-1]
            if shared is not None:
                line = shared[::-1]
            else:
                one, other = self.places[begin], self.places[end]
                corner = middle
                through = lone and len(a.sectors) == 2
                if not through and not (n == 1 and len(after.points) == 2):
                    line_way = self._way(spoke)
                    corner = middle + line_way * float(((one + other) / 2 - middle) @ line_way)
                turn = np.mean([self._turn(s) for s in a.spokes]) if through else self._turn(spoke)
                points = profile(one, corner, other, self.segments, self.shape, float(turn))
                if begin == end:
                    line = [begin] * (self.segments + 1)
                else:
                    line = [begin, *(self._place(p) for p in points[1:-1]), end]
                if through and a.fan.closed and n == 2:
                    shared = line
            self._keep_rail(spoke, vertex, line)
        if n == 1 and a.fan.closed and len(a.sectors[0].points) == 2 and self.segments > 1:
            # the face between takes the profile for its corner
            corner = a.fan.corners[1]
            line = self.rail(a.spokes[0], vertex)
            self.moves.at[corner] = line[::-1]

    def _way(self, spoke: int) -> Floats:
        a, b = self.mesh.corners[spoke], self.mesh.corners[self.mesh.next_corner[spoke]]
        out: Floats = unit(self.mesh.positions[b] - self.mesh.positions[a])
        return out

    def _place(self, point: Floats) -> int:
        self.places.append(point)
        return len(self.places) - 1

    def _keep_rail(self, spoke: int, vertex: int, line: list[int]) -> None:
        """Keep a profile that begins in the sector after the spoke: the face of the spoke's corner, where it leads
        away from the vertex."""
        edge = int(self.t.corner_edge[spoke])
        ahead = int(self.mesh.corners[self.first[edge]]) == vertex
        self.rails[edge, vertex] = line if ahead else line[::-1]

    def rail(self, spoke: int, vertex: int) -> list[int]:
        """A profile from the sector after the spoke to the one before."""
        edge = int(self.t.corner_edge[spoke])
        ahead = int(self.mesh.corners[self.first[edge]]) == vertex
        line = self.rails[edge, vertex]
        return line if ahead else line[::-1]

    # -- faces -

    def _strip(self, edge: int) -> None:
        """The quads along a bevelled edge."""
        mesh, s = self.mesh, self.segments
        c = self.first[edge]
        d = int(self.t.twin[c])
        c_ahead, d_ahead = int(mesh.next_corner[c]), int(mesh.next_corner[d])
        a, b = self.rails[edge, int(mesh.corners[c])], self.rails[edge, int(mesh.corners[c_ahead])]
        uv_a, uv_b = self._across(c, d_ahead, a), self._across(c_ahead, d, b)
        self.rail_uv[edge, int(mesh.corners[c])], self.rail_uv[edge, int(mesh.corners[c_ahead])] = uv_a, uv_b
        left, right = int(mesh.corner_face[c]), int(mesh.corner_face[d])
        for i in range(s):
            half = i < (s + 1) / 2 - 0.5 or s == 1
            self.new.add(
                [b[i], a[i], a[i + 1], b[i + 1]],
                left if half else right,
                [c_ahead, c, c, c_ahead] if half else [d, d_ahead, d_ahead, d],
                [uv_b[i], uv_a[i], uv_a[i + 1], uv_b[i + 1]],
                edge,
            )

    def _across(self, left: int, right: int, line: list[int]) -> list[Floats]:
        """The uv (2,) across a profile from one face's corner to the other's: between theirs where they agree at the
        edge, else on from the first by distance."""
        mesh = self.mesh
        if mesh.uv is None:
            return [np.zeros(2)] * len(line)
        begin, end = self._uv(left, line[0]), self._uv(right, line[-1])
        places = np.array([self.places[p] for p in line])
        far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1))])
        total = max(float(far[-1]), 1e-300)
        if np.abs(mesh.uv[left] - mesh.uv[right]).max() < 1e-9:
            return [begin + (end - begin) * (f / total) for f in far]
        # away from the inside of the face, by its own density
        inward = self.ways[line[0]] if line[0] < len(self.ways) else np.zeros(3)
        out = -(inward @ self.slopes[mesh.corner_face[left]])
        long = float(np.linalg.norm(inward))
        return [begin + out * (f / max(long, 1e-300)) for f in far]

    def _patch(self, a: Around, facet: int) -> None:
        """What closes a vertex between the strips."""
        n = len(a.spokes)
        total = sum(len(x.points) for x in a.sectors)
        if total < 3:
            return
        vertex = a.fan.vertex
        like = int(self.mesh.corner_face[a.fan.corners[0]])
        sides: list[list[int]] = []
        count = len(a.sectors)
        for k, sector in enumerate(a.sectors):
            sides += [[sector.points[i], sector.points[i + 1]] for i in range(len(sector.points) - 1)]
            if a.fan.closed:
                sides.append(self.rail(a.spokes[(k + 1) % n], vertex)[::-1])
            elif k + 1 < count:
                sides.append(self.rail(a.spokes[k], vertex)[::-1])
            else:
                sides.append([sector.points[-1], a.sectors[0].points[0]])
        sides = [side for side in sides if side[0] != side[-1]]
        if len(sides) < 3:
            return
        round_it = self._uv_round(a)
        corner = a.fan.corners[0]

        def uv(point: int) -> Floats:
            found = round_it.get(point)
            return self._uv_in(corner, point) if found is None else found

        curves = [np.array([[*self.places[p], *uv(p)] for p in side]) for side in sides]
        faces, fresh = patch(curves)
        names = [p for side in sides for p in side[:-1]]
        maps = [uv(p) for p in names]
        names += [self._place(p[:3]) for p in fresh]
        maps += [p[3:] if round_it else self._uv_in(corner, q) for p, q in zip(fresh, names[len(maps) :], strict=True)]
        for face in faces:
            self.new.add([names[k] for k in face], like, [corner] * len(face), [maps[k] for k in face], facet)

    def _uv_round(self, a: Around) -> dict[int, Floats]:
        """The uv (2,) of the points round a vertex as the faces and strips there have them; none where these do not
        agree at the vertex."""
        mesh = self.mesh
        if mesh.uv is None:
            return {}
        own = mesh.uv[np.array(a.fan.corners)]
        if np.abs(own - own[0]).max() > 1e-9:
            return {}
        vertex = a.fan.vertex
        out: dict[int, Floats] = {}
        for spoke in a.spokes:
            key = int(self.t.corner_edge[spoke]), vertex
            out |= zip(self.rails[key], self.rail_uv[key], strict=True)
        for corner in a.fan.corners:
            out |= {p: self.moved_uv[corner, p] for p in self.moves.at.get(corner, ()) if (corner, p) in self.moved_uv}
        return out

    def _uv_in(self, corner: int, point: int) -> Floats:
        """The uv (2,) of a place as the face of a corner would have them."""
        mesh = self.mesh
        if mesh.uv is None:
            return np.zeros(2)
        away = self.places[point] - mesh.positions[mesh.corners[corner]]
        out: Floats = mesh.uv[corner] + away @ self.slopes[mesh.corner_face[corner]]
        return out

    def _faces(self, material: int | None) -> Faces:
        new, mesh = self.new, self.mesh
        corners = np.array([c for face in new.corner for c in face], np.int64)
        _, fresh = np.unique(np.array(new.facet), return_inverse=True)
        return Faces(
            np.array([len(f) for f in new.faces], np.int32),
            np.array([v + self.base for face in new.faces for v in face], np.int32),
            weights_of(mesh, corners[:, None], np.ones((len(corners), 1))),
            np.array(new.like, np.int32),
            np.zeros(len(corners), np.bool_),
            np.array([u for face in new.uv for u in face]).reshape(-1, 2) if mesh.uv is not None else None,
            None if material is None else np.full(len(new.faces), material, np.int32),
            fresh.ravel().astype(np.int32),
        )

    def _changed(self) -> Faces:
        """The old faces with their corners moved."""
        mesh, at = self.mesh, self.moves.at
        faces = np.unique(mesh.corner_face[np.array(sorted(at))])
        gone = np.isin(self.t.corner_edge, self.edges)
        sizes, vertices, corners, sharp = [], [], [], []
        uv: list[Floats] = []
        for face in faces.tolist():
            size = 0
            for c in range(int(mesh.face_starts[face]), int(mesh.face_starts[face + 1])):
                points = at.get(c)
                if points is None:
                    vertices.append(int(mesh.corners[c]))
                    corners.append(c)
                    sharp.append(bool(mesh.sharp[c]))
                    if mesh.uv is not None:
                        uv.append(mesh.uv[c])
                    size += 1
                    continue
                for p in points:
                    vertices.append(self.base + p)
                    corners.append(c)
                    sharp.append(bool(mesh.sharp[c]) and p == points[-1] and not gone[c])
                    if mesh.uv is not None:
                        uv.append(self.moved_uv[c, p] if (c, p) in self.moved_uv else self._uv_in(c, p))
                    size += 1
            sizes.append(size)
        own = np.array(corners, np.int64)
        return Faces(
            np.array(sizes, np.int32),
            np.array(vertices, np.int32),
            weights_of(mesh, own[:, None], np.ones((len(own), 1))),
            faces.astype(np.int32),
            np.array(sharp, np.bool_),
            np.array(uv).reshape(-1, 2) if mesh.uv is not None else None,
        )
