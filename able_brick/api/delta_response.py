"""Deltas as responses: as JSON, or with their many rows in columns to those who ask for that."""

from __future__ import annotations

from typing import Final

from fastapi import Request
from fastapi.responses import Response

from able_brick.session.columns import MEDIA
from able_brick.session.delta import Delta

#: What comes depends on what was asked for.
VARY: Final = {"Vary": "Accept"}


def wants_columns(request: Request) -> bool:
    """Whether what asks understands columns."""
    return MEDIA in request.headers.get("accept", "")


def delta_response(delta: Delta, request: Request) -> Response:
    """A change as it was asked for, written where it was computed."""
    if wants_columns(request) and delta.large:
        return as_columns(delta.columns())
    return Response(delta.text(), media_type="application/json", headers=VARY)


def as_columns(data: bytes) -> Response:
    """Columns that have been written."""
    return Response(data, media_type=MEDIA, headers=VARY)
