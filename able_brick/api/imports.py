"""Routes of files that arrive: read them, look at their sheet, accept or discard."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path, PurePath
from typing import Annotated, Any, Literal

from fastapi import APIRouter, File, Form, Query, Request, UploadFile
from fastapi import Path as PathPart
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from able_brick.api.delta_response import delta_response
from able_brick.api.within import PREFIX, AtWork, TheProject, Waiting
from able_brick.api.work import JobView
from able_brick.core.files.units import Unit, Up
from able_brick.jobs import imports as jobs
from able_brick.jobs.sheet import Sheet
from able_brick.session.delta import Delta
from able_brick.session.importing import Taking, take_in
from able_brick.session.work import Outcome
from able_brick.steps.draft import ProgressCallback

router = APIRouter(prefix=f"{PREFIX}/imports")


ImportId = Annotated[str, PathPart(max_length=40, examples=["import-1"])]


class ImportView(BaseModel):
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
    def of(cls, a: jobs.Import) -> ImportView:
        return cls.model_validate(a, from_attributes=True)


class ReadAgain(BaseModel):
    model_config = ConfigDict(extra="forbid")

    weld: bool


class Accept(BaseModel):
    """How an import comes onto the shelf: what its numbers mean, which axis is up, what becomes a piece, the pivot,
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
    imports: Waiting,
    files: Annotated[list[UploadFile], File(description="One model, with the files that it names")],
    weld: Annotated[bool, Form(description="Make exactly coincident vertices one")] = True,
) -> ImportView:
    """Take a model in and begin to read it, in a process of its own."""
    named = {PurePath(f.filename or "file").name[:200]: f.file for f in files}
    return ImportView.of(imports.take(named, weld=weld))


@router.get("/{key}")
def look(imports: Waiting, key: ImportId, seen: Annotated[float, Query(ge=0, le=1)] = 1.0) -> ImportView:
    """How far it is. Answers at once when it has come further than `seen`, else within a second."""
    return ImportView.of(imports.wait(key, 1.0, seen))


@router.put("/{key}")
def read_again(imports: Waiting, key: ImportId, how: ReadAgain) -> ImportView:
    """Read it again, with or without welding."""
    return ImportView.of(imports.read_again(key, weld=how.weld))


@router.delete("/{key}", status_code=204)
def discard(imports: Waiting, key: ImportId) -> None:
    """Stop reading it and forget it."""
    imports.discard(key)


@router.post("/{key}/accept", response_model=Delta)
def accept(project: TheProject, imports: Waiting, key: ImportId, how: Accept, asked: Request) -> Response:
    """Put what was read onto the shelf, as one step."""
    taking = Taking(how.unit, how.up, one_piece=how.pieces == "one", base_pivot=how.pivot == "base centre")
    return delta_response(take_in(project, imports, key, how.level, how.revision, taking, place=how.place), asked)


@router.post("/{key}/work", status_code=202)
def accept_beside(project: TheProject, imports: Waiting, work: AtWork, key: ImportId, how: Accept) -> JobView:
    """The same as long work, for files of very many pieces or places; other steps go on meanwhile."""
    taking = Taking(how.unit, how.up, one_piece=how.pieces == "one", base_pivot=how.pivot == "base centre")
    incoming = imports.get(key)
    project.snapshot.level(how.level)

    def do(tell: ProgressCallback, _room: Callable[[], Path]) -> Outcome:
        delta = take_in(project, imports, key, how.level, None, taking, place=how.place, tell=tell)
        return Outcome(delta.revision, delta.note)

    title = f"Bring in {incoming.file}"
    return JobView.of(work.begin(project, how.level, title, "import_pieces", do, recorded=True))
