"""Routes of the project file itself: where it lies, whether it can be changed, a copy of it, and other projects."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Final

from fastapi import APIRouter, Depends, File, Form, Request, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict, Field
from starlette.background import BackgroundTask

from able_brick.api.current_project import CurrentProject, Running
from able_brick.api.levels import MOST_BUDGET
from able_brick.api.places import project_path
from able_brick.api.within import PREFIX, TheProject
from able_brick.core.errors import InputError, StorageError, UnknownIdError
from able_brick.store.making import put_copy, remove_all
from able_brick.store.recent import recent
from able_brick.store.scratch import Scratch

#: How every project file begins, as its format says.
HEADER: Final = b"SQLite format 3\0"

router = APIRouter(prefix="/api/project")
of_project = APIRouter(prefix=PREFIX)


async def current(request: Request) -> CurrentProject:
    found: CurrentProject = request.app.state.current
    return found


TheCurrent = Annotated[CurrentProject, Depends(current)]


class ProjectView(BaseModel):
    """The project file. `key` names this opening of it in the paths of all its routes: the project's own id, a full
    stop, and one that is another one whenever it is opened. `read_only` says why nothing can be changed, where that is
    so; `notes` tell of its opening; `has_demo` whether the demo project can be opened."""

    key: str
    name: str
    path: str
    read_only: str | None
    notes: list[str]
    has_demo: bool


class RecentProject(BaseModel):
    """A project file that was opened before: when, seconds since 1970, and whether it is the one that is open."""

    name: str
    path: str
    opened: float
    here: bool


class OpenRequest(BaseModel):
    """Which of the recent projects is opened, and what becomes of what is being worked on in this one: it is waited
    for, twenty seconds at most, or stopped. Where it is not said, 409 with the code `work_running` tells what that is.
    """

    model_config = ConfigDict(extra="forbid")

    path: str = Field(min_length=1, max_length=4096)
    running: Running | None = None


class FileRequest(BaseModel):
    """A project file by its path on the server's machine: one that is there, or a new one; and what becomes of what is
    being worked on, likewise."""

    model_config = ConfigDict(extra="forbid")

    path: str = Field(min_length=1, max_length=4096, description="Whole path of the file")
    new: bool = Field(False, description="Make it; a file that is there already is never touched")
    budget: int | None = Field(None, ge=1, le=MOST_BUDGET, description="Triangles that the level of a new one may have")
    running: Running | None = None


class DemoRequest(BaseModel):
    """What becomes of what is being worked on when the demo is opened, likewise."""

    model_config = ConfigDict(extra="forbid")

    running: Running | None = None


def _view(it: CurrentProject) -> ProjectView:
    project = it.now.project
    return ProjectView(
        key=it.now.key,
        name=project.path.name,
        path=str(project.path.absolute()),
        read_only=project.read_only,
        notes=project.notes[:20],
        has_demo=it.has_demo,
    )


@router.get("")
def look(it: TheCurrent) -> ProjectView:
    """Where the project lies, and whether it can be changed."""
    return _view(it)


@router.get("/recent")
def list_recent(it: TheCurrent) -> list[RecentProject]:
    """The project files that were opened last and are still there, the latest first."""
    here = str(it.now.project.path.resolve())
    return [RecentProject(name=Path(r.path).name, path=r.path, opened=r.opened, here=r.path == here) for r in recent()]


@router.post("/open")
def open_other(it: TheCurrent, wish: OpenRequest) -> ProjectView:
    """Open one of the recent projects instead of this one; all tabs are notified."""
    if wish.path not in {r.path for r in recent()}:
        raise UnknownIdError("That project is not among the recent ones, or not there any more.", id=wish.path[:200])
    it.open(Path(wish.path), wish.running)
    return _view(it)


@router.post("/file")
def open_file(it: TheCurrent, wish: FileRequest) -> ProjectView:
    """Open a project file by its path, or make a new one, instead of this one; all tabs are notified."""
    it.open(project_path(wish.path, new=wish.new), wish.running, budget=wish.budget)
    return _view(it)


@router.post("/upload")
def open_copy(
    it: TheCurrent,
    file: Annotated[UploadFile, File(description="A project file, closed before it was sent")],
    path: Annotated[str, Form(min_length=1, max_length=4096, description="Whole path that its copy is to have")],
    running: Annotated[Running | None, Form(description="What becomes of what is being worked on")] = None,
) -> ProjectView:
    """Keep a project file that comes with the request under a new path, and open it instead of this one; all tabs are
    notified. Where it cannot be opened, nothing of it is kept."""
    to = project_path(path, new=True)
    if file.file.read(len(HEADER)) != HEADER:
        raise InputError(f"{(file.filename or 'The file')[:80]} is no project file; nothing was kept of it.")
    file.file.seek(0)
    try:
        put_copy(file.file, to)
    except FileExistsError as error:
        raise InputError(f"{to.name} is there already; choose another name.", field="path") from error
    except OSError as error:
        raise StorageError(
            f"{to.name} cannot be written to {to.parent} ({error.strerror}); nothing was kept."
        ) from error
    try:
        it.open(to, running)
    except BaseException:
        remove_all(to)
        raise
    return _view(it)


@router.post("/demo")
def open_demo(it: TheCurrent, wish: DemoRequest | None = None) -> ProjectView:
    """Open the demo project, which is built beside this one when it is not there yet; all tabs are notified."""
    it.open_demo(None if wish is None else wish.running)
    return _view(it)


@of_project.get("/copy", response_class=FileResponse)
def copy(project: TheProject) -> FileResponse:
    """The whole project as a file; of a damaged one, all that can still be read."""
    scratch = Scratch()
    try:
        to = scratch.folder / "copy.db"
        project.save_copy(to)
    except BaseException:
        scratch.close()
        raise
    name = f"{project.path.stem} copy.db"
    done = BackgroundTask(scratch.close)
    return FileResponse(to, filename=name, media_type="application/vnd.sqlite3", background=done)
