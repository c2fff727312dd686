"""The quads along bevelled edges."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.bevel_corners import Moves
from able_brick.core.edit.bevel_faces import NewFaces, polygons
from able_brick.core.edit.bevel_rails import Rails
from able_brick.core.edit.bevel_uv import BevelUv
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def strips(
    mesh: PolyMesh, across: Rails, moves: Moves, uv: BevelUv | None, places: Floats
) -> tuple[NewFaces, Floats | None]:
    """The quads along each edge, one edge after the other; and the uv (r,s+1,2) across each rail as its strip has
    them."""
    edges, s = len(across.first), across.lines.shape[1] - 1
    c = across.first
    d = topology(mesh).twin[c]
    c_ahead, d_ahead = mesh.next_corner[c], mesh.next_corner[d]
    a, b = across.across()
    half = (np.arange(s) < s / 2) | (s == 1)
    faces = np.stack([b[:, :-1], a[:, :-1], a[:, 1:], b[:, 1:]], axis=2)
    left, right = np.stack([c_ahead, c, c, c_ahead], axis=1), np.stack([d, d_ahead, d_ahead, d], axis=1)
    corner = np.where(half[None, :, None], left[:, None], right[:, None])
    maps, rail_uv = None, None
    if uv is not None:
        uv_a = _across(uv, moves, c, d_ahead, a, places)
        uv_b = _across(uv, moves, c_ahead, d, b, places)
        maps = np.stack([uv_b[:, :-1], uv_a[:, :-1], uv_a[:, 1:], uv_b[:, 1:]], axis=2).reshape(-1, 4, 2)
        rail_uv = np.empty((*across.lines.shape, 2))
        rail_uv[across.begin], rail_uv[across.end] = uv_a, uv_b[:, ::-1]
    facet = np.repeat(np.arange(edges), s)
    return polygons(
        faces.reshape(-1, 4), corner.reshape(-1, 4), maps, mesh.corner_face[corner[..., 0]].ravel(), facet
    ), rail_uv


def _across(uv: BevelUv, moves: Moves, left: Indices, right: Indices, lines: Indices, places: Floats) -> Floats:
    """(e,s+1,2) the uv across curves from one face's corner to the other's: between theirs where they agree at the
    edge, else on from the first by distance."""
    begin, end = uv.at(left, lines[:, 0]), uv.at(right, lines[:, -1])
    parts = np.linalg.norm(np.diff(places[lines], axis=1), axis=2)
    far = np.concatenate([np.zeros((len(lines), 1)), np.cumsum(parts, axis=1)], axis=1)
    total = np.maximum(far[:, -1], 1e-300)
    # away from the inside of the face, by its own density
    inward = moves.way[lines[:, 0]]
    long = np.maximum(np.linalg.norm(inward, axis=1), 1e-300)
    agree = np.abs(uv.uv[left] - uv.uv[right]).max(axis=1) < 1e-9
    step = np.where(agree[:, None], (end - begin) / total[:, None], -uv.turned(left, inward) / long[:, None])
    out: Floats = begin[:, None] + far[:, :, None] * step[:, None]
    return out
