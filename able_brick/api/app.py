"""The application: routers over one open project, and the built front end."""

from __future__ import annotations

import asyncio
import os
import threading
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from functools import cache
from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.responses import FileResponse, Response
from starlette.staticfiles import StaticFiles

import able_brick
from able_brick.api import backups, batches, elements, errors, health, imports, kit, levels, questions, rules, work
from able_brick.api import project as project_routes
from able_brick.api.current_project import CurrentProject, DemoBuilder
from able_brick.api.field_help import with_help
from able_brick.api.guard import Guard
from able_brick.api.preview_queue import PreviewQueue
from able_brick.api.within import WithinProject, described
from able_brick.core import lazy_imports
from able_brick.core.errors import ClosedError, StorageError
from able_brick.session.project import Project

WEB = Path(able_brick.__file__).parent / "web_dist"
#: Seconds in which everything is to end.
_MOST_CLOSING = 0.5
#: For how long meshes are made ready before anybody has asked for one.
_MOST_SECONDS = 3.0


class Assets(StaticFiles):
    """The built front end's files: named by what is in them, so a browser need never ask again."""

    def file_response(self, *args: Any, **kwargs: Any) -> Response:
        response = super().file_response(*args, **kwargs)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def prepare(project: Project) -> None:
    """Have ready what the first page that is opened asks for: the descriptions, its level, and what that shows; then
    what the first steps will want."""
    with suppress(ClosedError):  # another one is open already
        _prepare(project)
    lazy_imports.load()


def _prepare(project: Project) -> None:
    levels.tools()
    kit.shapes()
    first = next(iter(project.snapshot.levels), None)
    if first is not None:
        project.view_bytes(first, columns=True)
        until = time.monotonic() + _MOST_SECONDS
        for piece in project.snapshot.pieces.values():
            if time.monotonic() > until:
                break
            with suppress(StorageError):
                project.meshes.view_glb(piece.mesh)


def create_app(
    project: Project, *, web: Path = WEB, serving: bool = False, build_demo: DemoBuilder | None = None
) -> FastAPI:
    """The web application over an open project, which is closed when the server stops.

    `build_demo` makes the demo project as a new file. When `serving`, a process that reads files is started at once,
    else when the first file comes; and what the first page needs is made ready beside.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        if serving:
            app.state.current.now.imports.warm()
            asyncio.get_running_loop().run_in_executor(None, prepare, project)
        yield
        # what does not stop by itself is cut off: a change is in the file whole, or not at all
        lazy_imports = threading.Timer(_MOST_CLOSING, os._exit, (0,))
        lazy_imports.daemon = True
        if serving:
            lazy_imports.start()
        app.state.current.close()
        lazy_imports.cancel()

    app = FastAPI(
        title="Able Brick",
        version=able_brick.__version__,
        description="Levels from modular pieces: every change is a step; every step can be undone.",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        responses={422: {"model": errors.Problem, "description": "What was wrong and what to do; nothing changed"}},
    )
    usual = app.openapi
    app.openapi = cache(lambda: with_help(described(usual())))  # type: ignore[method-assign]
    app.state.current = CurrentProject(project, build_demo=build_demo, serving=serving)
    app.state.preview_queue = PreviewQueue()
    errors.install(app)
    app.include_router(levels.general)
    app.include_router(kit.general)
    app.include_router(levels.router)
    app.include_router(questions.router)
    app.include_router(elements.router)
    app.include_router(rules.router)
    app.include_router(kit.router)
    app.include_router(imports.router)
    app.include_router(work.router)
    app.include_router(batches.router)
    app.include_router(project_routes.router)
    app.include_router(project_routes.of_project)
    app.include_router(backups.router)
    app.include_router(health.router)
    app.add_middleware(WithinProject)
    app.add_middleware(Guard)
    if (web / "index.html").exists():
        app.mount("/assets", Assets(directory=web / "assets"), name="assets")

        @app.get("/", include_in_schema=False)
        async def page() -> Response:
            return FileResponse(web / "index.html", headers={"Cache-Control": "no-cache"})

        @app.get("/favicon.svg", include_in_schema=False)
        async def mark() -> Response:
            return FileResponse(web / "favicon.svg")

    return app
