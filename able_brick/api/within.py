"""Requests within a project: their path names the opening that they mean, and only that one serves them."""

from __future__ import annotations

import json
import logging
import re
import time
from typing import Annotated, Any, Final
from urllib.parse import unquote

from fastapi import Depends
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from able_brick.api.current_project import CurrentProject, OpenProject, project_notice
from able_brick.api.errors import STATUS, problem
from able_brick.core.errors import OtherProjectError
from able_brick.core.events import event
from able_brick.jobs.batches import Batches
from able_brick.jobs.imports import Imports
from able_brick.session.project import Project
from able_brick.session.work import Work

#: Where all routes of a project lie.
PREFIX: Final = "/api/projects/{project}"
_BEFORE: Final = "/api/projects/"
#: A socket that is closed with this code means another project.
OTHER: Final = 4409
#: Facts about a request, for the line that tells of it.
FACTS: Final = "able_brick.facts"
_WAITING: Final = re.compile(r"/(work|imports|batches)/[^/]+")
_HERE: Final = "able_brick.project"
_NAMED: Final = {
    "name": "project",
    "in": "path",
    "required": True,
    "description": "The opening of the project that is meant, as `GET /api/project` names it; 409 for another",
    "schema": {
        "type": "string",
        "maxLength": 80,
        "description": "The opening of the project that is meant, as `GET /api/project` names it; 409 for another",
        "examples": ["2f6c1e9a04b7.90d3a1c55e18"],
        "title": "Project",
    },
}


class WithinProject:
    """ASGI middleware: a request for a project that is not open is refused; the open one is not closed under others."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        path = scope.get("path", "")
        if scope["type"] not in ("http", "websocket") or not path.startswith(_BEFORE):
            await self.app(scope, receive, send)
            return
        current: CurrentProject = scope["app"].state.current
        key = unquote(path[len(_BEFORE) :].partition("/")[0])
        try:
            found = current.enter(key)
        except OtherProjectError as error:
            if scope["type"] == "websocket":
                await receive()
                await send({"type": "websocket.accept"})
                notice = {"page": "other", **project_notice(current.now)}
                await send({"type": "websocket.send", "text": json.dumps(notice)})
                await send({"type": "websocket.close", "code": OTHER, "reason": "other project"})
            else:
                await problem(STATUS[OtherProjectError], error.code, str(error), error.data)(scope, receive, send)
            return
        scope[_HERE] = found
        facts: dict[str, Any] = {"project": found.key.partition(".")[0]}
        scope[FACTS] = facts
        if scope["type"] == "websocket":  # they last; they end with the project
            found.leave()
            await self.app(scope, receive, send)
            return
        began = time.perf_counter()

        async def heard(message: Message) -> None:
            if message["type"] == "http.response.start":
                facts["status"] = message["status"]
            await send(message)

        try:
            await self.app(scope, receive, heard)
        finally:
            found.leave()
            _tell(scope["method"], path[len(_BEFORE) + len(key) :], facts, 1000 * (time.perf_counter() - began))


def _tell(method: str, path: str, facts: dict[str, Any], ms: float) -> None:
    """One line of a request: those that change something and those that were refused, others where that is asked."""
    refused = facts.get("status", 500) >= 400
    level = logging.INFO if refused or (method != "GET" and "quiet" not in facts) else logging.DEBUG
    facts.pop("quiet", None)
    what = facts.pop("event", "request")
    if refused:
        facts["asked"], what = what, "refusal"
    # whoever asks how far something is waits for news: that is not slow
    waits = method == "GET" and _WAITING.fullmatch(path) is not None
    event(what, level=level, ms=None if waits else ms, method=method, path=path[:200], **facts)


def note(connection: HTTPConnection, **facts: Any) -> None:
    """Have facts stand in the line that tells of a request."""
    connection.scope.get(FACTS, {}).update(facts)


async def _open_project(connection: HTTPConnection) -> OpenProject:
    found: OpenProject = connection.scope[_HERE]
    return found


# each looks by itself: what depends on one another is analysed anew for every route, at every start
async def _project(connection: HTTPConnection) -> Project:
    return (await _open_project(connection)).project


async def _imports(connection: HTTPConnection) -> Imports:
    return (await _open_project(connection)).imports


async def _work(connection: HTTPConnection) -> Work:
    return (await _open_project(connection)).work


async def _batches(connection: HTTPConnection) -> Batches:
    return (await _open_project(connection)).batches


Here = Annotated[OpenProject, Depends(_open_project)]
TheProject = Annotated[Project, Depends(_project)]
Waiting = Annotated[Imports, Depends(_imports)]
AtWork = Annotated[Work, Depends(_work)]
OfProject = Annotated[Batches, Depends(_batches)]


def described(schema: dict[str, Any]) -> dict[str, Any]:
    """The description of the API, with the part of the path that names the project."""
    for path, methods in schema["paths"].items():
        if path.startswith(PREFIX):
            for method in methods.values():
                method["parameters"] = [*method.get("parameters", []), _NAMED]
    return schema
