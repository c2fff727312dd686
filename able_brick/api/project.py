"""Routes of the project file itself: where it lies, whether it can be changed, and a copy of it."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import FileResponse
from pydantic import BaseModel
from starlette.background import BackgroundTask

from able_brick.api.levels import TheProject
from able_brick.store.scratch import Scratch

router = APIRouter(prefix="/api/project")


class ProjectView(BaseModel):
    """The project file. `read_only` says why nothing can be changed, where that is so; `notes` tell of its opening."""

    name: str
    path: str
    read_only: str | None
    notes: list[str]


@router.get("")
def look(project: TheProject) -> ProjectView:
    """Where the project lies, and whether it can be changed."""
    return ProjectView(
        name=project.path.name, path=str(project.path), read_only=project.read_only, notes=project.notes[:20]
    )


@router.get("/copy", response_class=FileResponse)
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
