"""Routes of levels: looking, stepping, history, live events, export."""

from __future__ import annotations

import asyncio
from functools import lru_cache
from typing import Annotated, Any, Final

from fastapi import APIRouter, Depends, Path, Request, WebSocket
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from able_brick.api.delta_response import VARY, as_columns, delta_response, wants_columns
from able_brick.api.preview_queue import PreviewQueue, preview_queue
from able_brick.api.within import PREFIX, Here, TheProject, note
from able_brick.core.errors import UnknownIdError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.session.delta import Delta, LevelView
from able_brick.session.shipping import level_glb
from able_brick.steps.checks import check_text
from able_brick.steps.parse import parse_tool
from able_brick.steps.registry import ToolInfo, describe

#: The most triangles that a level can be given.
MOST_BUDGET: Final = 2_000_000_000

router = APIRouter(prefix=PREFIX)
general = APIRouter(prefix="/api")


LevelId = Annotated[str, Path(max_length=80, examples=["level-1"])]
Revision = Annotated[int, Field(ge=0, description="The revision that the caller last saw", examples=[12])]


Format = Annotated[
    int | None,
    Field(ge=1, le=10_000, description="The format of the parameters, where they were written for an earlier version"),
]


class LevelSummary(BaseModel):
    """A level in the list: how many items stand in it, and whether it was deleted and can be brought back."""

    id: str
    name: str
    revision: int
    items: int
    deleted: bool = False


class NewLevel(BaseModel):
    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"name": "Merrow Lock"}]})

    name: str = Field(min_length=1, max_length=80, description="A word or more; no control characters")


class FreshLevel(NewLevel):
    """A level that is made, with nothing in it."""

    budget: int | None = Field(None, ge=1, le=MOST_BUDGET, description="Triangles that it may have")


