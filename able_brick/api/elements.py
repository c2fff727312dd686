"""Routes of questions about the mesh of a piece that is open: what else belongs to what is picked, its facets, and what
it will cost. They change nothing."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from fastapi import APIRouter, Path
from pydantic import BaseModel, ConfigDict, Field

from able_brick.api.levels import LevelId
from able_brick.api.within import PREFIX, TheProject
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.edit.picks import How, take_in
from able_brick.core.errors import StaleElementsError, UnknownIdError
from able_brick.core.mesh.facets import facets
from able_brick.core.mesh.polymesh import Indices
from able_brick.level.check import Check, check, check_finished
from able_brick.level.elements import Elements
from able_brick.level.rows import Piece
from able_brick.session.delta import StepView

router = APIRouter(prefix=f"{PREFIX}/levels")
PieceId = Annotated[str, Path(max_length=80)]


class ElementsRequest(BaseModel):
    """What is picked of a piece, and what else is to be taken in."""

    model_config = ConfigDict(extra="forbid")

    piece: str = Field(max_length=80)
    elements: Elements
    how: How | Literal["as it is"] = Field("as it is", description="What to take in")
    to: ElementType | None = Field(None, description="The kind that it is to be afterwards")
    angle: float = Field(0, ge=0, le=180, description="How far *same way* reaches, degrees")


def _piece(project: TheProject, level: str, key: str) -> Piece:
    snapshot = project.snapshot
    snapshot.level(level)
    piece = snapshot.pieces.get(key)
    if piece is None:
        raise UnknownIdError(f"There is no piece {key!r} on the shelf (any more).", id=key)
    return piece


@router.post("/{level}/elements")
def elements(project: TheProject, level: LevelId, wish: ElementsRequest) -> Elements:
    """What is picked after taking in more, or as another kind."""
    piece = _piece(project, level, wish.piece)
    if piece.source != wish.elements.mesh:
        raise StaleElementsError(f"{piece.name} has changed since it was picked from; pick again.")
    mesh = project.meshes.get(piece.source)
    kind: ElementType = wish.elements.kind
    ids: Indices = wish.elements.numbers(mesh)
    if wish.how != "as it is":
        ids = take_in(mesh, kind, ids, wish.how, math.radians(wish.angle))
    if wish.to is not None and wish.to != kind:
        kind, ids = wish.to, converted(mesh, kind, ids, wish.to)
    return Elements.of(piece.source, ids.tolist(), kind)


class Facets(BaseModel):
    """The facet of each face of a mesh."""

    mesh: str
    facets: list[int]


@router.get("/{level}/facets/{piece}")
def facets_of(project: TheProject, level: LevelId, piece: PieceId) -> Facets:
    """Which faces of a piece are one facet."""
    row = _piece(project, level, piece)
    return Facets(mesh=row.source, facets=facets(project.meshes.get(row.source)).tolist())


@router.get("/{level}/earlier/{piece}")
def earlier(project: TheProject, level: LevelId, piece: PieceId) -> list[StepView]:
    """The steps of a level that have changed a piece, the newest first."""
    _piece(project, level, piece)
    return project.earlier(level, piece)[:100]


@router.get("/{level}/check/{piece}")
def check_of(project: TheProject, level: LevelId, piece: PieceId) -> Check:
    """What of a piece's mesh is worth a look before it goes to an engine."""
    row = _piece(project, level, piece)
    shown, finish = project.meshes.get(row.mesh), row.live_finish
    return check(shown) if finish is None else check_finished(project.meshes.get(row.source), shown, finish)
