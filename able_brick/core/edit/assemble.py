"""The one builder of edited meshes: what stays of the old faces, and the new ones."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh


@dataclass(frozen=True, eq=False)
class NewFaces:
    """n faces that are added, with k corners each: vertices (n,k) by their new numbers; the old corner (n,k) whose
    colour each takes; uv (n,k,2), where the mesh has any; the old face (n) whose material and facet each takes; whether
    the edge from each corner on is sharp (n,k)."""

    vertices: Ints
    like_corner: Ints
    uv: Floats | None
    like_face: Ints
    sharp: Bools


def assemble(
    mesh: PolyMesh,
    *,
    positions: Floats,
    vertex_from: Ints,
    keep: Bools,
    corners: Ints,
    uv: Floats | None = None,
    added: NewFaces | None = None,
    picked: Bools | None = None,
) -> Edited:
    """The mesh of the faces that are kept (F), their corners (C) at vertices by their new numbers, and those added.

    `positions` (V',3) are of all vertices, of which `vertex_from` (V') names the old one, or −1; vertices without a
    face go. Kept faces come first, in their order; `picked` (F) of them are picked next. Attributes of kept corners
    stay bit for bit, but for `uv` (C,2) where it is given.
    """
    faces = np.flatnonzero(keep)
    of_kept = keep[mesh.corner_face]
    old_uv = mesh.uv if uv is None else uv
    sizes, every = [mesh.face_sizes[faces]], [corners[of_kept]]
    material, facet, sharp = [mesh.material[faces]], [mesh.facet[faces]], [mesh.sharp[of_kept]]
    uvs = [] if old_uv is None else [old_uv[of_kept]]
    colours = [] if mesh.colour is None else [mesh.colour[of_kept]]
    face_from = [faces.astype(np.int32)]
    if added is not None and len(added.vertices):
        n, k = added.vertices.shape
        sizes.append(np.full(n, k, np.int32))
        every.append(added.vertices.ravel())
        material.append(mesh.material[added.like_face])
        facet.append(mesh.facet[added.like_face])
        sharp.append(added.sharp.ravel())
        if uvs:
            uvs.append(np.zeros((n * k, 2)) if added.uv is None else added.uv.reshape(-1, 2))
        if mesh.colour is not None:
            colours.append(mesh.colour[added.like_corner.ravel()])
        face_from.append(np.full(n, -1, np.int32))
    at = np.concatenate(every)
    used = np.zeros(len(positions), np.bool_)
    used[at] = True
    number = np.cumsum(used, dtype=np.int32) - 1
    out = PolyMesh.trusted(
        positions[used],
        np.concatenate([[0], np.cumsum(np.concatenate(sizes))]),
        number[at],
        material=np.concatenate(material),
        facet=np.concatenate(facet),
        sharp=np.concatenate(sharp),
        uv=np.concatenate(uvs) if uvs else None,
        colour=np.concatenate(colours) if colours else None,
        smooth_angle=mesh.smooth_angle,
    )
    chosen = np.flatnonzero(picked[faces]) if picked is not None else np.zeros(0, np.int64)
    return Edited(out, vertex_from[used], np.concatenate(face_from), chosen.astype(np.int32))
