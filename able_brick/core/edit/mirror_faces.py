"""Faces on the other side of a plane, the seam shared."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, like_corners
from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.element_types import marked
from able_brick.core.errors import GeometryError
from able_brick.core.finish.seam import distances, onto_plane, seam_of
from able_brick.core.mesh.combine import order_over
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.slicing import sliced
from able_brick.core.mesh.topology import topology
from able_brick.core.place.mirror import Reflection


def mirror_faces(
    mesh: PolyMesh, faces: Indices, over: Reflection, *, copy: bool = True, cut: bool = False, weld: float = 1e-4
) -> Edited:
    """Faces mirrored across a plane: as a `copy`, or themselves, which parts them from the others.

    With `cut` what lies behind the plane of them goes first, cut off where they cross it: both halves are alike then.
    A copy shares the vertices of the border within `weld` (m) of the plane, which are put onto it; picked faces in the
    plane would lie between both halves and go. Faces that are not picked get an edge where the plane cuts them.
    Raises GeometryError where nothing is left to mirror, and where more than two faces would meet at an edge.
    """
    picked = marked(mesh, "face", faces)
    near = np.abs(distances(mesh.positions, over)) <= weld
    base, keep = mesh, np.ones(len(picked), np.bool_)
    source: Indices = np.arange(len(picked))
    if cut:
        base, source, near, keep = _cut_off(mesh, picked, over, near)
    picked = picked[source]
    if not copy:
        image = np.flatnonzero(picked & keep)
        keep &= ~picked
        seam = np.zeros(base.vertex_count, np.bool_)
    else:
        seam, inside = seam_of(base, near, keep=keep, flat=picked)
        keep &= ~(inside & picked)
        image = np.flatnonzero(picked & keep)
    if not len(image):
        raise GeometryError("Nothing of what is picked is on that side of the plane; keep the other side, or move it.")
    positions = np.array(base.positions)
    if seam.any():
        positions[seam] = onto_plane(positions[seam], over)
    of_image = np.zeros(base.face_count, np.bool_)
    of_image[image] = True
    c = np.flatnonzero(of_image[base.corner_face])
    order = order_over(base)
    used = np.zeros(base.vertex_count, np.bool_)
    used[base.corners[c]] = True
    fresh = used & ~seam
    number = np.where(fresh, base.vertex_count + np.cumsum(fresh) - 1, np.arange(base.vertex_count))
    added = Faces(
        base.face_sizes[image],
        number[base.corners[order[c]]].astype(np.int32),
        like_corners(base, order[c]),
        image.astype(np.int32),
        base.sharp[order[base.next_corner[c]]],
        fresh=facets_of_image(base, image, seam, over) if copy else None,
    )
    vertex_from = np.full(base.vertex_count + int(fresh.sum()), -1, np.int32)
    vertex_from[: mesh.vertex_count] = np.arange(mesh.vertex_count)
    out = assemble(
        base,
        positions=np.concatenate([positions, over.points(positions[fresh])]),
        vertex_from=vertex_from,
        keep=keep,
        added=added,
        next_=Next(added=np.ones(len(image), np.bool_)),
    )
    # of the parts of a face the first one is the old face
    first = np.where(np.concatenate([[True], source[1:] != source[:-1]]), source, -1)
    face_from = np.where(out.face_from >= 0, first[np.maximum(out.face_from, 0)], -1).astype(np.int32)
    made = Edited(out.mesh, out.vertex_from, face_from, out.picked)
    _refuse_crowded(mesh, made)
    return refuse_flat(mesh, made)


def _cut_off(mesh: PolyMesh, picked: Bools, over: Reflection, near: Bools) -> tuple[PolyMesh, Indices, Bools, Bools]:
    """The mesh cut along the plane, the old face (F') of each of its own, its vertices (V') on the plane, by those of
    the old ones (V) that are near it, and which of its faces (F') stay."""
    at = distances(mesh.positions, over)
    at[near] = 0.0
    base, at = sliced(mesh.replaced(facet=np.arange(mesh.face_count, dtype=np.int32)), at, np.zeros(1))
    source = np.asarray(base.facet)
    base = base.replaced(facet=mesh.facet[source])
    before = np.maximum.reduceat(at[base.corners], base.face_starts[:-1]) > 0
    return base, source, at == 0.0, np.asarray(before | ~picked[source])


def facets_of_image(mesh: PolyMesh, image: Indices, seam: Bools, over: Reflection) -> Indices:
    """For mirrored faces (n) the number of their new facet, −1 where they go on in that of the old ones, flat over the
    seam."""
    on = seam[mesh.corners] & seam[mesh.corners[mesh.next_corner]]
    at = np.unique(mesh.corner_face[on])
    flat = at[np.abs(unit(area_vectors(mesh).take(at, axis=0)) @ over.normal) < 1e-6]
    names, number = np.unique(mesh.facet[image], return_inverse=True)
    return np.where(np.isin(names, mesh.facet[flat]), -1, np.arange(len(names)))[number]


def _refuse_crowded(before: PolyMesh, out: Edited) -> None:
    uses = topology(out.mesh).edge_uses
    if int((uses > 2).sum()) > int((topology(before).edge_uses > 2).sum()):
        raise GeometryError(
            "More than two faces would meet at an edge in the plane; pick other faces, or move the plane.",
            edge=int(np.argmax(uses > 2)),
        )
