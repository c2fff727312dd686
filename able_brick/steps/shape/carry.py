"""What is picked, moved, turned and sized."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.carry import KeepTo, carry, centres, middle_of
from able_brick.core.edit.edited import Edited, refuse_folded
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.edit.extent import Side, stretched
from able_brick.core.edit.flatten import evened, flattened
from able_brick.core.edit.regions import Region
from able_brick.core.edit.relax import Keeping, relaxed
from able_brick.core.edit.slide import slide
from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.level.field import count, field
from able_brick.level.rows import Piece, Vector
from able_brick.steps.shape.element_tool import ElementTool, axis_in_mesh, in_mesh, point_in_mesh

About = Literal["middle", "each", "pivot", "point"]


def _radius_field() -> float:
    return field(  # type: ignore[no-any-return]
        0.0, "Falloff", "Neighbours within so far along the edges go along, less the farther", unit="m", step=0.1, ge=0
    )


def _keep_field() -> KeepTo:
    return field(  # type: ignore[no-any-return]
        "free", "Keep to", "Only along the edges, on the faces round about, or along the normal"
    )


class _Carrying(ElementTool):
    """Base of what puts vertices elsewhere."""

    takes = ("face", "edge", "vertex")


class MoveElements(_Carrying):
    """What is picked moved, with what hangs on it."""

    tool: Literal["move_elements"] = "move_elements"
    title = "Move"
    verb = "Move"
    about = "Moves what is picked in the piece's own axes, or along where its faces look"
    icon = "move"
    leads = ("out",)
    amounts = (("by", 0.0), ("out", 0.0))

    by: Vector = field((0.0, 0.0, 0.0), "By", "In the axes of the piece's pivot", unit="m", step=0.05)
    out: float = field(0.0, "Outward", "Along the mean of where its faces look", unit="m", step=0.05, ge=-1e5, le=1e5)
    keep_to: KeepTo = _keep_field()
    radius: float = _radius_field()

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        shift = in_mesh(piece, self.by)
        if self.out != 0.0:
            shift = shift + outward(mesh, kind, ids) * self.out
        out = carry(mesh, kind, ids, np.eye(3), shift, np.zeros(3), radius=self.radius, keep_to=self.keep_to)
        return refuse_folded(mesh, out) if self.keep_to == "surface" else out


def outward(mesh: PolyMesh, kind: ElementType, ids: Indices) -> Floats:
    """The mean (3,) of where picked faces look, or the faces that edges and vertices belong to."""
    if kind != "face":
        touched = np.zeros(mesh.vertex_count, np.bool_)
        touched[converted(mesh, kind, ids, "vertex")] = True
        ids = np.unique(mesh.corner_face[touched[mesh.corners]])
    out: Floats = Region.of(mesh, ids).mean_normals().mean(axis=0)
    return out


class PlaceElements(_Carrying):
    """What is picked put at a place."""

    tool: Literal["place_elements"] = "place_elements"
    title = "Place"
    verb = "Move"
    about = "Puts the middle of what is picked at a place"
    icon = "map-pin"
    hidden = True

    at: Vector = field((0.0, 0.0, 0.0), "At", "Seen from the piece's pivot, in its axes", unit="m", step=0.05)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        goal = point_in_mesh(piece, self.at)
        vertices = converted(mesh, kind, ids, "vertex")
        if len(vertices) == 1:
            # one vertex has these very numbers
            return carry(mesh, kind, ids, np.zeros((3, 3)), np.zeros(3), goal)
        return carry(mesh, kind, ids, np.eye(3), goal - middle_of(mesh, kind, ids), np.zeros(3))


class StretchElements(_Carrying):
    """What is picked made as long as is said."""

    tool: Literal["stretch_elements"] = "stretch_elements"
    title = "Stretch"
    verb = "Move"
    about = "Makes an edge, or what lies between two vertices, or a side of faces, so long"
    icon = "scaling"
    leads = ()
    hidden = True

    side: Side = field("length", "Side", "The length of an edge, or the width or height of faces in their plane")
    length: float = field(1.0, "Length", "About the middle", unit="m", step=0.05, gt=0, le=1e5)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return stretched(mesh, kind, ids, self.length, self.side)


class _About(_Carrying):
    """Base of what is done about a point."""

    about_what: About = field(
        "middle", "About", "The middle of all, of each connected part by itself, the piece's pivot, or a point"
    )
    point: Vector = field(
        (0.0, 0.0, 0.0), "Point", "Seen from the piece's pivot", unit="m", step=0.05, when={"about_what": ["point"]}
    )
    radius: float = _radius_field()

    def centre(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Floats:
        """(3,), or (V,3) for each vertex its own."""
        if self.about_what == "middle":
            return middle_of(mesh, kind, ids)
        if self.about_what == "each":
            if self.radius > 0:
                raise GeometryError("About each part there is no falloff; choose the middle of all, or a falloff of 0.")
            return centres(mesh, kind, ids)
        return point_in_mesh(piece, self.point if self.about_what == "point" else (0.0, 0.0, 0.0))


class TurnElements(_About):
    """What is picked turned."""

    tool: Literal["turn_elements"] = "turn_elements"
    title = "Turn"
    verb = "Move"
    about = "Turns what is picked about its middle, or another point"
    icon = "rotate-cw"
    leads = ("angle",)
    amounts = (("angle", 0.0),)

    axis: Literal["x", "y", "z", "way"] = field("y", "Axis", "An axis of the piece's pivot, or a direction")
    way: Vector = field((0.0, 1.0, 0.0), "Direction", "In the axes of the piece's pivot", when={"axis": ["way"]})
    angle: float = field(15.0, "Angle", "How far", unit="°", step=5, ge=-3600, le=3600)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        axis = in_mesh(piece, self.way) if self.axis == "way" else axis_in_mesh(piece, self.axis)
        long = float(np.linalg.norm(axis))
        if not long > 0:
            raise GeometryError("The direction has no length; give another one.")
        turn = Rotation.from_rotvec(axis / long * np.radians(self.angle)).as_matrix()
        about = self.centre(piece, mesh, kind, ids)
        return carry(mesh, kind, ids, turn, np.zeros(3), about, radius=self.radius)


class SizeElements(_About):
    """What is picked made larger or smaller."""

    tool: Literal["size_elements"] = "size_elements"
    title = "Size"
    verb = "Move"
    about = "Makes what is picked larger or smaller along the piece's axes; 0 % makes it flat"
    icon = "scaling"
    leads = ()
    amounts = (("shares", 100.0),)

    shares: Vector = field((100.0, 100.0, 100.0), "Size", "Of what it is, along each axis", unit="%", step=5)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        axes = np.stack([axis_in_mesh(piece, a) for a in "xyz"], axis=1)
        matrix = axes @ np.diag(np.asarray(self.shares) / 100) @ axes.T
        return carry(mesh, kind, ids, matrix, np.zeros(3), self.centre(piece, mesh, kind, ids), radius=self.radius)


class Taper(ElementTool):
    """Faces made larger or smaller in their own plane."""

    tool: Literal["taper"] = "taper"
    title = "Taper"
    verb = "Move"
    key = "T"
    about = "Makes the picked faces smaller or larger about their middle"
    icon = "triangle"
    amounts = (("share", 100.0),)

    share: float = field(75.0, "Size", "Of what they are", unit="%", step=5, ge=0.1, le=10_000)
    faces: Literal["together", "each"] = field(
        "together", "Faces", "About the middle of all, or each connected part about its own"
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        about = middle_of(mesh, kind, ids) if self.faces == "together" else centres(mesh, kind, ids)
        return carry(mesh, kind, ids, np.eye(3) * (self.share / 100), np.zeros(3), about)


class SlideLoop(ElementTool):
    """Loops of edges slid along the edges that cross them."""

    tool: Literal["slide_loop"] = "slide_loop"
    title = "Slide loop"
    verb = "Move"
    about = "Slides the picked edges along those that cross them; below 0 to the other side"
    icon = "move-horizontal"
    amounts = (("share", 0.0), ("distance", 0.0))
    takes = ("edge",)

    by: Literal["share", "distance"] = field("share", "By", "A share of the way to the next edge, or the same distance")
    share: float = field(
        25.0, "Share", "Of the way to the next edge", unit="%", step=5, gt=-100, lt=100, when={"by": ["share"]}
    )
    distance: float = field(
        0.1,
        "Distance",
        "Along each edge across",
        unit="m",
        step=0.05,
        ge=-1e5,
        le=1e5,
        when={"by": ["distance"]},
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        if self.by == "share":
            return slide(mesh, ids, share=self.share / 100)
        return slide(mesh, ids, metres=self.distance)


class Flatten(_Carrying):
    """What is picked put into one plane."""

    tool: Literal["flatten"] = "flatten"
    title = "Flatten"
    verb = "Move"
    key = "U"
    about = "Puts what is picked into one plane"
    icon = "align-vertical-justify-center"

    plane: Literal["own", "x", "y", "z"] = field(
        "own", "Plane", "The one that lies nearest to it, or square to an axis of the piece's pivot"
    )
    at: Literal["middle", "pivot"] = field(
        "middle", "Through", "Its middle, or the piece's pivot", when={"plane": ["x", "y", "z"]}
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        normal = None if self.plane == "own" else axis_in_mesh(piece, self.plane)
        point = np.asarray(piece.pivot) if self.at == "pivot" and self.plane != "own" else None
        return flattened(mesh, kind, ids, normal, point)


class EvenOut(ElementTool):
    """Distances along chains of edges made alike."""

    tool: Literal["even_out"] = "even_out"
    title = "Even out"
    verb = "Move"
    about = "Makes the distances along the picked edges alike; ends stay"
    icon = "align-horizontal-distribute-center"
    instant = True
    takes = ("edge",)

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        return evened(mesh, ids)


class Relax(ElementTool):
    """Faces made even by drawing vertices towards their neighbours."""

    tool: Literal["relax"] = "relax"
    title = "Relax"
    verb = "Move"
    about = "Draws the picked vertices towards their neighbours, so that faces become even; borders stay"
    icon = "waves"
    takes = ("vertex", "edge", "face")
    amounts = (("strength", 0.0),)
    leads = ("repeats", "strength")

    repeats: int = count(5, "Repeats", "How often", 1, 200)
    strength: float = field(0.5, "Strength", "Share of the way to the middle of the neighbours", step=0.05, ge=0, le=1)
    keep: Keeping = field(
        "surface",
        "Keep",
        "The surface, in which they slide; the volume, while waves go; or nothing, so that the form shrinks",
    )

    hold_sharp: bool = field(True, "Hold sharp edges", "Vertices of sharp edges slide along these alone")

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        out = relaxed(
            mesh,
            kind,
            ids,
            strength=self.strength,
            repeats=self.repeats,
            keep=self.keep,
            hold_sharp=self.hold_sharp,
        )
        return refuse_folded(mesh, out)
