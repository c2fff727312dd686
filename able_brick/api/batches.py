"""Routes of folders that are slimmed."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Query, UploadFile
from fastapi import Path as InPath
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from able_brick.api.places import path_of
from able_brick.api.within import PREFIX, OfProject
from able_brick.core.errors import InputError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.jobs import batches as jobs
from able_brick.level.recipe import Recipe
from able_brick.steps.parse import sentence

router = APIRouter(prefix=f"{PREFIX}/batches")


BatchId = Annotated[str, InPath(max_length=40, examples=["batch-1"])]


class NewBatch(BaseModel):
    """A folder to slim into another, on the machine of the server, by a recipe."""

    model_config = ConfigDict(extra="forbid")

    source: str = Field(min_length=1, max_length=4000, examples=["/home/me/models"])
    target: str = Field(min_length=1, max_length=4000, examples=["/home/me/slim"])
    recipe: Recipe
    pattern: str | None = Field(None, max_length=240, description="The usual one where none is given")
    rungs: Rungs | None = Field(None, description="One GLB of each with all rungs, and how; else a file for each")
    replace: bool = Field(False, description="Replace files that are there and were not written by this batch")


class FilesBatch(BaseModel):
    """How files that come with it are slimmed, and into which folder of the server's machine."""

    model_config = ConfigDict(extra="forbid")

    target: str = Field(min_length=1, max_length=4000, examples=["/home/me/slim"])
    recipe: Recipe
    pattern: str | None = Field(None, max_length=240, description="The usual one where none is given")
    rungs: Rungs | None = Field(None, description="One GLB of each with all rungs, and how; else a file for each")
    replace: bool = Field(False, description="Replace files that are there and were not written by this batch")


class BatchView(BaseModel):
    """How far a batch is: files in all, done, failed, and done before; files a second; seconds left, where known."""

    id: str
    source: str
    target: str
    recipe: str
    state: Literal["working", "done", "failed", "stopped"]
    reason: str
    total: int
    done: int
    failed: int
    again: int
    rate: float
    left: float | None

    @classmethod
    def of(cls, b: jobs.Batch) -> BatchView:
        p = b.progress
        return cls(
            id=b.id,
            source=b.source_name,
            target=str(b.target),
            recipe=b.recipe.name,
            state=b.state,
            reason=b.reason,
            total=p.total,
            done=p.done,
            failed=p.failed,
            again=p.again,
            rate=p.rate if p.ended else 0.0,
            left=p.left if p.ended else None,
        )


@router.post("", status_code=202)
def start(batches: OfProject, new: NewBatch) -> BatchView:
    """Begin to slim a folder; what was done before with the same content and recipe is not done again."""
    source, target = path_of(new.source, "source"), path_of(new.target, "target")
    return BatchView.of(batches.start(source, target, new.recipe, new.pattern, rungs=new.rungs, replace=new.replace))


@router.post("/files", status_code=202)
def start_files(
    batches: OfProject,
    files: Annotated[list[UploadFile], File(description="Models, with the files that they name")],
    how: Annotated[str, Form(description="A FilesBatch as JSON", max_length=100_000)],
) -> BatchView:
    """Begin to slim files that come with the request; names may have folders before them."""
    try:
        wish = FilesBatch.model_validate_json(how)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(map(str, first["loc"])) or "how"
        raise InputError(sentence(field, first), field=field) from error
    named = [(f.filename or "", f.file) for f in files]
    target = path_of(wish.target, "target")
    return BatchView.of(
        batches.start_files(named, target, wish.recipe, wish.pattern, rungs=wish.rungs, replace=wish.replace)
    )


@router.get("")
def every(batches: OfProject) -> list[BatchView]:
    """All batches that are remembered, the oldest first."""
    return [BatchView.of(b) for b in batches.all()]


@router.get("/{key}")
def look(batches: OfProject, key: BatchId, seen: Annotated[int, Query(ge=-1)] = -1) -> BatchView:
    """How far it is. Answers at once when more than `seen` files have ended, else within a second."""
    return BatchView.of(batches.wait(key, 1.0, seen))


@router.delete("/{key}")
def stop(batches: OfProject, key: BatchId) -> BatchView:
    """Cancel it; what is done stays."""
    return BatchView.of(batches.stop(key))
