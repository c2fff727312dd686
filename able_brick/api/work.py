"""Routes of long work and of recipes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi import Path as PathPart
from fastapi.responses import FileResponse
from pydantic import BaseModel

from able_brick.api.levels import LevelId, PreviewRequest
from able_brick.api.within import PREFIX, AtWork, TheProject
from able_brick.core.errors import InputError, UnknownIdError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.level.recipe import SHIPPED, Recipe
from able_brick.session import work as jobs
from able_brick.session.shipping import export
from able_brick.session.work import Outcome
from able_brick.steps.checks import check_text
from able_brick.steps.draft import ProgressCallback
from able_brick.steps.parse import parse_tool

router = APIRouter(prefix=PREFIX)


JobId = Annotated[str, PathPart(max_length=40, examples=["job-1"])]
RecipeName = Annotated[str, PathPart(max_length=80)]


class JobView(BaseModel):
    """How far long work is: the revision and the line to tell where it is done, the reason where it has failed."""

    id: str
    level: str
    title: str
    tool: str
    state: Literal["waiting", "working", "done", "failed", "stopped"]
    share: float
    words: str
    reason: str
    revision: int
    note: str
    has_file: bool

    @classmethod
    def of(cls, j: jobs.Job) -> JobView:
        fields = {name: getattr(j, name) for name in cls.model_fields if name != "has_file"}
        return cls(**fields, has_file=j.file is not None)


class RecipeView(Recipe):
    """A recipe, and whether it ships with the app."""

    shipped: bool = False


@router.post("/levels/{level}/work", status_code=202)
def start(project: TheProject, work: AtWork, level: LevelId, step: PreviewRequest) -> JobView:
    """Begin a step that takes long. Other steps go on meanwhile; it is committed onto what they have left. With
    `adjust_last` the last step is made again, as long as it is the last one."""
    tool = parse_tool(step.tool, step.params, step.format)
    return JobView.of(work.start(project, level, tool, tuple(step.selection), adjust_last=step.adjust_last))


@router.post("/levels/{level}/export", status_code=202)
def export_beside(
    project: TheProject, work: AtWork, level: LevelId, lean: bool = False, rungs: Rungs | None = None
) -> JobView:
    """Begin to write a level as binary glTF 2.0 beside other work; its file is fetched when that is done."""
    name = project.snapshot.level(level).name

    def do(tell: ProgressCallback, room: Callable[[], Path]) -> Outcome:
        return export(project, level, room, tell, lean=lean, rungs=rungs)

    return JobView.of(work.begin(project, level, f"Export {name}", "export", do))


@router.get("/work/{key}/file", response_class=FileResponse)
def fetch(work: AtWork, key: JobId) -> FileResponse:
    """The file that work has written."""
    found = work.get(key).file
    if found is None or not found.exists():
        raise UnknownIdError("That file is not there (any more); export it again.", id=key)
    return FileResponse(found, media_type="model/gltf-binary", filename=found.name)


@router.get("/work")
def every(work: AtWork) -> list[JobView]:
    """All long work that is remembered, the oldest first."""
    return [JobView.of(j) for j in work.all()]


@router.get("/work/{key}")
def look(work: AtWork, key: JobId, seen: Annotated[float, Query(ge=0, le=1)] = 1.0) -> JobView:
    """How far it is. Answers at once when it has come further than `seen`, else within a second."""
    return JobView.of(work.wait(key, 1.0, seen))


@router.delete("/work/{key}")
def stop(work: AtWork, key: JobId) -> JobView:
    """Cancel it; nothing of it is kept."""
    return JobView.of(work.stop(key))


@router.get("/recipes")
def recipes(project: TheProject) -> list[RecipeView]:
    """All recipes: those that ship with the app, then the project's by name."""
    shipped = {r.name for r in SHIPPED}
    return [RecipeView(**dict(r), shipped=r.name in shipped) for r in project.recipes.all()]


@router.put("/recipes/{name}", status_code=204)
def keep_recipe(project: TheProject, name: RecipeName, recipe: Recipe) -> None:
    """Keep a recipe under its name, instead of one that has it already."""
    check_text(name, "name", most=80)
    if recipe.name != name:
        raise InputError("The recipe has another name than the address.", field="name")
    if name in {r.name for r in SHIPPED}:
        raise InputError(f"{name} ships with the app and stays as it is; give another name.", field="name")
    for rung in recipe.rungs:
        rung.meant().check()
    project.recipes.keep(recipe)


@router.delete("/recipes/{name}", status_code=204)
def drop_recipe(project: TheProject, name: RecipeName) -> None:
    """Take a recipe away; ladders that were made by it stay."""
    if not project.recipes.drop(name):
        raise UnknownIdError(f"There is no recipe {name!r} of this project.", id=name)
