"""The one builder of edited meshes: what stays of the old faces, those that get other corners, and new ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, edges_between
from able_brick.core.lazy_imports import csr_array, vstack
from able_brick.core.mesh.gather import chosen_rows
from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.spans import spans


def like_corners(mesh: PolyMesh, corners: Indices) -> csr_array:
    """(k,C) weights of new corners that have what old ones have."""
    k = len(corners)
    return csr_array((np.ones(k), np.asarray(corners), np.arange(k + 1)), shape=(k, len(mesh.corners)))


def weights_of(mesh: PolyMesh, corners: Indices, weights: Floats) -> csr_array:
    """(n,C) weights (n,k) of old corners (n,k) for new ones."""
    n, k = corners.shape
    out = csr_array((weights.ravel(), corners.ravel(), k * np.arange(n + 1)), shape=(n, len(mesh.corners)))
    out.eliminate_zeros()
    return out


def between_corners(mesh: PolyMesh, first: Indices, second: Indices, shares: Floats) -> csr_array:
    """(k,C) weights of new corners at shares (k) of the way from old ones to others."""
    return weights_of(mesh, np.stack([first, second], axis=1), np.stack([1.0 - shares, shares], axis=1))


def blended(weights: csr_array, values: Floats) -> Floats:
    """(k,…) values (C,…) of old corners, blended for new ones; whole weights hand them on bit for bit."""
    out: Floats = weights @ values
    return out


def _directions(weights: csr_array, normals: Floats) -> Floats:
    """(k,3) normals (C,3) of old corners, blended for new ones; whole weights hand them on bit for bit."""
    out = blended(weights, normals)
    whole = np.diff(weights.indptr) == 1
    out[~whole] = unit(out[~whole])
    return out


@dataclass(frozen=True, eq=False)
class Faces:
    """n faces with k corners in all: `sizes` (n); `vertices` (k) by the builder's numbers; `weights` (k,C), of which
    old corners each has uv and colour; `like` (n) the old face that each takes material and facet from; whether the
    edge from each corner on is `sharp` (k). Where they are stated outright: `uv` (k,2), `material` (n), and whether a
    face is of a `fresh` facet (n), numbered on from those that there are, −1 for that of the old face."""

    sizes: Indices
    vertices: Indices
    weights: csr_array
    like: Indices
    sharp: Bools
    uv: Floats | None = None
    material: Indices | None = None
    fresh: Indices | None = None

    def uv_of(self, mesh: PolyMesh) -> Floats | None:
        """(k,2) the uv of the corners, where the mesh has any."""
        if mesh.uv is None:
            return None
        return blended(self.weights, mesh.uv) if self.uv is None else self.uv


def all_of(parts: Sequence[Faces], mesh: PolyMesh) -> Faces:
    """Several lists of faces as one."""
    if len(parts) == 1:
        return parts[0]
    uv = None
    if mesh.uv is not None:
        uv = np.concatenate([u for p in parts if (u := p.uv_of(mesh)) is not None])
    material = [mesh.material[p.like] if p.material is None else p.material for p in parts]
    fresh = [np.full(len(p.like), -1) if p.fresh is None else p.fresh for p in parts]
    return Faces(
        np.concatenate([p.sizes for p in parts]),
        np.concatenate([p.vertices for p in parts]),
        csr_array(vstack([p.weights for p in parts])),
        np.concatenate([p.like for p in parts]),
        np.concatenate([p.sharp for p in parts]),
        uv,
        np.concatenate(material),
        np.concatenate(fresh),
    )


@dataclass(frozen=True, eq=False)
class Next:
    """What is to be picked next: kept old `faces` (F) and added ones (n), or `vertices` (k), or edges by `pairs` (k,2)
    of them, by the builder's numbers."""

    faces: Bools | None = None
    added: Bools | None = None
    vertices: Indices | None = None
    pairs: Indices | None = None


@dataclass(eq=False)
class _Corners:
    """Corners of faces put together."""

    sizes: Indices
    vertices: Indices
    sharp: Bools
    uv: Floats | None
    colour: Floats | None
    normal: Floats | None = None


