"""What pages need to know of the rules of the job, so that none of them is written twice."""

from __future__ import annotations

from typing import Final

from fastapi import APIRouter
from pydantic import BaseModel

from able_brick.core.files.read import BESIDE, MODELS
from able_brick.core.files.units import METRES, Unit, Up
from able_brick.core.walk.fits import STEP
from able_brick.level.palette import Tint
from able_brick.level.rows import KIND_WORDS, Kind

router = APIRouter(prefix="/api")


class Choice(BaseModel):
    """A value, and its words on screen."""

    value: str
    label: str


class UnitChoice(Choice):
    """A unit of length, metres."""

    metres: float


class Body(BaseModel):
    """A player as it begins, metres and degrees: how high a step it takes without a jump, and how much it sees."""

    height: float = 1.8
    radius: float = 0.35
    eye: float = 1.7
    fov: float = 60.0
    step: float = STEP


class KindWords(BaseModel):
    """What a kind of row is called, with its article."""

    kind: Kind
    words: str


class Rules(BaseModel):
    """Units, axes, surfaces, file endings, the body of a player, and what kinds of rows are called."""

    units: list[UnitChoice]
    ups: list[Choice]
    surfaces: list[Choice]
    models: list[str]
    beside: list[str]
    body: Body
    kinds: list[KindWords]


_RULES: Final = Rules(
    units=[UnitChoice(value=u, label=u.name.capitalize(), metres=METRES[u]) for u in Unit],
    ups=[Choice(value=u, label=f"{u.upper()} up") for u in Up],
    surfaces=[Choice(value=t, label=t.capitalize()) for t in Tint],
    models=list(MODELS),
    beside=list(BESIDE),
    body=Body(),
    kinds=[KindWords(kind=k, words=w) for k, w in KIND_WORDS.items()],
)


@router.get("/rules")
def rules() -> Rules:
    """The rules that pages show; they do not change while the server runs."""
    return _RULES
