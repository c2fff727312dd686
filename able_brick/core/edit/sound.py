"""The one check at the end of every operation: that what comes out is as sound as what went in, near what changed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.sound_kernels import (
    BACK_TO_BACK,
    CROSS,
    SAME_WAY,
    box_tree,
    boxes_in_order,
    changed_faces,
    meetings,
    moved_vertices,
    near_faces,
    part_volumes,
    places_in_a_row,
    still_corners,
    triangle_frames,
)
from able_brick.core.errors import UnsoundError
from able_brick.core.mesh.mesh_cache import found_with
from able_brick.core.mesh.normals import area_vectors, crossed, dots
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.spans import spans
from able_brick.core.mesh.topology import face_components, topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.text import counted
from able_brick.core.threads import by_halves

#: Pairs of triangles that are made room for at first, and at most.
_FEW: Final = 4096
_MOST_PAIRS: Final = 4_000_000
#: Leaves from which on two threads look.
_DENSE: Final = 1024
#: Boxes in each leaf of the tree over them.
_LEAF: Final = 8
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
    """Faces as triangles (T,3): which of their edges (T,3) only cut a face, and of each the face (T), its plane (T,4),
    those of its sides (T,3,4), and its box."""

    tris: Ints
    inner: Bools
    face: Ints
    frame: Floats
    side: Floats
    low: Floats
    high: Floats


def _cut(mesh: PolyMesh, chosen: Bools | None = None) -> _Cut:
    """All faces, or the chosen ones (F), as triangles."""
    number = np.arange(mesh.face_count, dtype=np.int32)
    if chosen is not None and found_with(mesh, triangulate) is None and 2 * int(chosen.sum()) < mesh.face_count:
        number = np.flatnonzero(chosen).astype(np.int32)
        mesh = _only(mesh, number)
        chosen = None
    corners, face = triangulate(mesh)
    if chosen is not None:
        mine = chosen[face]
        corners, face = corners[mine], face[mine]
    following = mesh.next_corner[corners]
    inner = following != corners[:, [1, 2, 0]]
    tris = np.ascontiguousarray(mesh.corners[corners])
    return _Cut(tris, inner, number[face], *triangle_frames(mesh.positions, tris))


def grain_of(mesh: PolyMesh) -> float:
    """What is nearer than this touches, metres."""
    if not mesh.vertex_count:
        return 0.0
    low, high = mesh.bounds
    return max(_GRAIN * float((high - low).max()), 1e-14 * float(np.abs([low, high]).max()))


def _folded(mesh: PolyMesh, cut: _Cut, changed: Bools) -> Bools:
    """(F) changed faces (F) of which a triangle looks against the whole: they fold or cross themselves."""
    out = np.zeros(mesh.face_count, np.bool_)
    tris = np.flatnonzero((changed & (mesh.face_sizes > 3))[cut.face])
    whole = area_vectors(mesh).take(cut.face[tris], axis=0)
    against = dots(cut.frame[:, :3].take(tris, axis=0), whole) < -1e-6 * np.sqrt(dots(whole, whole))
    tris = tris[against]
    # what is no higher than a grain looks nowhere
    p = mesh.positions[cut.tris[tris]]
    side = p - np.roll(p, 1, axis=1)
    across = crossed(side[:, 0], side[:, 1])
    high = np.sqrt(dots(across, across)) > grain_of(mesh) * np.sqrt((side**2).sum(axis=2).max(axis=1, initial=0.0))
    out[cut.face[tris[high]]] = True
    return out


def _meetings(mesh: PolyMesh, cut: _Cut, group: Ints, grain: float) -> Indices:
    """(n,3) pairs of triangles of which one is of a changed face, and how they meet. Groups (F): 0 did not change, 1
    changed places together, 2 is otherwise than it was."""
    own = group[cut.face]
    still, along = int((own == 0).sum()), int((own == 1).sum())
    seek = (own == 2) | (own == (0 if still < along else 1))
    if not seek.any():
        return np.zeros((0, 3), np.int64)
    every = np.arange(len(cut.tris))
    order = every[np.argsort(places_in_a_row(cut.low, cut.high, every), kind="stable")]
    tree = box_tree(cut.low, cut.high, order, _LEAF)
    box, mark = boxes_in_order(cut.low, cut.high, cut.frame, own, seek, order, grain)
    parts = by_halves(
        lambda first, last: _found(mesh, cut, order, (box, mark, tree), grain, first, last), len(tree) // 2, _DENSE
    )
    return np.concatenate(parts)


def _found(
    mesh: PolyMesh,
    cut: _Cut,
    order: Indices,
    sorted_: tuple[Floats, npt.NDArray[np.int8], Floats],
    grain: float,
    first: int,
    last: int,
) -> Indices:
    """The meetings of what is sought in some of the leaves."""
    room = _FEW
    while True:
        found: Indices = meetings(
            mesh.positions,
            cut.tris,
            cut.inner,
            cut.face,
            cut.frame,
            cut.side,
            order,
            *sorted_,
            _LEAF,
            grain,
            first,
            last,
            room,
        )
        # where all of the room is taken there may be others behind, of another kind
        if len(found) < room or room >= _MOST_PAIRS:
            return found
        room *= 32


def _groups(before: PolyMesh, out: Edited, moved: Bools, changed: Bools) -> Ints:
    """(F) 2 for changed faces; 1 for those of them all of whose vertices went along by one map that keeps what is apart
    apart, and that are cut into the same triangles; 0 for the others."""
    group = np.where(changed, 2, 0).astype(np.int32)
    mesh, back = out.mesh, out.vertex_from
    v = np.flatnonzero(moved & (back >= 0))
    if not len(v):
        return group
    was, now = before.positions.take(back[v], axis=0), mesh.positions.take(v, axis=0)
    shifted = _shifted(was, now)
    if not shifted and not _goes_along(was, now):
        return group
    # those that have other corners than before are others, wherever these went
    nowhere = np.zeros_like(moved)
    other = changed_faces(
        mesh.face_starts, mesh.corners, nowhere, back, out.face_from, before.face_starts, before.corners
    )
    still = still_corners(mesh.face_starts, mesh.corners, moved)
    group[changed & ~other & (still == 0)] = 1
    if not shifted:
        # one that is not flat may be another surface, or fold, where it is turned or sized
        several = (group == 1) & (mesh.face_sizes > 3)
        faces = np.flatnonzero(several)
        group[faces[_cut_otherwise(before, out.face_from[faces], mesh, faces)]] = 2
        group[_folded(mesh, _cut(mesh, several), several)] = 2
    return group


def _cut_otherwise(before: PolyMesh, old: Indices, mesh: PolyMesh, faces: Indices) -> Bools:
    """(n) whether faces (n) of a mesh are cut into other triangles than old ones (n), which have the same corners."""
    was, now = (triangulate(_only(m, f))[0] for m, f in ((before, old), (mesh, faces)))
    out = np.zeros(len(faces), np.bool_)
    out[np.repeat(np.arange(len(faces)), mesh.face_sizes[faces] - 2)[(was != now).any(axis=1)]] = True
    return out


def _only(mesh: PolyMesh, faces: Indices) -> PolyMesh:
    """Some faces of a mesh alone; all vertices stay, and nothing but their places."""
    if np.array_equal(faces, np.arange(mesh.face_count)):
        return mesh
    sizes = mesh.face_sizes[faces]
    corners = mesh.corners[spans(mesh.face_starts[faces], sizes)]
    return PolyMesh.trusted(mesh.positions, np.concatenate([[0], np.cumsum(sizes)]), corners)


def _shifted(old: Floats, now: Floats) -> bool:
    """Whether points (n,3) went to places (n,3) by one shift."""
    by = now - old
    return float(np.abs(by - by[0]).max()) <= 1e-12 * _extent(old, now)


def _extent(old: Floats, now: Floats) -> float:
    return max(float(np.abs(now - now[0]).max()), float(np.abs(old - old[0]).max()), 1e-300)


def _goes_along(old: Floats, now: Floats) -> bool:
    """Whether points (n,3) went to places (n,3) by one affine map that does not turn over or flatten: triangles
    that did not meet among them do not meet."""
    if len(old) < 5:
        return False
    a = np.column_stack([old - old[0], np.ones(len(old))])
    made, _, rank, _ = np.linalg.lstsq(a, now - now[0], rcond=1e-9)
    if rank < 4 or float(np.linalg.det(made[:3])) <= 1e-9:
        return False
    return float(np.abs(a @ made - (now - now[0])).max()) <= 1e-11 * _extent(old, now)


def part_volumes_of(mesh: PolyMesh) -> tuple[Ints, Floats, Bools, Floats]:
    """The part (F) of each face, and of each part: its volume, whether it is closed, and the area of its faces; no
    volume and no area where none is closed."""
    count, part = face_components(mesh)
    is_open = np.zeros(count, np.bool_)
    is_open[part[mesh.corner_face[topology(mesh).twin < 0]]] = True
    if is_open.all():
        return part, np.zeros(count), ~is_open, np.zeros(count)
    from_ = mesh.bounds[0]
    volume, area = part_volumes(mesh.positions, mesh.face_starts, mesh.corners, part, count, *from_.tolist())
    return part, volume, ~is_open, area


def faults_of(
    mesh: PolyMesh, changed: Bools | None = None, fresh: Bools | None = None, group: Ints | None = None
) -> Faults:
    """What is unsound of a mesh, where one of the faces concerned is changed (F); all of it where that is not given.
    `fresh` faces (F) that lie back to back beside one another count as lying on one another. Of `group` 1 (F) are those
    that changed together, so that they are to one another as they were."""
    n = mesh.face_count
    near = np.ones(n, np.bool_) if changed is None else changed
    grain = grain_of(mesh)
    flags = {how: np.zeros(n, np.bool_) for how in (CROSS, SAME_WAY, BACK_TO_BACK)}
    folded = np.zeros(n, np.bool_)
    if group is None or (group != 1).any():
        around = None if changed is None else near_faces(mesh.positions, mesh.face_starts, mesh.corners, near, grain)
        cut = _cut(mesh, around)
        found = _meetings(mesh, cut, np.where(near, 2, 0).astype(np.int32) if group is None else group, grain)
        for how, flag in flags.items():
            flag[cut.face[found[found[:, 2] == how, :2].ravel()]] = True
        if fresh is not None:  # what is new and folds back onto what is new beside it
            a, b = (cut.tris[found[:, k]] for k in range(2))
            beside = (a[:, :, None] == b[:, None]).any(axis=(1, 2))
            face = cut.face[found[:, :2]]
            flags[SAME_WAY][face[(found[:, 2] == BACK_TO_BACK) & beside & fresh[face].all(axis=1)].ravel()] = True
        folded = _folded(mesh, cut, near)
    part, volume, closed, area = part_volumes_of(mesh)
    extent = grain / _GRAIN
    thin = closed & (np.abs(volume) <= 1e-7 * extent * area)
    return Faults(
        folded,
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
    moved = moved_vertices(mesh.positions, before.positions, back)
    changed = changed_faces(mesh.face_starts, mesh.corners, moved, back, old, before.face_starts, before.corners)
    if not changed.any():
        return "", np.zeros(0, np.int64)
    kept = old >= 0
    now = faults_of(mesh, changed, ~kept, _groups(before, out, moved, changed))
    # what was unsound before is looked for only where something is now
    was = None
    folded = met = np.zeros(mesh.face_count, np.bool_)
    if any(f.any() for f in (now.folded, now.crossing, now.twice, now.back_to_back, now.inside_out, now.no_volume)):
        gone = np.ones(before.face_count, np.bool_)
        gone[old[kept & ~changed]] = False
        was = faults_of(before, gone)
        folded, met = (_excused(ill, gone, old) for ill in (was.folded, was.crossing | was.twice))
    for flags, excused, one, plural in (
        (now.folded, folded, "face would fold over or cross itself", "faces would fold over or cross themselves"),
        (now.crossing, met, "face would go through another", "faces would go through others"),
        (now.twice, met, "face would lie on another", "faces would lie on one another"),
    ):
        bad = flags & ~excused
        if bad.any():
            raise UnsoundError(f"{counted(int(bad.sum()), one, plural)}.", face=int(np.argmax(bad)))
    turned = _turned(before, out, changed, moved) & ~now.inside_out & ~folded & ~met
    if turned.any():
        count = int(turned.sum())
        raise UnsoundError(f"{counted(count, 'face', 'faces')} would be turned over.", face=int(np.argmax(turned)))
    sentences = []
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
            sentences.append(text)
            where |= new
    return "; ".join(sentences), np.flatnonzero(where)


def _excused(ill: Bools, gone: Bools, old: Indices) -> Bools:
    """(F) faces that were ill before (F'), by which old one each is; new ones where one that is gone (F') was: what it
    has become is not worse."""
    out: Bools = (old >= 0) & ill[np.maximum(old, 0)]
    return out | (old < 0) if (ill & gone).any() else out


def _turned(before: PolyMesh, out: Edited, changed: Bools, moved: Bools) -> Bools:
    """(F) faces that stay, look the other way now, and of whose vertices some have moved and some have not."""
    mesh = out.mesh
    still = still_corners(mesh.face_starts, mesh.corners, moved)
    kept = np.flatnonzero((out.face_from >= 0) & changed & (still > 0) & (still < mesh.face_sizes))
    out_: Bools = np.zeros(mesh.face_count, np.bool_)
    now, was = area_vectors(mesh).take(kept, axis=0), area_vectors(before).take(out.face_from[kept], axis=0)
    out_[kept] = dots(now, was) < 0
    return out_
