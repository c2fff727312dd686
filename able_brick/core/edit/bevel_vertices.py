"""Corners cut off."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, between_corners
from able_brick.core.edit.edited import Edited, fitting, refuse_folded, what_fits
from able_brick.core.edit.element_types import marked
from able_brick.core.edit.fans import before, fans
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors, crossed, dots
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.spans import within
from able_brick.core.mesh.topology import topology


def bevel_vertices(mesh: PolyMesh, vertices: Indices, width: float, *, clamp: bool = True) -> Edited:
    """Cut vertices off at a width (m) along their edges, and close each by a face. Where that is more than fits,
    `clamp` takes what fits; else GeometryError says the largest."""
    picked = marked(mesh, "vertex", vertices)
    if not width > 0 or not np.isfinite(width):
        raise GeometryError("The width is 0; give one above 0.", received=width)
    t = topology(mesh)
    back = before(mesh)
    corners = np.flatnonzero(picked[mesh.corners])
    if not len(corners):
        raise GeometryError("The picked vertices have no faces.")
    ends = t.edges
    long = np.linalg.norm(mesh.positions[ends[:, 0]] - mesh.positions[ends[:, 1]], axis=1)
    both = picked[ends].sum(axis=1)
    largest = float((long[both > 0] / both[both > 0]).min())
    asked, width = width, fitting(width, largest, "A bevel", clamp=clamp)
    # a new vertex at each end of an edge that is cut off
    cut = picked[ends]
    number = np.full(ends.shape, -1, np.int64)
    number[cut] = mesh.vertex_count + np.arange(int(cut.sum()))
    edge, side = np.nonzero(cut)
    own, other = ends[edge, side], ends[edge, 1 - side]
    share = width / long[edge]
    places = mesh.positions[own] + (mesh.positions[other] - mesh.positions[own]) * share[:, None]

    def at(corner: Indices, vertex: Indices) -> Indices:
        """The new vertices on the edges from corners on, at the end where their vertex is."""
        e = t.corner_edge[corner]
        out: Indices = number[e, (ends[e, 1] == vertex).astype(np.int64)]
        return out

    faces = np.unique(mesh.corner_face[corners])
    chosen = np.zeros(mesh.face_count, np.bool_)
    chosen[faces] = True
    c = np.flatnonzero(chosen[mesh.corner_face])
    two = picked[mesh.corners[c]]
    v = mesh.corners[c]
    size = 1 + two
    start = np.cumsum(size) - size
    names, one, to, shares, sharp = (np.zeros(int(size.sum()), k) for k in (np.int64, np.int64, np.int64, float, bool))
    names[start[~two]], one[start[~two]] = v[~two], c[~two]
    to[start[~two]], sharp[start[~two]] = c[~two], mesh.sharp[c[~two]]
    k, w = c[two], v[two]
    first, second = start[two], start[two] + 1
    names[first], one[first], to[first] = at(back[k], w), k, back[k]
    shares[first] = width / long[t.corner_edge[back[k]]]
    names[second], one[second], to[second] = at(k, w), k, mesh.next_corner[k]
    shares[second], sharp[second] = width / long[t.corner_edge[k]], mesh.sharp[k]
    changed = Faces(
        np.bincount(mesh.corner_face[c], weights=size, minlength=mesh.face_count)[faces].astype(np.int32),
        names.astype(np.int32),
        between_corners(mesh, one, to, shares),
        faces.astype(np.int32),
        sharp,
    )
    found = fans(mesh, np.flatnonzero(picked))
    count = np.diff(found.spoke_starts)
    convex = np.flatnonzero(_convex(mesh, corners, back)[found.corners])
    # a cap begins with the edge that it has in common with the face that it is like
    next_convex = np.append(convex, len(found.corners))[np.searchsorted(convex, found.starts[:-1])]
    first = np.where(next_convex < found.starts[1:], next_convex - found.starts[:-1], 0)
    capped = np.flatnonzero(count >= 3)
    sizes, first = count[capped].astype(np.int32), first[capped]
    of = np.repeat(capped, sizes)
    spokes = found.spokes[found.spoke_starts[of] + (within(sizes) + np.repeat(first, sizes)) % count[of]]
    flat = at(spokes, found.vertex[of])
    own = found.corners[found.starts[capped] + first].astype(np.int64)
    positions = np.concatenate([mesh.positions, places])
    like = np.repeat(own, sizes)
    added = Faces(
        sizes,
        flat.astype(np.int32),
        between_corners(mesh, like, like, np.zeros(len(like))),
        mesh.corner_face[own],
        np.zeros(len(flat), np.bool_),
        None if mesh.uv is None else _unfolded(mesh, mesh.uv, positions, own, back[own], sizes, flat, width),
        fresh=np.arange(len(capped), dtype=np.int32),
    )
    out = assemble(
        mesh,
        positions=positions,
        changed=changed,
        added=added,
        next_=Next(added=np.ones(len(capped), np.bool_)),
    )
    return refuse_folded(mesh, what_fits(out, asked, width))


def _convex(mesh: PolyMesh, corners: Indices, back: Indices) -> Bools:
    """(C) which of the corners (n) are within a half turn."""
    p, c = mesh.positions, mesh.corners
    here = p[c[corners]]
    ahead, behind = p[c[mesh.next_corner[corners]]] - here, p[c[back[corners]]] - here
    out = np.zeros(len(c), np.bool_)
    out[corners] = dots(crossed(ahead, behind), area_vectors(mesh)[mesh.corner_face[corners]]) > 0
    return out


def _unfolded(
    mesh: PolyMesh,
    uv: Floats,
    positions: Floats,
    lead: Indices,
    behind: Indices,
    sizes: Indices,
    flat: Indices,
    width: float,
) -> Floats:
    """(n,2) uv of caps of some sizes (k) with the vertices `flat` (n): each turned into the plane of its lead corner's
    face about the edge that they have in common, from its first vertex to the second."""
    if not len(lead):
        return np.zeros((0, 2))

    def on(end: Indices) -> Floats:
        away = mesh.positions[mesh.corners[end]] - mesh.positions[mesh.corners[lead]]
        out: Floats = uv[lead] + (uv[end] - uv[lead]) * (width / np.linalg.norm(away, axis=1))[:, None]
        return out

    first = np.cumsum(sizes) - sizes
    a, b = positions[flat[first]], positions[flat[first + 1]]
    uv_a, uv_b = on(mesh.next_corner[lead]), on(behind)
    along = b - a
    square = np.maximum(dots(along, along), 1e-300)

    def across(points: Floats, k: Indices | slice) -> tuple[Floats, Floats]:
        """Shares of the way along the common edge, and distances from it."""
        away = points - a[k]
        share = dots(away, along[k]) / square[k]
        return share, np.linalg.norm(away - share[:, None] * along[k], axis=1)

    share, far = across(mesh.positions[mesh.corners[lead]], slice(None))
    outward = (uv[lead] - uv_a - share[:, None] * (uv_b - uv_a)) / np.maximum(far, 1e-300)[:, None]
    k = np.repeat(np.arange(len(sizes)), sizes)
    share, far = across(positions[flat], k)
    out: Floats = uv_a[k] + share[:, None] * (uv_b - uv_a)[k] + far[:, None] * outward[k]
    return out
