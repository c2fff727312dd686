"""Routes of files that arrive: read them, look at their sheet, accept or discard."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter, Depends, File, Form, Path, Query, Request, UploadFile
from pydantic import BaseModel, ConfigDict, Field

from able_brick.api.levels import TheProject
from able_brick.core.errors import InputError
from able_brick.core.files.part import GroupAt, Instance, Material, Scene, Texture
from able_brick.core.files.units import Unit, Up, as_one, brought_in, standing_parts
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import stand_of, stands_of
from able_brick.jobs import arrivals as jobs
from able_brick.jobs.sheet import Sheet
from able_brick.level.rows import Surface
from able_brick.session.delta import Delta
from able_brick.steps.checks import printable
from able_brick.steps.import_pieces import Arrival, ArrivalGroup, ImportPieces

router = APIRouter(prefix="/api/arrivals")


def waiting(request: Request) -> jobs.Arrivals:
    found: jobs.Arrivals = request.app.state.arrivals
    return found


Waiting = Annotated[jobs.Arrivals, Depends(waiting)]
ArrivalId = Annotated[str, Path(max_length=40, examples=["arrival-1"])]


class ArrivalView(BaseModel):
    """How far the reading of a file is; its sheet when it is ready, or the reason why it could not be read."""

    id: str
    file: str
    state: Literal["reading", "ready", "failed"]
    share: float
    words: str
    weld: bool
    reason: str
    data: dict[str, Any]
    sheet: Sheet | None

    @classmethod
    def of(cls, a: jobs.Arrival) -> ArrivalView:
        return cls(
            id=a.id,
            file=a.file,
            state=a.state,
            share=a.share,
            words=a.words,
            weld=a.weld,
            reason=a.reason,
            data=a.data,
            sheet=a.sheet,
        )


class ReadAgain(BaseModel):
    model_config = ConfigDict(extra="forbid")

    weld: bool


class Accept(BaseModel):
    """How an arrival comes onto the shelf: what its numbers mean, which axis is up, what becomes a piece, the pivot,
    and whether the pieces are placed where they stood."""

    model_config = ConfigDict(extra="forbid")

    level: str = Field(max_length=80)
    revision: int = Field(ge=0)
    unit: Unit = Unit.METRES
    up: Up = Up.Y
    pieces: Literal["each", "one"] = "each"
    pivot: Literal["file", "base centre"] = "file"
    place: bool = False


@router.post("", status_code=202)
def arrive(
    arrivals: Waiting,
    files: Annotated[list[UploadFile], File(description="One model, with the files that it names")],
    weld: Annotated[bool, Form(description="Make exactly coincident vertices one")] = True,
) -> ArrivalView:
    """Take a model in and begin to read it, in a process of its own."""
    named = {PurePath(f.filename or "file").name[:200]: f.file for f in files}
    return ArrivalView.of(arrivals.take(named, weld=weld))


@router.get("/{key}")
def look(arrivals: Waiting, key: ArrivalId, seen: Annotated[float, Query(ge=0, le=1)] = 1.0) -> ArrivalView:
    """How far it is. Answers at once when it has come further than `seen`, else within a second."""
    return ArrivalView.of(arrivals.wait(key, 1.0, seen))


@router.put("/{key}")
def read_again(arrivals: Waiting, key: ArrivalId, how: ReadAgain) -> ArrivalView:
    """Read it again, with or without welding."""
    return ArrivalView.of(arrivals.read_again(key, weld=how.weld))


@router.delete("/{key}", status_code=204)
def discard(arrivals: Waiting, key: ArrivalId) -> None:
    """Stop reading it and forget it."""
    arrivals.discard(key)


@router.post("/{key}/accept")
def accept(project: TheProject, arrivals: Waiting, key: ArrivalId, how: Accept) -> Delta:
    """Put what was read onto the shelf, as one step."""
    project.snapshot.level(how.level)
    arrival = arrivals.get(key)
    scene = brought_in(arrivals.scene(key), how.unit, how.up)
    if how.pieces == "one":
        name = PurePath(arrival.file).stem[:120] or "Piece"
        scene = Scene((as_one(standing_parts(scene), name),), (Instance(0, name, np.eye(4)),), scene.notes)
    rows, meshes, textures = rows_of(scene, base_pivot=how.pivot == "base centre")
    groups = tuple(_group(g) for g in scene.groups) if how.place else ()
    file = printable(arrival.file, "file", most=300)
    tool = ImportPieces(file=file, arrivals=rows, groups=groups, place=how.place)
    ready = arrivals.ready(key)
    delta = project.step(how.level, tool, (), how.revision, meshes=meshes, textures=textures, written=ready)
    arrivals.discard(key)
    return delta


def _group(group: GroupAt) -> ArrivalGroup:
    position, turn, _ = stand_of(group.matrix)
    return ArrivalGroup(name=printable(group.name, "Group"), parent=group.parent, position=position, turn=turn)


def _surface(material: Material) -> Surface:
    made = Surface.of(material)
    return Surface(**{**dict(made), "name": printable(made.name, "Plain")})


def rows_of(
    scene: Scene, *, base_pivot: bool = False
) -> tuple[tuple[Arrival, ...], dict[str, PolyMesh], dict[str, Texture]]:
    """What a scene brings to the shelf, and its meshes and textures by hash."""
    meshes: dict[str, PolyMesh] = {}
    textures: dict[str, Texture] = {}
    rows: list[Arrival] = []
    standing: dict[int, list[Instance]] = {}
    for i in scene.instances:
        standing.setdefault(i.part, []).append(i)
    for index, part in enumerate(scene.parts):
        low, high = part.mesh.bounds
        if float(abs(high - low).max()) < 1e-9:
            raise InputError(f"{part.name} would have no size in that unit; choose a larger one.", field="unit")
        here = standing.get(index, [])
        stands = stands_of(np.array([i.matrix for i in here]))
        meshes[part.mesh.content_hash] = part.mesh
        textures |= {m.texture.content_hash: m.texture for m in part.materials if m.texture is not None}
        rows.append(
            Arrival(
                name=printable(part.name, "Piece"),
                mesh=part.mesh.content_hash,
                materials=tuple(_surface(m) for m in part.materials),
                stands=tuple((printable(i.name, "Piece"), *stand) for i, stand in zip(here, stands, strict=True)),
                within=tuple(i.group for i in here),
                base_pivot=base_pivot,
            )
        )
    return tuple(rows), meshes, textures
