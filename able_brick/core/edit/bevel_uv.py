"""Texture coordinates where edges are bevelled."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.bevel_corners import Moves
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.uv_gradients import uv_gradients


@dataclass(frozen=True, eq=False)
class BevelUv:
    """The uv of places (q,3) near corners of a mesh, by how uv change over the faces there: `slopes` (F,3,2) per metre,
    of faces that have moved corners. None where the mesh has no uv."""

    mesh: PolyMesh
    uv: Floats
    slopes: Floats
    places: Floats

    @classmethod
    def of(cls, mesh: PolyMesh, moves: Moves, places: Floats) -> BevelUv | None:
        """That of a mesh."""
        if mesh.uv is None:
            return None
        faces = np.zeros(mesh.face_count, np.bool_)
        faces[mesh.corner_face[moves.one >= 0]] = True
        return cls(mesh, mesh.uv, uv_gradients(mesh, mesh.positions, mesh.uv, faces), places)

    def at(self, corner: Indices, point: Indices) -> Floats:
        """(n,2) the uv of points (n), as the faces of corners (n) would have them."""
        return self.on(corner, self.places.take(point, axis=0))

    def on(self, corner: Indices, places: Floats) -> Floats:
        """(n,2) the same for places (n,3)."""
        away = places - self.mesh.positions.take(self.mesh.corners[corner], axis=0)
        return self.uv.take(corner, axis=0) + self.turned(corner, away)

    def turned(self, corner: Indices, way: Floats) -> Floats:
        """(n,2) by how much uv change along ways (n,3) over the faces of corners (n)."""
        slope = self.slopes.take(self.mesh.corner_face[corner], axis=0)
        out: Floats = way[:, :1] * slope[:, 0] + way[:, 1:2] * slope[:, 1] + way[:, 2:] * slope[:, 2]
        return out
