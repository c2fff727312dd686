"""Which way faces look: against their neighbours, and inward."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.remove import flip
from able_brick.core.edit.sound import part_volumes_of
from able_brick.core.errors import GeometryError
from able_brick.core.mend.unsound import unsound
from able_brick.core.mesh.normals import area_vectors, dots
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate


def turn_to_neighbours(mesh: PolyMesh, edges: Indices) -> Edited:
    """Turn faces over so that all that hang together by edges of two faces look one way: those of the smaller area.

    Raises GeometryError where one cannot, as on a strip that is joined with a half turn.
    """
    t = topology(mesh)
    n = mesh.face_count
    order, _ = t.by_edge
    order = order[t.edge_uses[t.corner_edge[order]] == 2]
    one, other = order[0::2], order[1::2]
    f, g = mesh.corner_face[one], mesh.corner_face[other]
    alike = t.twin[one] >= 0
    # each face twice, as it is and turned over
    a = np.concatenate([f, f + n])
    b = np.concatenate([np.where(alike, g, g + n), np.where(alike, g + n, g)])
    label, count = joined_numbers(2 * n, a.astype(np.int32), b.astype(np.int32))
    as_is, over = label[:n], label[n:]
    can = as_is != over
    if not can[mesh.corner_face[np.isin(t.corner_edge, edges)]].any():
        raise GeometryError("These faces hang together with a half turn, so that no side of them is the outer one.")
    area = np.sqrt(np.maximum(dots(*(area_vectors(mesh),) * 2), 0.0))
    of = np.bincount(as_is, weights=area, minlength=count)
    # the larger side stays; of equal ones that of the first face
    turns = can & ((of[as_is] < of[over]) | ((of[as_is] == of[over]) & (as_is > over)))
    return flip(mesh, np.flatnonzero(turns))


def inside_out_faces(mesh: PolyMesh) -> Ints:
    """Faces, rising, of closed parts that look inward. A hollow in another part looks inward, and so do all parts in
    one that does."""
    part, volume, closed, area = part_volumes_of(mesh)
    extent = float(np.ptp(mesh.positions, axis=0).max(initial=0.0)) if mesh.vertex_count else 0.0
    holds = closed & (np.abs(volume) > 1e-7 * extent * area)
    if not (holds & (volume < 0)).any():
        return np.zeros(0, np.int32)
    outer = _outermost(mesh, part, volume, holds)
    return np.flatnonzero((holds & (volume[outer] < 0))[part]).astype(np.int32)


def hidden_faces(mesh: PolyMesh) -> Ints:
    """Faces, rising, of closed parts that lie wholly within what others fill: nobody sees them. What is in a hollow is
    not hidden."""
    part, volume, closed, _ = part_volumes_of(mesh)
    holds = closed & (volume > 0)
    if int(holds.sum()) < 2:
        return np.zeros(0, np.int32)
    parts = _Parts.of(mesh, part, len(volume))
    hidden = np.zeros(len(volume), np.bool_)
    for k in np.flatnonzero(holds).tolist():
        around = parts.around(k, closed)
        hidden[k] = len(around) > 0 and sum(parts.winding(j, k) for j in around) > 0.5
    if not hidden.any():
        return np.zeros(0, np.int32)
    # one that goes through another is partly out of it
    hidden[part[unsound(mesh).crossing]] = False
    return np.flatnonzero(hidden[part]).astype(np.int32)


def _outermost(mesh: PolyMesh, part: Ints, volume: Floats, holds: Bools) -> Ints:
    """Of each part the largest one that it lies in, itself where it lies in none."""
    out = np.arange(len(volume), dtype=np.int32)
    parts = _Parts.of(mesh, part, len(volume))
    size = np.abs(volume)
    for k in np.flatnonzero(holds).tolist():
        around = [j for j in parts.around(k, holds) if size[j] > size[k]]
        for j in sorted(around, key=lambda j: -size[j]):
            if abs(parts.winding(j, k)) > 0.5:
                out[k] = j
                break
    return out


@dataclass(frozen=True, eq=False)
class _Parts:
    """The parts of a mesh: their boxes (n,3), and their triangles (T,3,3), those of part k from starts[k] on."""

    low: Floats
    high: Floats
    triangles: Floats
    starts: Indices

    @classmethod
    def of(cls, mesh: PolyMesh, part: Ints, count: int) -> _Parts:
        """Those of a mesh whose faces (F) are of parts by number."""
        low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
        of_corner = part[mesh.corner_face]
        np.minimum.at(low, of_corner, mesh.positions[mesh.corners])
        np.maximum.at(high, of_corner, mesh.positions[mesh.corners])
        tris, face = triangulate(mesh)
        order = np.argsort(part[face], kind="stable")
        starts = np.searchsorted(part[face][order], np.arange(count + 1))
        return cls(low, high, mesh.positions[mesh.corners[tris[order]]], starts)

    def around(self, k: int, chosen: Bools) -> list[int]:
        """Those of the chosen parts whose box is round that of part k on all sides."""
        found = (self.low < self.low[k]).all(axis=1) & (self.high > self.high[k]).all(axis=1) & chosen
        return [int(j) for j in np.flatnonzero(found)]

    def winding(self, j: int, k: int) -> float:
        """How often part j goes round a point of part k."""
        point = self.triangles[self.starts[k]].mean(axis=0)
        return _winding_number(self.triangles[self.starts[j] : self.starts[j + 1]], point)


def _winding_number(triangles: Floats, point: Floats) -> float:
    """How often triangles (n,3,3) go round a point. A. Van Oosterom, J. Strackee, The solid angle of a plane triangle,
    1983."""
    a, b, c = (triangles[:, k] - point for k in range(3))
    la, lb, lc = (np.sqrt(dots(v, v)) for v in (a, b, c))
    over = dots(a, np.cross(b, c))
    under = la * lb * lc + dots(a, b) * lc + dots(b, c) * la + dots(c, a) * lb
    return float(np.arctan2(over, under).sum() / (2 * np.pi))
