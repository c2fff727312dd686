"""One half of a mesh that is mirrored whenever it changes."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple
from weakref import WeakKeyDictionary, ref

import numpy as np

from able_brick.core.edit.compose import carried, composed, unchanged
from able_brick.core.edit.edited import Edited, refuse_flat
from able_brick.core.edit.mirror_faces import facets_of_image, mirror_faces
from able_brick.core.errors import UnsoundError
from able_brick.core.finish.seam import distances, on_plane, onto_plane, seam_of, settled_on
from able_brick.core.mesh.combine import order_over
from able_brick.core.mesh.parts import only
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.mirror import Reflection


class Doubled(NamedTuple):
    """A half and its mirror image in one mesh: the half's vertices and faces come first, with its numbers; `image` (V)
    is the vertex that each of them is the image of, itself on the seam."""

    mesh: PolyMesh
    image: Indices


def both_halves(mesh: PolyMesh, over: Reflection, weld: float) -> Edited:
    """What of a mesh is before a plane and its mirror image, the seam shared, as `mirror_faces` makes it; the first
    half of its faces is the half itself. Raises GeometryError where nothing is before the plane."""
    both = doubled(mesh, over, weld)
    if both is None:
        return mirror_faces(mesh, np.arange(mesh.face_count, dtype=np.int32), over, cut=True, weld=weld)
    vertex_from = np.full(both.mesh.vertex_count, -1, np.int32)
    vertex_from[: mesh.vertex_count] = np.arange(mesh.vertex_count)
    face_from = np.full(both.mesh.face_count, -1, np.int32)
    face_from[: mesh.face_count] = np.arange(mesh.face_count)
    return Edited(both.mesh, vertex_from, face_from, np.zeros(0, np.int32))


def doubled(mesh: PolyMesh, over: Reflection, weld: float) -> Doubled | None:
    """A mesh that is a half already, as `half_of` leaves it, and its image; None for any other one."""
    found = _found(mesh, over, weld)
    if found.seam is None:
        return None
    made = None if found.doubled is None else found.doubled()
    if made is None:
        made = _doubled(mesh, found.seam, over)
        _FOUND[mesh] = found._replace(doubled=ref(made))
    return Doubled(made, _images(mesh, found.seam))


def _images(mesh: PolyMesh, seam: Bools) -> Indices:
    return np.where(seam, np.arange(mesh.vertex_count), mesh.vertex_count + np.cumsum(~seam) - 1)


def _doubled(mesh: PolyMesh, seam: Bools, over: Reflection) -> PolyMesh:
    fresh = ~seam
    number = _images(mesh, seam)
    order = order_over(mesh)
    own = facets_of_image(mesh, np.arange(mesh.face_count, dtype=np.int32), seam, over)
    facet = np.where(own >= 0, int(mesh.facet.max(initial=-1)) + 1 + own, mesh.facet)

    def twice(values: Floats | None) -> Floats | None:
        return None if values is None else np.concatenate([values, values[order] + 0.0])

    return PolyMesh.trusted(
        np.concatenate([mesh.positions, over.points(mesh.positions[fresh])]),
        np.concatenate([mesh.face_starts, mesh.face_starts[1:] + len(mesh.corners)]),
        np.concatenate([mesh.corners, number[mesh.corners[order]]]),
        material=np.tile(mesh.material, 2),
        facet=np.concatenate([mesh.facet, facet]),
        sharp=np.concatenate([mesh.sharp, mesh.sharp[order[mesh.next_corner]]]),
        uv=twice(mesh.uv),
        colour=twice(mesh.colour),
        smooth_angle=mesh.smooth_angle,
    )


def both_after(before: PolyMesh, out: Edited, over: Reflection, weld: float) -> tuple[PolyMesh, Edited] | None:
    """Both halves before and after an edit of a half, which left a half; None where one of them is none."""
    was, now = doubled(before, over, weld), doubled(out.mesh, over, weld)
    if was is None or now is None:
        return None
    own, faces = out.vertex_from, out.face_from
    vertex_from = np.full(now.mesh.vertex_count, -1, np.int32)
    vertex_from[now.image] = np.where(own >= 0, was.image[np.maximum(own, 0)], -1)
    vertex_from[: len(own)] = own
    face_from = np.concatenate([faces, np.where(faces >= 0, before.face_count + faces, -1)]).astype(np.int32)
    return was.mesh, Edited(now.mesh, vertex_from, face_from, out.picked)


class _Found(NamedTuple):
    """What was found of a mesh for a plane: its seam, and both halves as long as somebody has them."""

    plane: tuple[bytes, bytes, float]
    seam: Bools | None
    doubled: ref[PolyMesh] | None = None


_FOUND: WeakKeyDictionary[PolyMesh, _Found] = WeakKeyDictionary()


def _seam_of_half(mesh: PolyMesh, over: Reflection, weld: float) -> Bools | None:
    """(V) the vertices on the seam of a mesh that is a half already, as `half_of` leaves it; None for any other one."""
    return _found(mesh, over, weld).seam


def _found(mesh: PolyMesh, over: Reflection, weld: float) -> _Found:
    """What is found of a mesh for a plane, kept for the last one."""
    plane = (over.centre.tobytes(), over.normal.tobytes(), weld)
    found = _FOUND.get(mesh)
    if found is None or found.plane != plane:
        found = _FOUND[mesh] = _Found(plane, _find_seam(mesh, over, weld))
    return found


def _find_seam(mesh: PolyMesh, over: Reflection, weld: float) -> Bools | None:
    at = distances(mesh.positions, over)
    near = (np.abs(at) <= weld) | on_plane(mesh.positions, over)
    if not mesh.face_count or mesh.normal is not None or not (near | (at > 0)).all():
        return None
    seam, inside = seam_of(mesh, near)
    t = topology(mesh)
    between = seam[t.edges].all(axis=1)
    used = np.bincount(mesh.corners, minlength=mesh.vertex_count) > 0
    exact = settled_on(mesh.positions, seam, over)
    if inside.any() or not exact or not used.all() or (t.edge_uses[between] != 1).any():
        return None
    return seam


def half_of(mesh: PolyMesh, over: Reflection, weld: float) -> Edited:
    """What of a mesh is before a plane: cut off there, without faces in the plane, its border within `weld` (m) put
    onto it. Raises GeometryError where nothing is."""
    if _seam_of_half(mesh, over, weld) is not None:
        return unchanged(mesh)
    both = both_halves(mesh, over, weld)
    first = np.arange(both.mesh.face_count) < both.mesh.face_count // 2
    half = only(both.mesh, first)
    used = np.unique(both.mesh.corners[first[both.mesh.corner_face]])
    return Edited(half, both.vertex_from[used], both.face_from[first], np.zeros(0, np.int32))


def half_after(before: PolyMesh, out: Edited, over: Reflection, weld: float, *, opens: bool = False) -> Edited:
    """The half that an edit leaves of a half: vertices that were on the plane stay on it, and what has come behind it
    goes. What is picked stays picked.

    Where both halves were closed and the edit is none that `opens` them, all of the border stays on the plane. Raises
    UnsoundError where both would part there.
    """
    kept = _kept_on(before, out, over)
    half = _carried_half(kept, over, weld)
    if opens or not _closes(before, over, weld) or _closes(half.mesh, over, weld):
        return half
    border = np.zeros(kept.mesh.vertex_count, np.bool_)
    t = topology(kept.mesh)
    border[t.edges[t.border].ravel()] = True
    half = _carried_half(_put_on(kept, border, over), over, weld)
    if not _closes(half.mesh, over, weld):
        raise UnsoundError("Both halves would part at the plane between them; pick other ones, or do less.")
    return refuse_flat(before, half)


def _closes(half: PolyMesh, over: Reflection, weld: float) -> bool:
    """Whether a half and its image are closed."""
    seam = _seam_of_half(half, over, weld)
    t = topology(half)
    return seam is not None and bool(seam[t.edges[t.border]].all())


def _carried_half(kept: Edited, over: Reflection, weld: float) -> Edited:
    half = half_of(kept.mesh, over, weld)
    if half.mesh is kept.mesh:
        return kept
    picked = carried(kept.mesh, half, kept.kind, kept.picked)
    ended = None if kept.ended is None else carried(kept.mesh, half, "face", kept.ended)
    return replace(composed(kept, half), picked=picked, kind=kept.kind, note=kept.note, ended=ended)


def _kept_on(before: PolyMesh, out: Edited, over: Reflection) -> Edited:
    """The edited mesh with those of its vertices on the plane that were there, or that were made there."""
    was, now = on_plane(before.positions, over), on_plane(out.mesh.positions, over)
    own = out.vertex_from
    return _put_on(out, np.where(own >= 0, was[np.maximum(own, 0)], now), over)


def _put_on(out: Edited, chosen: Bools, over: Reflection) -> Edited:
    if not chosen.any():
        return out
    positions = np.array(out.mesh.positions)
    positions[chosen] = onto_plane(positions[chosen], over)
    return replace(out, mesh=out.mesh.replaced(positions=positions))