def assemble(
    mesh: PolyMesh,
    *,
    positions: Floats,
    vertex_from: Indices | None = None,
    keep: Bools | None = None,
    corners: Indices | None = None,
    uv: Floats | None = None,
    changed: Faces | None = None,
    added: Faces | None = None,
    next_: Next = Next(),
    note: str = "",
    normals: bool = False,
) -> Edited:
    """The mesh of the old faces that are kept (F), their corners (C) at vertices by the builder's numbers, of those of
    them that are `changed` (each `like` itself, rising), and those `added`.

    `positions` (V',3) are of all vertices: the old ones and then new ones, or as `vertex_from` (V') says, which names
    the old one of each, or −1; vertices without a face go. Where nothing is said all faces are kept. Kept faces come
    first, in their order. Attributes of kept corners stay bit for bit, but for `uv` (C,2) where it is given;
    what says how a file's surface is shaded stays only where `normals` are asked for.
    """
    if corners is None:
        corners = mesh.corners
    if keep is None:
        keep = np.ones(mesh.face_count, np.bool_)
    if vertex_from is None:
        vertex_from = np.full(len(positions), -1, np.int32)
        vertex_from[: mesh.vertex_count] = np.arange(mesh.vertex_count)
    whole = keep.copy()
    if changed is not None:
        whole[changed.like] = False
    faces = np.flatnonzero(keep)
    of_whole = np.ones(len(mesh.corners), np.bool_) if whole.all() else whole[mesh.corner_face]
    old_uv = mesh.uv if uv is None else uv
    sizes: list[Indices] = [chosen_rows(mesh.face_sizes, whole)]
    every: list[Indices] = [chosen_rows(corners, of_whole)]
    sharp = [chosen_rows(mesh.sharp, of_whole)]
    uvs = [] if old_uv is None else [chosen_rows(old_uv, of_whole)]
    colours = [] if mesh.colour is None else [chosen_rows(mesh.colour, of_whole)]
    shaded = mesh.normal if normals else None
    ways = [] if shaded is None else [chosen_rows(shaded, of_whole)]
    origin: list[Indices] = [np.flatnonzero(whole)]
    material, facet = chosen_rows(mesh.material, keep), chosen_rows(mesh.facet, keep)
    for part in (changed, added):
        if part is None or not len(part.like):
            continue
        sizes.append(part.sizes)
        every.append(part.vertices)
        sharp.append(part.sharp)
        if (given := part.uv_of(mesh)) is not None:
            uvs.append(given)
        if mesh.colour is not None:
            colours.append(blended(part.weights, mesh.colour))
        if shaded is not None:
            ways.append(_directions(part.weights, shaded))
        origin.append(part.like if part is changed else mesh.face_count + np.arange(len(part.like)))
    made = _Corners(
        np.concatenate(sizes),
        np.concatenate(every),
        np.concatenate(sharp),
        np.concatenate(uvs) if uvs else None,
        np.concatenate(colours) if colours else None,
        np.concatenate(ways) if ways else None,
    )
    if changed is not None and len(changed.like):
        made = _in_order(made, np.concatenate(origin))
    face_from = faces.astype(np.int32)
    if added is not None and len(added.like):
        material = np.concatenate([material, mesh.material[added.like] if added.material is None else added.material])
        own = mesh.facet[added.like]
        if added.fresh is not None:
            own = np.where(added.fresh >= 0, int(mesh.facet.max(initial=-1)) + 1 + added.fresh, own)
        facet = np.concatenate([facet, own])
        face_from = np.concatenate([face_from, np.full(len(added.like), -1, np.int32)])
    used = np.zeros(len(positions), np.bool_)
    used[made.vertices] = True
    number = np.cumsum(used, dtype=np.int32) - 1
    out = PolyMesh.trusted(
        chosen_rows(positions, used),
        np.concatenate([[0], np.cumsum(made.sizes)]),
        number[made.vertices],
        material=material,
        facet=facet,
        sharp=made.sharp,
        uv=made.uv,
        colour=made.colour,
        smooth_angle=mesh.smooth_angle,
        normal=made.normal,
    )
    edited = Edited(out, vertex_from[used], face_from, np.zeros(0, np.int32), note=note)
    kind, picked = _picks(edited, next_, faces, used, number)
    return replace(edited, kind=kind, picked=picked)


def _in_order(made: _Corners, origin: Indices) -> _Corners:
    """The faces put into the order of where they come from."""
    order = np.argsort(origin, kind="stable")
    starts = np.cumsum(made.sizes) - made.sizes
    sizes = made.sizes[order]
    take = spans(starts[order], sizes)
    return _Corners(
        sizes,
        made.vertices[take],
        made.sharp[take],
        None if made.uv is None else made.uv.take(take, axis=0),
        None if made.colour is None else made.colour.take(take, axis=0),
        None if made.normal is None else made.normal.take(take, axis=0),
    )


def _picks(out: Edited, wanted: Next, faces: Indices, used: Bools, number: Indices) -> tuple[ElementType, Indices]:
    if wanted.pairs is not None:
        pairs = wanted.pairs[used[wanted.pairs].all(axis=1)] if len(wanted.pairs) else wanted.pairs
        return "edge", edges_between(out.mesh, number[pairs])
    if wanted.vertices is not None:
        there = wanted.vertices[used[wanted.vertices]]
        return "vertex", np.unique(number[there]).astype(np.int32)
    chosen = np.zeros(out.mesh.face_count, np.bool_)
    if wanted.faces is not None:
        chosen[: len(faces)] = wanted.faces[faces]
    if wanted.added is not None:
        chosen[len(faces) :] = wanted.added
    return "face", np.flatnonzero(chosen).astype(np.int32)
