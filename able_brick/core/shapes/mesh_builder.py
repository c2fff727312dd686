"""Building a mesh from sheets of quads that share their vertices by number."""

from __future__ import annotations

from typing import Final

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, PolyMesh

Grid = npt.NDArray[np.int64]
MOST_FACES: Final = 1_000_000


def grid_uv(u: npt.ArrayLike, v: npt.ArrayLike) -> Floats:
    """(a,b,2) texture coordinates of a sheet from those of its two directions (a) and (b)."""
    return np.stack(np.meshgrid(np.asarray(u, np.float64), np.asarray(v, np.float64), indexing="ij"), axis=-1)


class MeshBuilder:
    """Collects vertices and faces. A corner that repeats its neighbour is dropped, so a row may run to one point."""

    def __init__(self) -> None:
        self._points: list[Floats] = []
        self._count = 0
        self._faces = 0
        self._corners: list[Grid] = []
        self._sizes: list[Grid] = []
        self._uv: list[Floats] = []
        self._facet: list[Grid] = []
        self._facets = 0

    def points(self, positions: npt.ArrayLike) -> Grid:
        """Numbers (…) of new vertices at positions (…,3), metres."""
        p = np.asarray(positions, np.float64)
        out = self._count + np.arange(p.size // 3, dtype=np.int64).reshape(p.shape[:-1])
        self._points.append(p.reshape(-1, 3))
        self._count += p.size // 3
        return out

    def new_facet(self) -> int:
        self._facets += 1
        return self._facets - 1

    def sheet(self, grid: Grid, uv: Floats, facet: int | None = None) -> None:
        """Quads over vertex numbers (a,b) with uv (a,b,2); the outside is where first × second direction points."""
        quads = np.stack([grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]], axis=-1).reshape(-1, 4)
        at = np.stack([uv[:-1, :-1], uv[1:, :-1], uv[1:, 1:], uv[:-1, 1:]], axis=-2).reshape(-1, 4, 2)
        self.faces(quads, at, facet)

    def faces(self, corners: npt.ArrayLike, uv: npt.ArrayLike, facet: int | None = None) -> None:
        """Faces over vertex numbers (n,k) with uv (n,k,2), counter-clockwise seen from outside."""
        c = np.asarray(corners, np.int64)
        keep = c != np.roll(c, -1, axis=1)
        size = keep.sum(axis=1)
        keep &= (size >= 3)[:, None]
        size = size[size >= 3]
        self._faces += len(size)
        if self._faces > MOST_FACES:
            raise GeometryError(
                f"The shape would have more than {MOST_FACES} faces; lower its divisions.", allowed=MOST_FACES
            )
        self._corners.append(c[keep])
        self._sizes.append(size.astype(np.int64))
        self._uv.append(np.asarray(uv, np.float64)[keep])
        self._facet.append(np.full(len(size), self.new_facet() if facet is None else facet, np.int64))

    def built(self) -> PolyMesh:
        """The mesh."""
        return PolyMesh.trusted(
            np.concatenate(self._points),
            np.concatenate([[0], np.cumsum(np.concatenate(self._sizes))]),
            np.concatenate(self._corners),
            facet=np.unique(np.concatenate(self._facet), return_inverse=True)[1],
            uv=np.concatenate(self._uv),
        )
