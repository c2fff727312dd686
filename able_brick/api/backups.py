"""Routes of the copies of a project that are kept from day to day."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, ConfigDict

from able_brick.api.within import PREFIX, TheProject
from able_brick.store.backups import backups_of, bring_back, folder_of
from able_brick.store.recent import remember

router = APIRouter(prefix=f"{PREFIX}/backups")


class BackupView(BaseModel):
    """A copy: its name, when it was made, seconds since 1970, and its bytes."""

    model_config = ConfigDict(from_attributes=True)

    name: str
    made: float
    bytes: int


class BackupsView(BaseModel):
    """The copies of a project that are there, the newest first, and the folder that they lie in."""

    folder: str
    backups: list[BackupView]


class BroughtBack(BaseModel):
    """The file of a project that was made of a copy; it is among the recent ones."""

    path: str


@router.get("")
def every(project: TheProject) -> BackupsView:
    """The backups of the project: one of each day on which it changed, and those from before upgrades."""
    found = [BackupView.model_validate(b) for b in backups_of(project.id)]
    return BackupsView(folder=str(folder_of(project.id)), backups=found)


@router.post("", status_code=201)
def make(project: TheProject) -> BackupView:
    """Make one now."""
    return BackupView.model_validate(project.back_up())


@router.post("/{name}", status_code=201)
def bring(project: TheProject, name: Annotated[str, Path(max_length=80)]) -> BroughtBack:
    """Make a project of its own of a backup, in a new file beside the project; it is not opened yet."""
    path = bring_back(project.id, name, project.path.absolute())
    remember(path)
    return BroughtBack(path=str(path.resolve()))
