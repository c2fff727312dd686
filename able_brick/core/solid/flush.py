"""Planes of two bodies that are meant to be one: the cutter's vertices put onto them, and how ties are decided.

Where faces of two bodies lie in one plane, rounding would decide point by point which of them is in front, and leave
skins of no thickness. So the planes are made one first, and each of the cutter's faces in them is then held a grain in
or out of it for the time of the cut. What comes of that is put back by `restore.py`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.normals import area_vectors, dots
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.rings import vertex_corners
from able_brick.core.mesh.spans import spans
from able_brick.core.solid.planes import face_planes

Way = Literal["unite", "subtract", "intersect", "imprint"]
#: Planes that lie so near each other, metres, in pieces of a metre and more; in smaller ones this share of them.
NEAR: Final = 1e-6
#: Normals that differ by less than this, radians, are those of one plane.
_ANGLE: Final = 1e-6
#: How far faces are held off each other, as a share of the extent of both.
_GRAIN: Final = 1e-9


@dataclass(frozen=True, eq=False)
class Flush:
    """The cutter's vertices (V,3) on the planes that they share with the other body, where they are held for the cut
    (V,3), the cutter's faces (F) that lie in such a plane, their planes' normals (F,3) and offsets (F), and how far,
    metres, faces are held off at most; 0 where no plane is shared."""

    positions: Floats
    held: Floats
    faces: Bools
    normal: Floats
    offset: Floats
    grain: float


def flush(a: PolyMesh, b: PolyMesh, way: Way) -> Flush:
    """How a cutter b is held against a form a, both in the same axes, metres."""
    planes = face_planes(b)
    face, normal, offset, alike = _shared(a, b)
    none = np.zeros(b.face_count, np.bool_)
    if not len(face):
        return Flush(b.positions, b.positions, none, planes.normal, planes.offset, 0.0)
    lows, highs = zip(a.bounds, b.bounds, strict=True)
    grain = _GRAIN * float(np.abs([lows, highs]).max())
    both = np.zeros((b.face_count, 2), np.bool_)
    both[face, alike.astype(np.int32)] = True
    shared = np.zeros(b.face_count, np.bool_)
    shared[face] = True
    normals, offsets = planes.normal.copy(), planes.offset.copy()
    # seen from the cutter's own side
    sign = np.where(alike, 1.0, -1.0)
    normals[face], offsets[face] = normal * sign[:, None], offset * sign
    on = _on_planes(b, b.positions, shared, normals, offsets)
    held = _on_planes(b, on, shared, normals, offsets + np.where(_outwards(way, both), grain, -grain))
    return Flush(on, held, shared, normals, offsets, grain)


def _outwards(way: Way, both: Bools) -> Bools:
    """(F) whether faces in planes of the other body are held out of the cutter: by what lies there (F,2), faces that
    look the other way, and ones that look the same way. Where there are both, what leaves no skin is chosen."""
    against, along = both[:, 0], both[:, 1]
    if way == "unite":  # into what it touches; the form's own face stays where both look the same way
        return against
    if way == "subtract":  # through the form's face; what only touches takes nothing away
        return along
    if way == "intersect":
        return along & ~against
    return against | along


def _shared(a: PolyMesh, b: PolyMesh) -> tuple[Ints, Floats, Floats, Bools]:
    """Faces (n) of b that lie in planes of faces of a near them, these planes' normals (n,3) and offsets (n), and
    whether both look the same way; a face may stand there once each way."""
    empty = (np.zeros(0, np.int32), np.zeros((0, 3)), np.zeros(0), np.zeros(0, np.bool_))
    extent = float(min((a.bounds[1] - a.bounds[0]).max(), (b.bounds[1] - b.bounds[0]).max()))
    near = NEAR * min(1.0, extent)
    low, high = np.maximum(a.bounds[0], b.bounds[0]) - near, np.minimum(a.bounds[1], b.bounds[1]) + near
    if (low > high).any():
        return empty
    ours, theirs = (_reaching(m, low, high) for m in (a, b))
    if not len(ours) or not len(theirs):
        return empty
    of_a, of_b = face_planes(a), face_planes(b)
    middle = (low + high) / 2
    span = max(float(np.abs(high - low).max()), extent)
    rows = [
        np.column_stack([p.normal[f], (p.offset[f] - dots(p.normal[f], middle[None])) / span])
        for p, f in ((of_a, ours), (of_b, theirs))
    ]
    reach = 4 * _ANGLE + 2 * near / span
    one, first = _each_once(rows[0], reach)
    tree = cKDTree(one)
    out: list[tuple[Ints, Ints]] = []
    for sign in (1.0, -1.0):
        found = cKDTree(rows[1] * sign).sparse_distance_matrix(tree, reach, output_type="ndarray")
        out.append((theirs[found["i"]], ours[first[found["j"]]]))
    face, of = (np.concatenate([o[k] for o in out]) for k in (0, 1))
    alike = np.repeat([True, False], [len(o[0]) for o in out])
    # every vertex of the face lies in the plane
    sizes = b.face_sizes[face]
    corner = spans(b.face_starts[face], sizes)
    which = np.repeat(np.arange(len(face)), sizes)
    points = b.positions[b.corners[corner]]
    away = np.abs(dots(of_a.normal[of][which], points) - of_a.offset[of][which])
    most = np.zeros(len(face))
    np.maximum.at(most, which, away)
    order = np.flatnonzero(most <= near)
    order = order[np.lexsort((most[order], alike[order], face[order]))]
    fresh = np.ones(len(order), np.bool_)
    fresh[1:] = (face[order][1:] != face[order][:-1]) | (alike[order][1:] != alike[order][:-1])
    order = order[fresh]
    return face[order], of_a.normal[of[order]], of_a.offset[of[order]], alike[order]


def _reaching(mesh: PolyMesh, low: Floats, high: Floats) -> Ints:
    """Flat faces whose boxes reach into a box."""
    points, starts = mesh.positions[mesh.corners], mesh.face_starts[:-1]
    lows, highs = np.minimum.reduceat(points, starts), np.maximum.reduceat(points, starts)
    there = ((lows <= high) & (highs >= low)).all(axis=1) & face_planes(mesh).flat
    there &= dots(area_vectors(mesh), area_vectors(mesh)) > 0
    return np.flatnonzero(there).astype(np.int32)


def _each_once(rows: Floats, grain: float) -> tuple[Floats, Ints]:
    """Rows (n,4) with those that are the same to a hundredth of a grain once, and the first of each."""
    _, first = np.unique(np.round(rows * (100 / grain)), axis=0, return_index=True)
    return rows[first], first.astype(np.int32)


def _on_planes(mesh: PolyMesh, positions: Floats, shared: Bools, normal: Floats, offset: Floats) -> Floats:
    """Positions (V,3), those of the chosen faces (F) moved least so that these lie in planes given for all (F,3), (F),
    and their other faces stay in their own."""
    out = positions.copy()
    faces = np.flatnonzero(shared)
    vertices = np.unique(mesh.corners[spans(mesh.face_starts[faces], mesh.face_sizes[faces])])
    round_ = vertex_corners(mesh)
    counts = round_.starts[vertices + 1] - round_.starts[vertices]
    face = mesh.corner_face[round_.corners[spans(round_.starts[vertices], counts)]]
    which = np.repeat(np.arange(len(vertices)), counts)
    own = dots(normal[face], positions[vertices][which])
    out[vertices] = onto(
        positions[vertices], which, normal[face], np.where(shared[face], offset[face], own), shared[face]
    )
    return out


def onto(points: Floats, which: Indices, normal: Floats, offset: Floats, first: Bools) -> Floats:
    """Points (n,3) moved least so that each lies in its planes: of point `which` (k) each normal (k,3) and offset (k).

    Where they have no point in common those are kept to that come `first` (k). Planes along an axis are met exactly.
    """
    out = points.copy()
    share = np.where(first, 1.0, 1e-6)
    for _ in range(2):
        away = offset - dots(normal, out[which])
        # each plane once, however many faces lie in it
        square = np.zeros((len(points), 3, 3))
        right = np.zeros((len(points), 3))
        np.add.at(square, which, share[:, None, None] * normal[:, :, None] * normal[:, None, :])
        np.add.at(right, which, (share * away)[:, None] * normal)
        out += np.einsum("nij,nj->ni", np.linalg.pinv(square, rcond=1e-11, hermitian=True), right)
    axis = np.abs(normal).argmax(axis=1)
    along = np.abs(normal[np.arange(len(normal)), axis]) == 1.0
    for ahead in (False, True):  # those that come first have the last word
        k = np.flatnonzero(along & (first == ahead))
        out[which[k], axis[k]] = offset[k] * normal[k, axis[k]]
    return out
