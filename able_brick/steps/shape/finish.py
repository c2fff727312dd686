"""The whole piece, or what is picked of it, mirrored, and put on a smoother surface."""

from __future__ import annotations

import math
from typing import Any, Literal

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, converted
from able_brick.core.edit.mirror_faces import mirror_faces
from able_brick.core.edit.smooth import smooth
from able_brick.core.errors import InputError
from able_brick.core.mesh.faces import loop_normal
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.place.mirror import Reflection
from able_brick.level.field import count, field
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import Piece
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.mirror import clean_normal
from able_brick.steps.shape.element_tool import ElementTool, axis_in_mesh, points_in_mesh

Through = Literal["pivot", "middle", "high side", "low side"]
Creases = Literal["sharp edges", "by angle"]


def weld_field(**more: Any) -> Any:
    """How near to the plane a border is the seam."""
    about = "Vertices of the border so near to the plane are put onto it and shared"
    return field(0.0001, "Weld within", about, unit="m", step=0.001, ge=0, le=10, **more)


def creases_field() -> Any:
    """What stays sharp on a smoother surface."""
    return field("sharp edges", "Creases", "Edges that stay: those set sharp, or also those bent by more than an angle")


def crease_angle_field() -> Any:
    """From which angle on edges stay."""
    about, when = "Edges bent by more stay", {"creases": ["by angle"]}
    return field(60.0, "Angle", about, unit="°", step=5, ge=1, le=180, when=when)


def plane_across(piece: Piece, places: Floats, axis: str, through: Through, by: float) -> tuple[Floats, Floats]:
    """A point (3,) of a plane square to an axis of a piece's pivot and its normal (3,), in the coordinates of the mesh:
    through the pivot, or the middle or an end of places (n,3), moved by so much (m) along the axis."""
    normal = clean_normal(axis_in_mesh(piece, axis))
    along = places @ normal
    low, high = float(along.min()), float(along.max())
    where = {
        "pivot": float(np.asarray(piece.pivot) @ normal),
        "middle": (low + high) / 2,
        "high side": high,
        "low side": low,
    }[through]
    return normal * (where + by), normal


class MirrorElements(ElementTool):
    """Picked faces, or the whole piece, on the other side of a plane."""

    tool: Literal["mirror_elements"] = "mirror_elements"
    title = "Mirror faces"
    verb = "Copy"
    about = "Mirrors the picked faces, or the whole piece where none is picked; the seam is shared"
    icon = "flip-horizontal-2"
    opens = True
    takes = ()
    leads = ("at",)

    plane: Literal["axis", "face", "points"] = field(
        "axis", "Plane", "Square to an axis, that of a picked face, or half-way between two picked points"
    )
    across: Literal["x", "y", "z"] = field("x", "Across", "An axis of the piece's pivot", when={"plane": ["axis"]})
    through: Through = field(
        "pivot",
        "Through",
        "The piece's pivot; the middle of what is mirrored; or where it ends along the axis",
        when={"plane": ["axis"]},
    )
    at: float = field(0.0, "Moved by", "Along the axis", unit="m", step=0.05, ge=-1e5, le=1e5, when={"plane": ["axis"]})
    face: FeatureAt | None = field(
        None, "Face", "The face in whose plane it is mirrored", widget="feature at", when={"plane": ["face"]}
    )
    one: FeatureAt | None = field(
        None, "First point", "What is to come onto the other one", widget="feature at", when={"plane": ["points"]}
    )
    two: FeatureAt | None = field(
        None, "Second point", "Where it is to come", widget="feature at", when={"plane": ["points"]}
    )
    result: Literal["both halves alike", "copy", "in place"] = field(
        "both halves alike",
        "Result",
        "One half takes the place of the other; a copy of all of it; or the faces themselves, parted from the others",
    )
    half: Literal["high", "low"] = field(
        "high", "Half", "Which side of the plane stays", when={"result": ["both halves alike"]}
    )
    weld: float = weld_field(when={"result": ["both halves alike", "copy"]})

    def edit_shown(
        self, draft: Draft, rows: list[ARow], piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices
    ) -> Edited:
        faces = converted(mesh, kind, ids, "face")
        if not len(faces):
            faces = np.arange(mesh.face_count, dtype=np.int32)
        point, normal = self._plane(draft, rows[0], piece, mesh, faces)
        alike = self.result == "both halves alike"
        over = Reflection(point, 0.0 - normal if alike and self.half == "low" else normal)
        return mirror_faces(mesh, faces, over, copy=self.result != "in place", cut=alike, weld=self.weld)

    def _plane(self, draft: Draft, row: ARow, piece: Piece, mesh: PolyMesh, faces: Indices) -> tuple[Floats, Floats]:
        """A point (3,) of the plane and its normal (3,), in the coordinates of the mesh."""
        match self.plane:
            case "face":
                if self.face is None:
                    raise InputError("No face is picked yet: click one in the view.", field="face")
                spot = spot_of(draft.snapshot, draft.level_id, draft.load, self.face)
                loop = points_in_mesh(draft, row, piece, self.face, list(spot.loop), "face")
                return loop[0], clean_normal(loop_normal(loop))
            case "points":
                if self.one is None or self.two is None:
                    raise InputError(
                        "Pick two points in the view; the plane stands half-way between them.",
                        field="two" if self.one else "one",
                    )
                spots = [spot_of(draft.snapshot, draft.level_id, draft.load, f).point for f in (self.one, self.two)]
                a, b = points_in_mesh(draft, row, piece, self.one, spots, "one")
                long = float(np.linalg.norm(b - a))
                if not long > 0:
                    raise InputError("The two points lie on each other; pick another one.", field="two")
                return (a + b) / 2, clean_normal((b - a) / long)
        own = mesh.positions[converted(mesh, "face", faces, "vertex")]
        return plane_across(piece, own, self.across, self.through, self.at)


class Smooth(ElementTool):
    """The whole piece on a smoother surface."""

    tool: Literal["smooth"] = "smooth"
    title = "Smooth"
    verb = "Divide"
    about = "Divides the whole piece into quads on a smoother surface; sharp edges and borders stay"
    icon = "spline"
    takes = ()
    tells_unsound = True

    levels: int = count(1, "Levels", "Each one makes four faces of a quad", 1, 4)
    creases: Creases = creases_field()
    angle: float = crease_angle_field()

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        angle = math.radians(self.angle) if self.creases == "by angle" else None
        return smooth(mesh, self.levels, crease_angle=angle)
