"""Faces divided: into rows of quads, or into triangles about a middle."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, all_of, assemble, weights_of
from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.element_types import marked
from able_brick.core.edit.fans import before
from able_brick.core.edit.limits import check_limit
from able_brick.core.edit.loops import Cutting, Strips
from able_brick.core.edit.middles import means, middles
from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import csr_array, vstack
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def _evenly(mesh: PolyMesh, picked: Bools, parts: int, cut: Bools) -> tuple[Cutting, Floats]:
    """The cutting of faces (F) whose edges (E) are cut into so many parts, and the places (k,3) of the new vertices."""
    at = np.tile(np.arange(1, parts) / parts, (int(cut.sum()), 1))
    strips = Strips(cut, np.zeros(len(cut), np.bool_), np.where(cut, 0, -1))
    ends = topology(mesh).edges[cut]
    a, b = mesh.positions[ends[:, 0], None], mesh.positions[ends[:, 1], None]
    fresh: Floats = (a * (1.0 - at[..., None]) + b * at[..., None]).reshape(-1, 3)
    return Cutting(mesh, strips, parts - 1, np.flatnonzero(cut), at, picked), fresh


def _divided(mesh: PolyMesh, picked: Bools, positions: Floats, work: Cutting, added: Faces) -> Edited:
    """The mesh with the picked faces (F) gone, those in their place added, and the cut sides of others followed."""
    out = assemble(
        mesh,
        positions=positions,
        keep=~picked,
        changed=work.others(),
        added=added,
        next_=Next(added=np.ones(len(added.like), np.bool_)),
    )
    return refuse_flat(mesh, out)


def divide(mesh: PolyMesh, faces: Indices, parts: int = 2) -> Edited:
    """Divide faces so that each side has so many parts: quads into rows of quads, others, in two parts only, into a
    quad at each corner. Faces beside them get the new vertices as corners. Raises GeometryError for other faces in
    more parts."""
    picked = marked(mesh, "face", faces)
    if parts < 2:
        raise GeometryError("Give at least 2 parts.", received=parts)
    own = np.flatnonzero(picked)
    check_limit(len(own) * parts**2)
    odd = own[mesh.face_sizes[own] != 4]
    if parts > 2 and len(odd):
        raise GeometryError(
            f"{len(odd)} of the faces {'is no quad' if len(odd) == 1 else 'are no quads'}: those are divided into 2 "
            "parts a side only.",
            face=int(odd[0]),
            allowed=2,
        )
    t = topology(mesh)
    cut = np.zeros(len(t.edges), np.bool_)
    cut[t.corner_edge[picked[mesh.corner_face]]] = True
    work, fresh = _evenly(mesh, picked, parts, cut)
    lists: list[Faces] = []
    places = [mesh.positions, fresh]
    if len(odd) < len(own):
        quads, _, interior, _ = work.quads()
        lists.append(quads)
        places.append(interior)
    if len(odd):
        base = sum(len(p) for p in places)
        shares = means(mesh, odd)
        lists.append(_corner_quads(mesh, work, shares, base))
        places.append(middles(mesh, shares))
    positions = np.concatenate(places)
    added = all_of(lists, mesh)
    return _divided(mesh, picked, positions, work, added)


def divide_rows(mesh: PolyMesh, faces: Indices, along: int, across: int) -> Edited:
    """Divide quads so that two opposite sides have so many parts and the others another number; `along` are those of
    the lowest face's first edge, and those that lead on from them over the picked faces. Raises GeometryError for other
    faces, and where the two ways cannot be distinguished."""
    picked = marked(mesh, "face", faces)
    own = np.flatnonzero(picked)
    check_limit(len(own) * along * across)
    odd = own[mesh.face_sizes[own] != 4]
    if len(odd):
        raise GeometryError(
            f"{len(odd)} of the faces {'is no quad' if len(odd) == 1 else 'are no quads'}, which have no two ways; ask "
            "for the same number.",
            face=int(odd[0]),
        )
    if along == across:
        return divide(mesh, faces, along)
    if along < across:
        # the way that is divided first must be divided at all
        out = _rows(mesh, picked, across, 1)
        rest = along
    else:
        out = _rows(mesh, picked, along, 0)
        rest = across
    if rest < 2:
        return out
    made = np.zeros(out.mesh.face_count, np.bool_)
    made[out.picked] = True
    more = _cut_sides(out.mesh, made, rest, _sides_of(out.mesh, made, (1, 3)))
    back = np.where(more.vertex_from >= 0, out.vertex_from[np.maximum(more.vertex_from, 0)], -1)
    face = np.where(more.face_from >= 0, out.face_from[np.maximum(more.face_from, 0)], -1)
    return Edited(more.mesh, back, face, more.picked)


def _rows(mesh: PolyMesh, picked: Bools, parts: int, way: int) -> Edited:
    """Quads (F) divided one way only: along their first edges (0) or along the others (1)."""
    t = topology(mesh)
    starts = mesh.face_starts[:-1][picked]
    e = [t.corner_edge[starts + k] for k in range(4)]
    label, count = joined_numbers(len(t.edges), np.concatenate([e[0], e[1]]), np.concatenate([e[2], e[3]]))
    # of each quad's two ways one is along and one across: two colours
    colour = np.full(count, -1, np.int64)
    beside: dict[int, list[int]] = {}
    for a, b in zip(label[e[0]].tolist(), label[e[1]].tolist(), strict=True):
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    for first in label[e[0]].tolist():
        if colour[first] >= 0:
            continue
        colour[first] = 0
        queue = [first]
        while queue:
            here = queue.pop()
            for other in beside[here]:
                if colour[other] < 0:
                    colour[other] = 1 - colour[here]
                    queue.append(other)
                elif colour[other] == colour[here]:
                    raise GeometryError(
                        "The faces meet round a corner, so that the two ways run into each other; ask for the same "
                        "number both ways, or pick fewer faces."
                    )
    cut = np.zeros(len(t.edges), np.bool_)
    every = np.concatenate(e)
    cut[every] = colour[label[every]] == way
    return _cut_sides(mesh, picked, parts, cut)


def _sides_of(mesh: PolyMesh, picked: Bools, which: tuple[int, int]) -> Bools:
    """(E) some sides of quads (F)."""
    t = topology(mesh)
    out = np.zeros(len(t.edges), np.bool_)
    for k in which:
        out[t.corner_edge[mesh.face_starts[:-1][picked] + k]] = True
    return out


def _cut_sides(mesh: PolyMesh, picked: Bools, parts: int, cut: Bools) -> Edited:
    """Quads (F) divided where two opposite sides of each are cut (E) into parts."""
    work, fresh = _evenly(mesh, picked, parts, cut)
    added, _, interior, _ = work.quads()
    positions = np.concatenate([mesh.positions, fresh, interior])
    return _divided(mesh, picked, positions, work, added)


def _corner_quads(mesh: PolyMesh, work: Cutting, shares: tuple[Indices, Floats, Indices], base: int) -> Faces:
    """A quad at each corner of faces: half the edge before, the corner, half the edge on, the middle, by its shares."""
    c, share, rank = shares
    ahead = mesh.next_corner[c]
    b = before(mesh)[c]
    on, back = work.along(c)[0][:, 0], work.along(b)[0][:, 0]
    vertices = np.stack([back, mesh.corners[c], on, base + rank], axis=1)
    sharp = np.zeros((len(c), 4), np.bool_)
    sharp[:, 0], sharp[:, 1] = mesh.sharp[b], mesh.sharp[c]
    half = np.full((len(c), 2), 0.5)
    parts = [
        weights_of(mesh, np.stack([b, c], axis=1), half),
        weights_of(mesh, c[:, None], np.ones((len(c), 1))),
        weights_of(mesh, np.stack([c, ahead], axis=1), half),
        _middle_weights(mesh, c, share, rank),
    ]
    stacked = csr_array(vstack(parts))
    order = np.arange(4 * len(c)).reshape(4, len(c)).T.ravel()
    return Faces(
        np.full(len(c), 4, np.int32),
        vertices.astype(np.int32).ravel(),
        csr_array(stacked[order]),
        mesh.corner_face[c],
        sharp.ravel(),
    )


def _middle_weights(mesh: PolyMesh, c: Indices, share: Floats, rank: Indices) -> csr_array:
    """(k,C) for each corner (k) of faces the weights of its face's middle."""
    own = csr_array((share, (rank, c)), shape=(int(rank.max()) + 1, len(mesh.corners)))
    return csr_array(own[rank])


