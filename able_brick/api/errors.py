"""The error tree as problem details (RFC 9457), mapped once."""

from __future__ import annotations

import logging
from http import HTTPStatus
from typing import Any, Final

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from able_brick.core.errors import (
    AbleBrickError,
    FileError,
    GeometryError,
    HistoryError,
    InputError,
    SelectionError,
    StaleRevisionError,
    StorageError,
    UnknownIdError,
)

_log = logging.getLogger("able_brick")
STATUS: Final[dict[type[AbleBrickError], int]] = {
    GeometryError: 422,
    InputError: 422,
    SelectionError: 422,
    FileError: 422,
    UnknownIdError: 404,
    StaleRevisionError: 409,
    HistoryError: 409,
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
    return JSONResponse(body.model_dump(), status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Answer every error of the program with a problem, never with a stack trace."""

    @app.exception_handler(AbleBrickError)
    async def known(_request: Request, error: AbleBrickError) -> JSONResponse:
        return problem(STATUS.get(type(error), 500), error.code, str(error), error.data)

    @app.exception_handler(RequestValidationError)
    async def invalid(_request: Request, error: RequestValidationError) -> JSONResponse:
        fields = [{"field": ".".join(str(p) for p in e["loc"][1:]), "text": str(e["msg"])} for e in error.errors()[:20]]
        text = "; ".join(f"{f['field']}: {f['text']}" for f in fields[:3])
        return problem(422, InputError.code, f"The request is not understood: {text}.", {"fields": fields})

    @app.exception_handler(HTTPException)
    async def http(_request: Request, error: HTTPException) -> JSONResponse:
        code = "not_found" if error.status_code == 404 else "http"
        return problem(error.status_code, code, str(error.detail))

    @app.exception_handler(Exception)
    async def unknown(request: Request, error: Exception) -> JSONResponse:
        _log.error("%s %s failed", request.method, request.url.path, exc_info=error)
        return problem(
            500,
            "internal",
            "Something unforeseen went wrong in Able Brick; nothing was changed. The log has more.",
        )
