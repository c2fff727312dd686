"""Corners cut off."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, between_corners
from able_brick.core.edit.edited import Edited, fitting, refuse_folded, what_fits
from able_brick.core.edit.fans import Fans, before
from able_brick.core.edit.kinds import marked
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Indices, PolyMesh
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
    finder = Fans(mesh)
    caps: list[list[int]] = []
    lead: list[int] = []
    for vertex in np.flatnonzero(picked).tolist():
        for fan in finder.of(vertex):
            cap = at(np.array(fan.spokes), np.full(len(fan.spokes), vertex)).tolist()
            if len(cap) >= 3:
                caps.append(cap)
                lead.append(fan.corners[0])
    flat = np.array([n for cap in caps for n in cap], np.int64)
    like = np.repeat(np.array(lead, np.int64), [len(cap) for cap in caps]) if caps else np.zeros(0, np.int64)
    added = Faces(
        np.array([len(cap) for cap in caps], np.int32),
        flat.astype(np.int32),
        between_corners(mesh, like, like, np.zeros(len(like))),
        mesh.corner_face[np.array(lead, np.int64)],
        np.zeros(len(flat), np.bool_),
        fresh=np.arange(len(caps), dtype=np.int32),
    )
    out = assemble(
        mesh,
        positions=np.concatenate([mesh.positions, places]),
        changed=changed,
        added=added,
        next_=Next(added=np.ones(len(caps), np.bool_)),
    )
    return refuse_folded(mesh, what_fits(out, asked, width))