class StepRequest(BaseModel):
    """A step to take: the tool, its parameters (see /api/tools), what is selected, the revision last seen."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {
                    "tool": "duplicate",
                    "params": {"distance": 4.0, "count": 3, "axis": "x"},
                    "selection": ["placement-1"],
                    "revision": 12,
                }
            ]
        },
    )

    tool: str = Field(max_length=60)
    params: dict[str, Any] = {}
    selection: list[str] = Field(default=[], max_length=200_000)
    revision: Revision
    format: Format = None


class PreviewRequest(StepRequest):
    """Like a step; with `adjust_last` the last step is made again with these parameters."""

    adjust_last: bool = False


class AdjustRequest(BaseModel):
    """Other parameters for the last step."""

    model_config = ConfigDict(extra="forbid")

    tool: str = Field(max_length=60)
    params: dict[str, Any]
    revision: Revision
    format: Format = None


class HistoryRequest(BaseModel):
    model_config = ConfigDict(extra="forbid")

    revision: Revision


@lru_cache
def _tools() -> bytes:
    return TypeAdapter(list[ToolInfo]).dump_json(describe())


@general.get("/tools", response_model=list[ToolInfo])
def tools() -> Response:
    """All tools with the description that their cards are made from."""
    return Response(_tools(), media_type="application/json")


@router.get("/levels")
def list_levels(project: TheProject) -> list[LevelSummary]:
    """All levels of the project; answers only when the server is ready."""
    snapshot = project.snapshot
    there = [
        LevelSummary(id=r.id, name=r.name, revision=project.revision(r.id), items=len(snapshot.of(r.id)))
        for r in snapshot.levels.values()
    ]
    gone = [
        LevelSummary(id=g.row.id, name=g.row.name, revision=g.state.revision, items=len(g.things), deleted=True)
        for g in project.removed
    ]
    return there + gone


@router.post("/levels", status_code=201)
def create_level(project: TheProject, new: FreshLevel) -> LevelSummary:
    """A new, empty level."""
    row = project.create_level(check_text(new.name.strip(), "name", most=80), new.budget)
    return LevelSummary(id=row.id, name=row.name, revision=0, items=0)


@router.post("/levels/{level}/duplicate", status_code=201)
def duplicate_level(project: TheProject, level: LevelId, new: NewLevel) -> LevelSummary:
    """A level like this one, with all that stands in it."""
    row = project.duplicate_level(level, check_text(new.name.strip(), "name", most=80))
    return LevelSummary(id=row.id, name=row.name, revision=0, items=len(project.snapshot.of(row.id)))


@router.delete("/levels/{level}", status_code=204)
def delete_level(project: TheProject, level: LevelId) -> None:
    """Delete a level with all that stands in it. It can be brought back until the project is closed."""
    project.delete_level(level)


@router.post("/levels/{level}/restore")
def restore_level(project: TheProject, level: LevelId) -> LevelSummary:
    """Bring back a level that was deleted."""
    row = project.restore_level(level)
    revision = project.revision(level)
    return LevelSummary(id=row.id, name=row.name, revision=revision, items=len(project.snapshot.of(level)))


@router.get("/levels/{level}", response_model=LevelView)
def get_level(project: TheProject, level: LevelId, asked: Request) -> Response:
    """The whole level and the kit. What answers a change comes as columns to those who accept that, where it is
    large: so does a level."""
    data, columns = project.view_bytes(level, columns=wants_columns(asked))
    return as_columns(data) if columns else Response(data, media_type="application/json", headers=VARY)


@router.post("/levels/{level}/steps", response_model=Delta)
def take_step(project: TheProject, level: LevelId, request: StepRequest, asked: Request) -> Response:
    """Take a step. 409 when the level has moved on since `revision`; that pieces have changed in other levels does not
    count, where the step has nothing to do with them."""
    note(asked, event="step", tool=request.tool[:60])
    tool = parse_tool(request.tool, request.params, request.format)
    delta = project.step(level, tool, tuple(request.selection), request.revision)
    note(asked, revision=delta.revision)
    return delta_response(delta, asked)


@router.put("/levels/{level}/steps/last", response_model=Delta)
def adjust_last(project: TheProject, level: LevelId, request: AdjustRequest, asked: Request) -> Response:
    """Make the last step again with other parameters."""
    note(asked, event="adjust", tool=request.tool[:60])
    tool = parse_tool(request.tool, request.params, request.format)
    return delta_response(project.adjust_last(level, tool, request.revision), asked)


@router.post("/levels/{level}/preview", response_model=Delta)
async def preview(
    project: TheProject,
    level: LevelId,
    request: PreviewRequest,
    asked: Request,
    preview_queue: Annotated[PreviewQueue, Depends(preview_queue)],
) -> Response:
    """What a step would change; nothing is kept. Few are computed at once, the newest first: 429 for those that others
    have overtaken too often."""

    def compute() -> Response:
        note(asked, event="preview", tool=request.tool[:60], quiet=True)
        tool = parse_tool(request.tool, request.params, request.format)
        chosen = tuple(request.selection)
        return delta_response(
            project.preview(level, tool, chosen, request.revision, adjust_last=request.adjust_last), asked
        )

    return await preview_queue.take(asked.is_disconnected, compute)


@router.post("/levels/{level}/undo", response_model=Delta)
def undo(project: TheProject, level: LevelId, request: HistoryRequest, asked: Request) -> Response:
    """Take back the last step."""
    note(asked, event="undo")
    return delta_response(project.undo(level, request.revision), asked)


@router.post("/levels/{level}/redo", response_model=Delta)
def redo(project: TheProject, level: LevelId, request: HistoryRequest, asked: Request) -> Response:
    """Make the step again that was undone last."""
    note(asked, event="redo")
    return delta_response(project.redo(level, request.revision), asked)


@router.get("/levels/{level}/export.glb", response_class=Response)
async def export(project: TheProject, level: LevelId, lean: bool = False, rungs: Rungs | None = None) -> Response:
    """The level as binary glTF 2.0; a lean one is without what brings it back here as it was. `rungs` writes those of
    pieces: by the extension MSFT_lod, or as nodes called `{name}_LOD{n}`."""

    name, data = await run_in_threadpool(level_glb, project, level, lean=lean, rungs=rungs)
    return Response(
        data, media_type="model/gltf-binary", headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )


@router.websocket("/levels/{level}/live")
async def live(here: Here, socket: WebSocket, level: str, revision: int | None = None, columns: bool = False) -> None:
    """Every committed change of the level as it happens; an empty object asks the tab to load the level anew, also at
    once when the level has moved on since `revision`. With `columns`, large ones come as such, in bytes."""
    project, hub = here.project, here.hub
    await socket.accept()
    try:
        project.snapshot.level(level)
    except UnknownIdError as error:
        await socket.close(1008, str(error)[:100])
        return
    queue = hub.join(level, columns=columns)
    if revision is not None and revision != project.revision(level):
        queue.put_nowait(None)

    async def send() -> None:
        while True:
            found = await queue.get()
            if isinstance(found, bytes):
                await socket.send_bytes(found)
            else:
                await socket.send_text("{}" if found is None else found)

    sender = asyncio.create_task(send())
    try:
        # whatever a tab says is not listened to; only that it is gone
        while (await socket.receive())["type"] != "websocket.disconnect":
            pass
    finally:
        sender.cancel()
        hub.leave(level, queue)
