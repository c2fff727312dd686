"""Faces that are worked on as one: their border, and the fans of their corners round each vertex."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.gather import sums_at
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


@dataclass(frozen=True, eq=False)
class Region:
    """Picked faces (F). `inside` (C) their corners; `border` (C) those of them whose edge leads along their border;
    `fan` (C) the fan of each of these corners, −1 elsewhere: corners round a vertex that hang together through edges
    between picked faces; `count` fans. `loose` (fans): those that a border touches, or whose vertex others have too.
    `part` (C) the number of the connected part that the corner's face is in."""

    mesh: PolyMesh
    faces: Bools
    inside: Bools
    border: Bools
    fan: Indices
    count: int
    loose: Bools
    part: Indices

    @classmethod
    def of(cls, mesh: PolyMesh, faces: Indices, *, each: bool = False) -> Region:
        """The picked faces as one, or, for `each`, every face by itself. Raises GeometryError for none, and for faces
        that the mesh has not."""
        if not len(faces):
            raise GeometryError("No face is picked; pick one first.")
        if int(faces.min()) < 0 or int(faces.max()) >= mesh.face_count:
            raise GeometryError(f"The mesh has faces 0 to {mesh.face_count - 1}; pick again.")
        picked = np.zeros(mesh.face_count, np.bool_)
        picked[faces] = True
        t = topology(mesh)
        inside = picked[mesh.corner_face]
        own_corners = np.flatnonzero(inside)
        within = np.zeros(len(inside), np.bool_)
        if not each:
            there = t.twin[own_corners]
            within[own_corners] = (there >= 0) & picked[mesh.corner_face[there]]
        border = inside & ~within
        c = np.flatnonzero(within)
        across = t.twin[c]
        ahead = mesh.next_corner
        a = np.concatenate([c, ahead[c]])
        b = np.concatenate([ahead[across], across])
        fan = np.full(len(mesh.corners), -1, np.int32)
        fan[own_corners] = np.arange(len(own_corners), dtype=np.int32)
        number, count = joined_numbers(len(own_corners), fan[a], fan[b])
        fan[own_corners] = number
        loose = np.zeros(count, np.bool_)
        loose[fan[border]] = True
        loose[fan[ahead[border]]] = True
        at = np.bincount(mesh.corners, minlength=mesh.vertex_count)
        own = np.bincount(fan[inside], minlength=count)
        vertex = np.zeros(count, np.int64)
        vertex[fan[inside]] = mesh.corners[inside]
        loose |= at[vertex] != own
        labels, _ = joined_numbers(mesh.face_count, mesh.corner_face[c], mesh.corner_face[across])
        return cls(mesh, picked, inside, border, fan, count, loose, labels[mesh.corner_face])

    @property
    def vertex(self) -> Indices:
        """(fans) the vertex of each fan."""
        out = np.zeros(self.count, np.int32)
        out[self.fan[self.inside]] = self.mesh.corners[self.inside]
        return out

    def mean_normals(self) -> Floats:
        """(fans,3) the unit normal of the connected part that each fan is in, weighed by area. Raises GeometryError
        where that comes to nothing."""
        area = area_vectors(self.mesh)
        of_face = self.part[self.mesh.face_starts[:-1]]
        own = np.flatnonzero(self.faces)
        mean = unit(sums_at(of_face[own], area.take(own, axis=0), int(of_face.max()) + 1))
        out = np.zeros((self.count, 3))
        out[self.fan[self.inside]] = mean.take(self.part[self.inside], axis=0)
        if (np.abs(out).max(axis=1) == 0).any():
            raise GeometryError("The picked faces look in all directions, so they have none in common; choose an axis.")
        return out

    def even_moves(self) -> Floats:
        """(fans,3) by how much each fan moves so that all its faces come to lie a metre further out."""
        normals = unit(area_vectors(self.mesh).take(self.mesh.corner_face[self.inside], axis=0))
        fans = self.fan[self.inside]
        squares = (normals[:, :, None] * normals[:, None, :]).reshape(-1, 9)
        a, b = sums_at(fans, squares, self.count).reshape(-1, 3, 3), sums_at(fans, normals, self.count)
        out: Floats = np.einsum("nij,nj->ni", np.linalg.pinv(a, rcond=1e-6, hermitian=True), b)
        return out

    def moved(self, moves: Floats) -> tuple[Floats, Indices]:
        """Positions (V',3) with fans moved by (fans,3), new vertices behind the old ones; and the vertex (fans) where
        each fan is then: loose ones have one of their own."""
        mesh, vertex = self.mesh, self.vertex
        at = vertex.copy()
        fresh = np.flatnonzero(self.loose)
        at[fresh] = mesh.vertex_count + np.arange(len(fresh), dtype=np.int32)
        positions = np.concatenate([mesh.positions, np.zeros((len(fresh), 3))])
        positions[at] = mesh.positions[vertex] + moves
        return positions, at
