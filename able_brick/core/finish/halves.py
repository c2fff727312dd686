"""One half of a mesh that is mirrored whenever it changes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from able_brick.core.edit.compose import carried, composed
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.mirror_faces import mirror_faces
from able_brick.core.finish.seam import on_plane, onto_plane
from able_brick.core.mesh.parts import only
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.mirror import Reflection


def both_halves(mesh: PolyMesh, over: Reflection, weld: float) -> Edited:
    """What of a mesh is before a plane and its mirror image, the seam shared, as `mirror_faces` makes it; the first
    half of its faces is the half itself."""
    return mirror_faces(mesh, np.arange(mesh.face_count, dtype=np.int32), over, cut=True, weld=weld)


def half_of(mesh: PolyMesh, over: Reflection, weld: float) -> Edited:
    """What of a mesh is before a plane: cut off there, without faces in the plane, its border within `weld` (m) put
    onto it. Raises GeometryError where nothing is."""
    both = both_halves(mesh, over, weld)
    first = np.arange(both.mesh.face_count) < both.mesh.face_count // 2
    half = only(both.mesh, first)
    used = np.unique(both.mesh.corners[first[both.mesh.corner_face]])
    return Edited(half, both.vertex_from[used], both.face_from[first], np.zeros(0, np.int32))


def half_after(before: PolyMesh, out: Edited, over: Reflection, weld: float) -> Edited:
    """The half that an edit leaves of a half: vertices that were on the plane stay on it, and what has come behind it
    goes. What is picked stays picked."""
    kept = _kept_on(before, out, over)
    half = half_of(kept.mesh, over, weld)

    picked = carried(kept.mesh, half, kept.kind, kept.picked)
    ended = None if kept.ended is None else carried(kept.mesh, half, "face", kept.ended)
    return replace(composed(kept, half), picked=picked, kind=kept.kind, note=kept.note, ended=ended)


def _kept_on(before: PolyMesh, out: Edited, over: Reflection) -> Edited:
    """The edited mesh with those of its vertices on the plane that were there, or that were made there."""
    was, now = on_plane(before.positions, over), on_plane(out.mesh.positions, over)
    own = out.vertex_from
    stays = np.where(own >= 0, was[np.maximum(own, 0)], now)
    if not stays.any():
        return out
    positions = np.array(out.mesh.positions)
    positions[stays] = onto_plane(positions[stays], over)
    return replace(out, mesh=out.mesh.replaced(positions=positions))
