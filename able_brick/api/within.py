"""Requests within a project: their path names the opening that they mean, and only that one serves them."""

from __future__ import annotations

import json
from typing import Annotated, Final
from urllib.parse import unquote

from fastapi import Depends, Path
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Receive, Scope, Send

from able_brick.api.errors import STATUS, problem
from able_brick.api.opened import Opened, OpenProject, told_of
from able_brick.core.errors import OtherProjectError
from able_brick.jobs.batches import Batches
from able_brick.jobs.imports import Imports
from able_brick.session.project import Project
from able_brick.session.work import Work

#: Where all routes of a project lie.
PREFIX: Final = "/api/projects/{project}"
_BEFORE: Final = "/api/projects/"
#: A socket that is closed with this code means another project.
OTHER: Final = 4409
_HERE: Final = "able_brick.project"


class WithinProject:
    """ASGI middleware: a request for a project that is not open is told so; the open one is not closed under others."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        path = scope.get("path", "")
        if scope["type"] not in ("http", "websocket") or not path.startswith(_BEFORE):
            await self.app(scope, receive, send)
            return
        opened: Opened = scope["app"].state.opened
        key = unquote(path[len(_BEFORE) :].partition("/")[0])
        try:
            found = opened.enter(key)
        except OtherProjectError as error:
            if scope["type"] == "websocket":
                await receive()
                await send({"type": "websocket.accept"})
                told = {"page": "other", **told_of(opened.now)}
                await send({"type": "websocket.send", "text": json.dumps(told)})
                await send({"type": "websocket.close", "code": OTHER, "reason": "other project"})
            else:
                await problem(STATUS[OtherProjectError], error.code, str(error), error.data)(scope, receive, send)
            return
        scope[_HERE] = found
        if scope["type"] == "websocket":  # they last; they end with the project
            found.leave()
            await self.app(scope, receive, send)
            return
        try:
            await self.app(scope, receive, send)
        finally:
            found.leave()


async def _open_project(
    connection: HTTPConnection,
    project: Annotated[
        str,
        Path(
            max_length=80,
            description="The opening of the project that is meant, as `GET /api/project` names it; 409 for another",
            examples=["2f6c1e9a04b7.90d3a1c55e18"],
        ),
    ],
) -> OpenProject:
    found: OpenProject = connection.scope[_HERE]
    return found


Here = Annotated[OpenProject, Depends(_open_project)]


async def _project(here: Here) -> Project:
    return here.project


async def _imports(here: Here) -> Imports:
    return here.imports


async def _work(here: Here) -> Work:
    return here.work


async def _batches(here: Here) -> Batches:
    return here.batches


TheProject = Annotated[Project, Depends(_project)]
Waiting = Annotated[Imports, Depends(_imports)]
AtWork = Annotated[Work, Depends(_work)]
OfProject = Annotated[Batches, Depends(_batches)]
