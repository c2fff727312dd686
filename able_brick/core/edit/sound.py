"""The one check at the end of every operation: that what comes out is as sound as what went in, near what changed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.sound_kernels import (
    BACK_TO_BACK,
    CROSS,
    SAME_WAY,
    box_tree,
    changed_faces,
    meetings,
    part_volumes,
    places_in_a_row,
    triangle_frames,
)
from able_brick.core.errors import UnsoundError
from able_brick.core.mesh.kept import kept_with_mesh
from able_brick.core.mesh.normals import area_vectors, dots
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import face_components, topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.text import counted

#: Pairs of triangles that are told at most.
_MOST: Final = 4096
#: Boxes in each leaf of the tree over them.
_LEAF: Final = 4
#: What is nearer than this share of a mesh's extent touches.
_GRAIN: Final = 1e-8


@dataclass(frozen=True, eq=False)
class Faults:
    """Faces (F each, as flags) of a mesh that are folded on themselves; that go through others; that lie on others and
    look the same way; back to back with others; of closed parts that are inside out; of closed parts without volume."""

    folded: Bools
    crossing: Bools
    twice: Bools
    back_to_back: Bools
    inside_out: Bools
    no_volume: Bools


@dataclass(frozen=True, eq=False)
class _Cut:
    """A mesh as triangles (T,3): which of their edges (T,3) only cut a face, and the face (T), the plane (T,4) and the
    box of each."""

    tris: Ints
    inner: Bools
    face: Ints
    frame: Floats
    low: Floats
    high: Floats


@kept_with_mesh
def _cut(mesh: PolyMesh) -> _Cut:
    corners, face = triangulate(mesh)
    following = mesh.next_corner[corners]
    inner = np.stack([following[:, k] != corners[:, (k + 1) % 3] for k in range(3)], axis=1)
    tris = np.ascontiguousarray(mesh.corners[corners])
    return _Cut(tris, inner, face, *triangle_frames(mesh.positions, tris))


def grain_of(mesh: PolyMesh) -> float:
    """What is nearer than this touches, metres."""
    if not mesh.vertex_count:
        return 0.0
    low, high = mesh.bounds
    return max(_GRAIN * float((high - low).max()), 1e-14 * float(np.abs([low, high]).max()))


def folded_faces(mesh: PolyMesh, near: Bools) -> Bools:
    """(F) faces, of the chosen ones, of which a triangle looks against the whole: they fold or cross themselves."""
    out = np.zeros(mesh.face_count, np.bool_)
    chosen = near & (mesh.face_sizes > 3)
    if chosen.any():
        cut = _cut(mesh)
        tris = np.flatnonzero(chosen[cut.face])
        whole = area_vectors(mesh)[cut.face[tris]]
        against = dots(cut.frame[tris, :3], whole) < -1e-6 * np.sqrt(dots(whole, whole))
        out[cut.face[tris[against]]] = True
    return out


def _meetings(mesh: PolyMesh, changed: Bools) -> Indices:
    """(n,3) pairs of triangles of which one is of a changed face (F), and how they meet."""
    cut = _cut(mesh)
    mine = changed[cut.face]
    if not mine.any():
        return np.zeros((0, 3), np.int64)
    grain = grain_of(mesh)
    low, high = cut.low[mine].min(axis=0) - grain, cut.high[mine].max(axis=0) + grain
    near = np.flatnonzero(((cut.low <= high) & (cut.high >= low)).all(axis=1))
    order = near[np.argsort(places_in_a_row(cut.low, cut.high, near), kind="stable")]
    tree = box_tree(cut.low, cut.high, order, _LEAF)
    found: Indices = meetings(
        mesh.positions,
        cut.tris,
        cut.inner,
        cut.face,
        mine,
        cut.frame,
        cut.low,
        cut.high,
        order,
        tree,
        _LEAF,
        grain,
        _MOST,
    )
    return found


def _volumes(mesh: PolyMesh) -> tuple[Ints, Floats, Bools, Floats]:
    """The part (F) of each face, and of each part: its volume, whether it is closed, and the area of its faces."""
    count, part = face_components(mesh)
    from_ = mesh.bounds[0] if mesh.vertex_count else np.zeros(3)
    volume, area = part_volumes(mesh.positions, mesh.face_starts, mesh.corners, part, count, *from_.tolist())
    is_open = np.zeros(count, np.bool_)
    is_open[part[mesh.corner_face[topology(mesh).twin < 0]]] = True
    return part, volume, ~is_open, area


def faults_of(mesh: PolyMesh, changed: Bools | None = None, fresh: Bools | None = None) -> Faults:
    """What is unsound of a mesh, where one of the faces concerned is changed (F); all of it where that is not told.
    `fresh` faces (F) that lie back to back beside one another count as lying on one another."""
    n = mesh.face_count
    near = np.ones(n, np.bool_) if changed is None else changed
    found = _meetings(mesh, near)
    flags = {}
    for how in (CROSS, SAME_WAY, BACK_TO_BACK):
        flags[how] = np.zeros(n, np.bool_)
        flags[how][_cut(mesh).face[found[found[:, 2] == how, :2].ravel()]] = True
    if fresh is not None:  # what is new and folds back onto what is new beside it
        a, b = (_cut(mesh).tris[found[:, k]] for k in range(2))
        beside = (a[:, :, None] == b[:, None]).any(axis=(1, 2))
        face = _cut(mesh).face[found[:, :2]]
        flags[SAME_WAY][face[(found[:, 2] == BACK_TO_BACK) & beside & fresh[face].all(axis=1)].ravel()] = True
    part, volume, closed, area = _volumes(mesh)
    extent = grain_of(mesh) / _GRAIN
    thin = closed & (np.abs(volume) <= 1e-7 * extent * area)
    return Faults(
        folded_faces(mesh, near),
        flags[CROSS],
        flags[SAME_WAY],
        flags[BACK_TO_BACK],
        (closed & ~thin & (volume < 0))[part] & near if n else np.zeros(0, np.bool_),
        thin[part] & near if n else np.zeros(0, np.bool_),
    )


def check_sound(before: PolyMesh, out: Edited) -> tuple[str, Indices]:
    """Raise UnsoundError where an operation has folded, turned or doubled faces, or sent them through others that they
    did not go through before; say in a sentence, and by faces, where it has turned a part inside out, left it without
    volume, or put skins back to back."""
    mesh = out.mesh
    back, old = out.vertex_from, out.face_from
    moved = back < 0
    moved[~moved] = (mesh.positions[~moved] != before.positions[back[~moved]]).any(axis=1)
    changed = changed_faces(mesh.face_starts, mesh.corners, moved, back, old, before.face_starts, before.corners)
    if not changed.any():
        return "", np.zeros(0, np.int64)
    kept = old >= 0
    now = faults_of(mesh, changed, ~kept)
    # what was unsound before is looked for only where something is now
    was = None
    excused = np.zeros(mesh.face_count, np.bool_)
    if any(f.any() for f in (now.folded, now.crossing, now.twice, now.back_to_back, now.inside_out, now.no_volume)):
        gone = np.ones(before.face_count, np.bool_)
        gone[old[kept & ~changed]] = False
        was = faults_of(before, gone)
        ill = was.folded | was.crossing | was.twice
        excused[kept] = ill[old[kept]]
        if (ill & gone).any():  # what such a face has become is not worse
            excused |= ~kept
    for flags, one, many in (
        (now.folded, "face would fold over or cross itself", "faces would fold over or cross themselves"),
        (now.crossing, "face would go through another", "faces would go through others"),
        (now.twice, "face would lie on another", "faces would lie on one another"),
    ):
        bad = flags & ~excused
        if bad.any():
            raise UnsoundError(f"{counted(int(bad.sum()), one, many)}.", face=int(np.argmax(bad)))
    turned = _turned(before, out, changed, moved) & ~now.inside_out & ~excused
    if turned.any():
        count = int(turned.sum())
        raise UnsoundError(f"{counted(count, 'face', 'faces')} would be turned over.", face=int(np.argmax(turned)))
    told = []
    where = np.zeros(mesh.face_count, np.bool_)
    for name, text in (
        ("inside_out", "a part is inside out now"),
        ("no_volume", "a part has no volume any more"),
        ("back_to_back", "faces lie back to back"),
    ):
        flags = getattr(now, name)
        new = flags & changed
        if was is not None and getattr(was, name).any():
            new[kept] &= ~getattr(was, name)[old[kept]]
        if new.any():
            told.append(text)
            where |= new
    return "; ".join(told), np.flatnonzero(where)


def _turned(before: PolyMesh, out: Edited, changed: Bools, moved: Bools) -> Bools:
    """(F) faces that stay, look the other way now, and of whose vertices some have moved and some have not."""
    mesh = out.mesh
    kept = np.flatnonzero((out.face_from >= 0) & changed)
    still = np.bincount(mesh.corner_face[~moved[mesh.corners]], minlength=mesh.face_count)
    kept = kept[(still[kept] > 0) & (still[kept] < mesh.face_sizes[kept])]
    out_: Bools = np.zeros(mesh.face_count, np.bool_)
    out_[kept] = dots(area_vectors(mesh)[kept], area_vectors(before)[out.face_from[kept]]) < 0
    return out_
