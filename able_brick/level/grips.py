"""Features of what stands in the level as places to grip and to land on."""

from __future__ import annotations

from typing import Final, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from able_brick.core.errors import UnknownIdError
from able_brick.core.mesh.faces import face_centre, face_loop, loop_normal
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.dock import Spot
from able_brick.core.place.items import item_to_world, outward
from able_brick.core.place.snapping import edge_point
from able_brick.level.rows import AShown, Drawable, Vector
from able_brick.level.snapshot import Snapshot
from able_brick.level.surface import FaceAt, Load, item_at, item_of

#: How far off its plane a place on a face may be, in the size of the face.
_ROUNDING: Final = 1e-12

FeatureKind = Literal["vertex", "edge", "on edge", "face", "on face", "pivot"]


class FeatureAt(BaseModel):
    """A feature of an item in the level: a vertex, the middle of an edge, a place on an edge at a share of its way, the
    centre of a face, the place of a face that is nearest to `at` in the mesh, or the pivot; and the face through which
    it was pointed at."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    thing: str
    item: int = 0
    kind: FeatureKind
    index: int = 0
    face: int = 0
    share: float = Field(0.5, ge=0, le=1)
    at: Vector | None = None

    @model_validator(mode="after")
    def _placed(self) -> FeatureAt:
        if self.kind == "on face" and self.at is None:
            raise ValueError("a place on a face needs `at`, where in the mesh it is")
        return self


def spot_of(snapshot: Snapshot, level: str, load: Load, at: FeatureAt) -> Spot:
    """The feature as it stands in the level. Raises UnknownIdError when it is not there (any more)."""
    return _spot(*item_at(snapshot, level, load, _face(at)), at)


def spot_on(snapshot: Snapshot, load: Load, thing: AShown, at: FeatureAt) -> Spot:
    """The feature on a thing that may stand otherwise than in the snapshot."""
    return _spot(*item_of(snapshot, load, thing, _face(at)), at)


def _face(at: FeatureAt) -> FaceAt:
    return FaceAt(thing=at.thing, item=at.item, face=at.face)


def _spot(drawable: Drawable, mesh: PolyMesh, pose: Floats, at: FeatureAt) -> Spot:
    loop = item_to_world(mesh.positions[face_loop(mesh, at.face)], pose, drawable.pivot, drawable.axes)
    return Spot(_point(drawable, mesh, pose, at), outward(loop, pose), loop)


def _check(mesh: PolyMesh, at: FeatureAt, name: str = "The piece") -> None:
    """UnknownIdError where the mesh has no such feature."""
    edges = len(topology(mesh).edges)
    faces = mesh.face_count
    most = {"vertex": mesh.vertex_count, "edge": edges, "on edge": edges, "face": faces, "on face": faces, "pivot": 1}
    if not 0 <= at.index < most[at.kind]:
        raise UnknownIdError(
            f"{name} has no {at.kind.removeprefix('on ')} {at.index} (any more); pick again.", id=at.thing
        )


def feature_vertices(mesh: PolyMesh, at: FeatureAt) -> list[int]:
    """The vertices of a mesh that a feature of it has: one, the two of an edge, those of a face; none for a pivot.
    Raises UnknownIdError when it is not there (any more)."""
    _check(mesh, at)
    edges = topology(mesh).edges
    if at.kind == "vertex":
        return [at.index]
    if at.kind in ("face", "on face"):
        return [int(v) for v in face_loop(mesh, at.index)]
    return [] if at.kind == "pivot" else [int(v) for v in edges[at.index]]


def _point(drawable: Drawable, mesh: PolyMesh, pose: Floats, at: FeatureAt) -> Floats:
    _check(mesh, at, drawable.piece.name)
    edges = topology(mesh).edges
    if at.kind == "pivot":
        return np.array(pose[:3])
    if at.kind == "vertex":
        return np.array(item_to_world(mesh.positions[[at.index]], pose, drawable.pivot, drawable.axes)[0])
    if at.kind == "edge":
        out: Floats = item_to_world(mesh.positions[edges[at.index]], pose, drawable.pivot, drawable.axes).mean(axis=0)
        return out
    if at.kind == "on edge":
        return edge_point(item_to_world(mesh.positions[edges[at.index]], pose, drawable.pivot, drawable.axes), at.share)
    place = face_centre(mesh, at.index) if at.at is None else _on_plane(mesh, at.index, np.asarray(at.at, np.float64))
    return np.array(item_to_world(np.array([place]), pose, drawable.pivot, drawable.axes)[0])


def _on_plane(mesh: PolyMesh, face: int, place: Floats) -> Floats:
    """The place (3,) on the plane of a face that is nearest to one which may have been on it before an edit."""
    loop = mesh.positions[face_loop(mesh, face)]
    normal = loop_normal(loop)
    off = float(normal @ (place - loop.mean(axis=0)))
    # what lies on it but for rounding stays to the last bit
    size = float(np.abs(loop).max())
    out: Floats = place if abs(off) <= _ROUNDING * size else place - off * normal
    return out
