"""Faces divided: by loops, cuts and planes, into rows and about their middles."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from able_brick.core.edit.cut import Stop, cut, slice_by_plane
from able_brick.core.edit.divide import divide, divide_rows, poke
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.edit.loops import add_loops
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import count, field
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool, axis_in_mesh


class AddLoops(ElementTool):
    """Loops put through strips of quads."""

    tool: Literal["add_loops"] = "add_loops"
    title = "Add loops"
    verb = "Divide"
    key = "C"
    about = "Puts loops of edges through the strips of quads that the picked edges cross"
    icon = "rows-3"
    takes = ("edge",)

    place: Literal["even", "share", "metres"] = field(
        "even", "Place", "Evenly; or one at a share of the way, or so far from one side"
    )
    count: int = count(1, "Count", "How many, evenly", 1, 64, when={"place": ["even"]})
    share: float = field(
        50.0, "Share", "Of the way from the first side", unit="%", step=5, gt=0, lt=100, when={"place": ["share"]}
    )
    distance: float = field(
        0.4,
        "Distance",
        "From the first side, below 0 from the other one",
        unit="m",
        step=0.05,
        ge=-1e5,
        le=1e5,
        when={"place": ["metres"]},
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        if self.place == "even":
            return add_loops(mesh, ids, self.count)
        if self.place == "share":
            return add_loops(mesh, ids, share=self.share / 100)
        return add_loops(mesh, ids, metres=self.distance)


class CutStop(BaseModel):
    """A place of a cut: a vertex, or a share of an edge from its lower vertex."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    kind: Literal["vertex", "edge"]
    id: Annotated[int, Field(ge=0)]
    share: Annotated[float, Field(ge=0, le=1)] = 0.5


class CutAcross(ElementTool):
    """Faces cut from place to place."""

    tool: Literal["cut_across"] = "cut_across"
    title = "Cut across"
    verb = "Divide"
    key = "A"
    about = "Cuts faces from edge to edge, where you click"
    icon = "scissors"
    takes = ()

    stops: Annotated[tuple[CutStop, ...], Field(max_length=1000)] = field(
        (), "Places", "From the first to the last", widget="none"
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return cut(
            mesh,
            [Stop(vertex=s.id) if s.kind == "vertex" else Stop(edge=s.id, share=s.share) for s in self.stops],
        )


class SlicePlane(ElementTool):
    """All faces cut along a plane."""

    tool: Literal["slice_plane"] = "slice_plane"
    title = "Slice"
    verb = "Divide"
    key = "S"
    about = "Cuts straight through the whole piece along a plane"
    icon = "slice"
    opens = True
    takes = ()

    axis: Literal["x", "y", "z"] = field("y", "Square to", "An axis of the piece's pivot")
    at: float = field(0.5, "At", "How far from the piece's pivot", unit="m", step=0.05, ge=-1e5, le=1e5)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        normal = axis_in_mesh(piece, self.axis)
        return slice_by_plane(mesh, np.asarray(piece.pivot) + normal * self.at, normal)


class Divide(ElementTool):
    """Faces divided into smaller ones."""

    tool: Literal["divide"] = "divide"
    title = "Divide"
    verb = "Divide"
    key = "D"
    about = "Divides the picked faces into rows of quads"
    icon = "grid-2x2"

    parts: int = count(2, "Parts", "Of each side", 2, 32)

    across: int = count(0, "Across", "Of the sides across, of quads; 0 for the same number", 0, 32)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        if self.across in (0, self.parts):
            return divide(mesh, ids, self.parts)
        return divide_rows(mesh, ids, self.parts, self.across)


class Poke(ElementTool):
    """Faces divided about their middle."""

    tool: Literal["poke"] = "poke"
    title = "Poke"
    verb = "Divide"
    about = "Divides the picked faces into triangles about a vertex in their middle"
    icon = "pyramid"
    amounts = (("height", 0.0),)

    height: float = field(0.0, "Height", "Of the middle, above the face", unit="m", step=0.05, ge=-1e5, le=1e5)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return poke(mesh, ids, self.height)
