"""Bent items as one mesh: seams welded, what closes an item against its neighbour taken away."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.combine import joined
from able_brick.core.mesh.fuse import first_that_joins
from able_brick.core.mesh.polymesh import Bools, PolyMesh
from able_brick.core.mesh.topology import topology


def welded_items(
    meshes: Sequence[PolyMesh], seams: Sequence[Bools], materials: Sequence[int], *, near: float = 0.0
) -> PolyMesh:
    """One mesh of bent items (world positions), welded where vertices of their seams (V each) are the very same
    points, or come within about `near` metres of one another.

    Faces that lie on one another in a seam, which closed two neighbours against each other, go in pairs. Only what was
    round these, and what was open, is welded: items that just touch stay whole. `materials` are the first numbers of
    each item's materials in the whole. Facets stay apart. Raises GeometryError for none.
    """
    shifted = [m.replaced(material=m.material + first) for m, first in zip(meshes, materials, strict=True)]
    whole = joined(shifted)
    seam = np.concatenate(seams)
    at = np.flatnonzero(seam)
    rows = np.ascontiguousarray((np.round(whole.positions[at] / near) if near else whole.positions[at]) + 0.0)
    _, first, inverse = np.unique(rows.view(np.dtype((np.void, 24))).ravel(), return_index=True, return_inverse=True)
    number: npt.NDArray[np.signedinteger] = np.arange(whole.vertex_count)
    number[at] = at[first[inverse]]
    twice = _pairs(whole, number[whole.corners], seam)
    keep = ~twice
    joins = np.zeros(whole.vertex_count, np.bool_)
    joins[whole.corners[twice[whole.corner_face]]] = True
    edges = topology(whole)
    joins[edges.edges[edges.border]] = True
    number = first_that_joins(np.asarray(number, np.int32), joins)
    corners = number[whole.corners]
    kept_corner = keep[whole.corner_face]
    used = np.zeros(whole.vertex_count, np.bool_)
    used[corners[kept_corner]] = True
    fresh = np.cumsum(used) - 1
    sizes = whole.face_sizes[keep]
    return whole.with_corners(
        np.flatnonzero(kept_corner),
        corners=fresh[corners[kept_corner]],
        positions=whole.positions[used],
        face_starts=np.concatenate([[0], np.cumsum(sizes)]),
        material=whole.material[keep],
        facet=whole.facet[keep],
        sharp=whole.sharp[kept_corner],
    )


def _pairs(mesh: PolyMesh, corners: np.ndarray, seam: Bools) -> Bools:
    """(F) faces of seams that have the same vertices as one other, which looks the other way."""
    out = np.zeros(mesh.face_count, np.bool_)
    inside = np.bitwise_and.reduceat(seam[mesh.corners], mesh.face_starts[:-1]) if mesh.face_count else out
    open_faces: dict[tuple[int, ...], int] = {}
    for face in np.flatnonzero(inside).tolist():
        key = tuple(sorted(corners[mesh.face_starts[face] : mesh.face_starts[face + 1]].tolist()))
        other = open_faces.pop(key, None)
        if other is None:
            open_faces[key] = face
        else:
            out[[face, other]] = True
    return out
