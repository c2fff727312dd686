"""Faces pulled out along a curve, section by section."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.element_types import converted, marked
from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.limits import check_limit
from able_brick.core.edit.regions import Region
from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh


def sweep(mesh: PolyMesh, faces: Indices, places: Floats, turns: Floats, sizes: Floats) -> Edited:
    """Pull faces out through sections (n+1): their middle goes along `places` (n+1,3), seen from the first, turned by
    rotations (n+1,3,3) and sized by factors (n+1), all relative to the first, which is where they are.

    The way begins along where the faces look. Raises GeometryError for faces that look in all directions, and for
    sections that lie on each other.
    """
    marked(mesh, "face", faces)
    region = Region.of(mesh, faces)
    mean = region.mean_normals().mean(axis=0)
    if not float(np.linalg.norm(mean)) > 1e-9:
        raise GeometryError("The picked faces look away from each other, so the way has nowhere to begin; pick fewer.")
    normal = unit(mean[None])[0]
    check_limit(int(region.border.sum()) * (len(places) - 1))
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    if len(steps) < 1 or not (steps > 0).all():
        raise GeometryError("Two sections would lie on each other; ask for fewer.")
    start = converted(mesh, "face", faces, "vertex")
    middle = mesh.positions[start].mean(axis=0)
    out = Edited(mesh, np.arange(mesh.vertex_count), np.arange(mesh.face_count), np.asarray(faces))
    own = mesh.positions[start] - middle
    first = np.asarray(turns[0])
    # from the way's first direction to where the faces look
    ahead = Rotation.align_vectors([normal], [unit((places[1] - places[0])[None])[0]])[0].as_matrix()
    was = np.arange(mesh.vertex_count)
    for k in range(1, len(places)):
        before = out.mesh
        pulled = extrude(before, out.picked, float(steps[k - 1]))
        turn = ahead @ turns[k] @ first.T @ ahead.T
        shift = ahead @ (places[k] - places[0])
        goal = middle + shift + (own * sizes[k]) @ turn.T
        # the picked vertices are in the order in which they were: faces and corners stay theirs
        now = _followed(mesh, pulled.mesh, faces, pulled.picked, start)
        positions = pulled.mesh.positions.copy()
        positions[now] = goal
        kept = pulled.vertex_from
        was = np.where(kept >= 0, was[np.maximum(kept, 0)], -1)
        face_from = np.where(pulled.face_from >= 0, out.face_from[np.maximum(pulled.face_from, 0)], -1)
        out = Edited(pulled.mesh.replaced(positions=positions), was, face_from, pulled.picked)
    return refuse_flat(mesh, out)


def _followed(before: PolyMesh, after: PolyMesh, faces: Indices, picked: Indices, vertices: Indices) -> Indices:
    """(n) where vertices (n) of picked faces are after these have been pulled out: by the corners of the faces."""
    chosen = np.zeros(before.face_count, np.bool_)
    chosen[faces] = True
    there = np.zeros(after.face_count, np.bool_)
    there[picked] = True
    table = np.full(before.vertex_count, -1, np.int64)
    table[before.corners[chosen[before.corner_face]]] = after.corners[there[after.corner_face]]
    out: Indices = table[vertices]
    return out
