"""The error tree as problem details (RFC 9457), mapped once."""

from __future__ import annotations

import logging
from errno import ENOSPC
from http import HTTPStatus
from math import isfinite
from typing import Any, Final

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DatabaseError
from starlette.exceptions import HTTPException

from able_brick.core.errors import (
    AbleBrickError,
    BusyError,
    ClosedError,
    FileError,
    GeometryError,
    HistoryError,
    InputError,
    OtherProjectError,
    SelectionError,
    StaleElementsError,
    StaleRevisionError,
    StorageError,
    UnknownIdError,
    UnsoundError,
    WorkRunningError,
)
from able_brick.jobs.arrived import MOST_FILES
from able_brick.steps.parse import sentence

_log = logging.getLogger("able_brick")
STATUS: Final[dict[type[AbleBrickError], int]] = {
    GeometryError: 422,
    UnsoundError: 422,
    InputError: 422,
    SelectionError: 422,
    FileError: 422,
    UnknownIdError: 404,
    StaleRevisionError: 409,
    StaleElementsError: 409,
    HistoryError: 409,
    BusyError: 429,
    OtherProjectError: 409,
    WorkRunningError: 409,
    ClosedError: 409,
    StorageError: 507,
}


class Problem(BaseModel):
    """What went wrong: a closed code, the HTTP status, a sentence, and received and allowed values."""

    type: str
    title: str
    status: int
    code: str
    detail: str
    data: dict[str, Any]


def problem(status: int, code: str, detail: str, data: dict[str, Any] | None = None) -> JSONResponse:
    body = Problem(
        type=f"about:able-brick/{code}",
        title=HTTPStatus(status).phrase,
        status=status,
        code=code,
        detail=detail,
        data=data or {},
    )
    # whatever came in and is sent back must go out as text
    return JSONResponse(_sendable(body.model_dump()), status, media_type="application/problem+json")


def _sendable(value: Any) -> Any:
    """The value without halves of characters, and without numbers that JSON does not have."""
    if isinstance(value, str):
        return value.encode("utf-8", "replace").decode()
    if isinstance(value, float) and not isfinite(value):
        return str(value)
    if isinstance(value, dict):
        return {_sendable(str(k)): _sendable(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [_sendable(v) for v in value]
    return value


def install(app: FastAPI) -> None:
    """Answer every error of the program with a problem, never with a stack trace."""

    @app.exception_handler(AbleBrickError)
    async def handled(request: Request, error: AbleBrickError) -> JSONResponse:
        request.scope.get("able_brick.facts", {})["code"] = error.code
        return problem(STATUS.get(type(error), 500), error.code, str(error), error.data)

    @app.exception_handler(RequestValidationError)
    async def invalid(_request: Request, error: RequestValidationError) -> JSONResponse:
        fields = [
            {"field": _field(e), "text": sentence(_field(e) or "The request", dict(e))} for e in error.errors()[:20]
        ]
        return problem(422, InputError.code, " ".join(f["text"] for f in fields[:3]), {"fields": fields})

    @app.exception_handler(HTTPException)
    async def http(_request: Request, error: HTTPException) -> JSONResponse:
        code = "not_found" if error.status_code == 404 else "http"
        text = str(error.detail)
        if error.status_code == 400:  # its body broke off, or could not be put down
            text = "The request could not be read; it broke off, or the temporary folder is full. Nothing was changed."
            if isinstance(error.__cause__, RecursionError):
                text = "The request is nested too deeply to be read; send what the API describes. Nothing was changed."
            if error.detail.startswith("Too many files"):
                text = f"More than {MOST_FILES} files came at once; put them into a folder, and have that read instead."
        return problem(error.status_code, code, text)

    @app.exception_handler(MemoryError)
    async def crowded(_request: Request, _error: MemoryError) -> JSONResponse:
        return problem(507, StorageError.code, "There is not enough memory for that; nothing was changed.")

    @app.exception_handler(DatabaseError)
    async def unreadable(_request: Request, error: DatabaseError) -> JSONResponse:
        _log.error("the project file could not be read", exc_info=error)
        return problem(
            507,
            StorageError.code,
            f"The project file could not be read ({error.orig}). Nothing was changed; save a copy, and see whether the "
            "disk is sound.",
        )

    @app.exception_handler(OSError)
    async def outside(_request: Request, error: OSError) -> JSONResponse:
        _log.error("the system refused", exc_info=error)
        what = "the disk is full" if error.errno == ENOSPC else (error.strerror or "a file could not be used")
        return problem(
            507, StorageError.code, f"The system refused: {what}. Nothing was changed; make room and try again."
        )


def unforeseen(method: str, path: str, error: Exception) -> JSONResponse:
    """The reply to what nobody thought of."""
    _log.error("%s %s failed", method, path, exc_info=error)
    return problem(
        500,
        "internal",
        "Something unforeseen went wrong in Able Brick; nothing was changed. The log has more.",
    )


def _field(error: Any) -> str:
    """What in the request is meant; where it is no JSON at all, the whole of it."""
    if error["type"] == "json_invalid":
        return ""
    return ".".join(str(p) for p in error["loc"][1:])