def poke(mesh: PolyMesh, faces: Indices, height: float = 0.0) -> Edited:
    """Divide faces into triangles about a vertex in their middle, so high (m) above it."""
    picked = marked(mesh, "face", faces)
    own = np.flatnonzero(picked)
    c, share, rank = shares = means(mesh, own)
    ahead = mesh.next_corner[c]
    normals = unit(area_vectors(mesh).take(own, axis=0))
    positions = np.concatenate([mesh.positions, middles(mesh, shares) + normals * height])
    k = len(c)
    stacked = vstack(
        [
            weights_of(mesh, c[:, None], np.ones((k, 1))),
            weights_of(mesh, ahead[:, None], np.ones((k, 1))),
            _middle_weights(mesh, c, share, rank),
        ]
    )
    order = np.arange(3 * k).reshape(3, k).T.ravel()
    sharp = np.zeros((k, 3), np.bool_)
    sharp[:, 0] = mesh.sharp[c]
    added = Faces(
        np.full(k, 3, np.int32),
        np.stack([mesh.corners[c], mesh.corners[ahead], mesh.vertex_count + rank], axis=1).astype(np.int32).ravel(),
        csr_array(csr_array(stacked)[order]),
        mesh.corner_face[c],
        sharp.ravel(),
    )
    out = assemble(
        mesh,
        positions=positions,
        keep=~picked,
        added=added,
        next_=Next(vertices=np.arange(mesh.vertex_count, len(positions))),
    )
    return refuse_flat(mesh, out)
