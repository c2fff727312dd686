"""Routes of questions about what stands in a level: planes, features, what is near, measures. They change nothing."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, ConfigDict, Field

from able_brick.api.levels import LevelId
from able_brick.api.within import PREFIX, TheProject
from able_brick.core.errors import UnknownIdError
from able_brick.core.place.pose import vector
from able_brick.level.ends import Ends, ends_of
from able_brick.level.grips import FeatureAt
from able_brick.level.measures import Fits, Measured, fits, measure
from able_brick.level.rows import Vector
from able_brick.level.sizing import largest_size, times_larger
from able_brick.level.snap import Snap, snap
from able_brick.level.surface import FaceAt, Feature, Ground, ground_of, nearest_feature
from able_brick.steps.seams import seam_points

router = APIRouter(prefix=f"{PREFIX}/levels")


class FeatureRequest(FaceAt):
    """A place on a face: a world point, and how near a vertex or edge middle must be to be meant, metres; or, with
    `pivot`, the pivot of what the face belongs to. With `along` it may also be any place on an edge: so many tenths of
    the grid step from its end, or, when it is `free`, just where it is pointed at; with `within` also any place of the
    grid on a flat face, likewise."""

    point: Vector
    reach: float = Field(ge=0, le=1e6)
    pivot: bool = False
    along: bool = False
    free: bool = False
    within: bool = False


class SnapRequest(BaseModel):
    """A selection displaced by a vector, and how near a feature must be, metres.

    `along` are the directions in which it may still move: one, two, or none for all.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    selection: list[str] = Field(max_length=10_000)
    by: Vector
    reach: float = Field(gt=0, le=1000)
    along: list[Vector] = Field(default=[], max_length=3)


class MeasureRequest(BaseModel):
    """Two features, or three: the angle is then at the second."""

    model_config = ConfigDict(extra="forbid")

    features: list[FeatureAt] = Field(min_length=2, max_length=3)


class FitsRequest(BaseModel):
    """A way between two points on the floor, and a body, metres."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    start: Vector
    end: Vector
    radius: float = Field(0.35, gt=0, le=20)
    height: float = Field(1.8, gt=0, le=50)


@router.post("/{level}/surface")
def surface(project: TheProject, level: LevelId, at: FaceAt) -> Ground:
    """The plane of a face of what stands in the level, and the turn that stands things upright on it."""
    project.snapshot.level(level)
    return ground_of(project.snapshot, level, project.meshes.get, at)


@router.post("/{level}/feature")
def feature(project: TheProject, level: LevelId, at: FeatureRequest) -> Feature:
    """The vertex, edge middle, place on an edge, face centre or place of the grid that is meant by a place on a face,
    exactly."""
    snapshot = project.snapshot
    step = snapshot.level(level).step
    unit = (0.0 if at.free else step / 10) if at.along else None
    grid = (0.0 if at.free else step) if at.within else None
    return nearest_feature(
        snapshot, level, project.meshes.get, at, at.point, at.reach, pivot=at.pivot, unit=unit, grid=grid
    )


@router.get("/{level}/ends/{thing}")
def ends(project: TheProject, level: LevelId, thing: Annotated[str, Path(max_length=80)]) -> Ends:
    """What can be pulled at the end of a live array."""
    snapshot = project.snapshot
    snapshot.level(level)
    return ends_of(snapshot, level, thing)


@router.get("/{level}/seams/{piece}")
def seams(project: TheProject, level: LevelId, piece: Annotated[str, Path(max_length=80)]) -> list[Vector]:
    """Where the vertices are that stay on all rungs of a piece, in the coordinates of its mesh; at most 20 000."""
    snapshot = project.snapshot
    snapshot.level(level)
    found = seam_points(snapshot, level, project.meshes.get, piece)
    return [vector(p) for p in found[:20_000]]


class Sized(BaseModel):
    """The largest size in which a piece stands, along the axes of its pivot, and by how many times distances are larger
    there than they are reported for its rungs and of what it was slimmed from."""

    size: Vector
    times: float


@router.get("/{level}/sizes/{piece}")
def sizes(project: TheProject, level: LevelId, piece: Annotated[str, Path(max_length=80)]) -> Sized:
    """How large a piece stands in the levels of the project."""
    snapshot = project.snapshot
    snapshot.level(level)
    found = snapshot.pieces.get(piece)
    if found is None:
        raise UnknownIdError("That piece is not on the shelf (any more).", id=piece)
    size = largest_size(snapshot, found)
    own_size = found.ladder.size if found.ladder else found.slim.size if found.slim else size
    return Sized(size=size, times=times_larger(size, own_size))


@router.post("/{level}/snap")
def snap_to(project: TheProject, level: LevelId, wish: SnapRequest) -> Snap | None:
    """What a selection that is being moved snaps to; null where nothing is near."""
    project.snapshot.level(level)
    return snap(project.snapshot, level, project.meshes.get, wish.selection, wish.by, wish.reach, wish.along)


@router.post("/{level}/measure")
def measure_between(project: TheProject, level: LevelId, wish: MeasureRequest) -> Measured:
    """The distance and the angle between features of what stands in the level."""
    project.snapshot.level(level)
    return measure(project.snapshot, level, project.meshes.get, wish.features)


@router.post("/{level}/fits")
def fits_through(project: TheProject, level: LevelId, wish: FitsRequest) -> Fits:
    """Whether a player fits along a way, with its narrowest and its lowest place."""
    project.snapshot.level(level)
    return fits(
        project.snapshot,
        level,
        project.meshes.get,
        wish.start,
        wish.end,
        radius=wish.radius,
        height=wish.height,
    )
