"""A placement taken apart into pieces of its own."""

from __future__ import annotations

from typing import Final, Literal

import numpy as np

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.parts import Copy, apart, copies
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.pose import IDENTITY, Quaternion, Vector, quaternion, rotation, to_world, vector
from able_brick.core.text import counted, grouped, millimetres
from able_brick.level.field import field
from able_brick.level.rows import Piece, Placement
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.groups import group_of
from able_brick.steps.part_piece import part_piece
from able_brick.steps.tool import Need, Tool
from able_brick.steps.twins import twin_of

#: Parts that a piece may come apart into.
_MOST_PARTS: Final = 20_000
#: Takes a point to where its mirrored twin has it.
_OVER: Final = np.diag([-1.0, 1.0, 1.0])


class Separate(Tool):
    """A placement as a group of its parts."""

    tool: Literal["separate"] = "separate"
    title = "Separate"
    about = "Takes what is selected apart: a piece for each part, in its place, together in a group"
    verb = "Join and part"
    stages = ("build",)
    need = Need(kinds=("placement",), least=1, most=1)
    icon = "ungroup"
    previews = False
    leads = ()

    by: Literal["connected parts", "materials", "facets", "what repeats"] = field(
        "connected parts",
        "By",
        "What hangs together, what has one material, what is one facet; or what hangs together, with one piece for all "
        "parts that are the same, turned or mirrored",
    )
    tolerance: float = field(
        0.1,
        "Tolerance",
        "How far off a part may be that is the same as another one",
        unit="mm",
        step=0.1,
        gt=0,
        le=1e6,
        when={"by": ["what repeats"]},
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        place = rows[0]
        if not isinstance(place, Placement):
            raise SelectionError("Select a placement.")
        piece = draft.piece(place.piece)
        mesh = draft.mesh(piece)
        count, label = self._labels(mesh)
        if count < 2:
            raise GeometryError(f"{piece.name} is one part that way; choose another way to part it.")
        if count > _MOST_PARTS:
            raise GeometryError(
                f"{piece.name} would come apart into {grouped(count)} parts; {grouped(_MOST_PARTS)} at most.",
                received=count,
                allowed=_MOST_PARTS,
            )
        parts = apart(mesh, label, count)
        if self.by == "what repeats":
            made, note = self._repeating(draft, place, piece, parts)
        else:
            made = [
                _stand(draft, place, part, *_as_stands(place, piece, part))
                for part in (part_piece(draft, piece, p, piece.axes) for p in parts)
            ]
            note = f"{counted(count, 'part', 'parts')} of {piece.name}"
        draft.remove(place)
        group = group_of(draft, made, place.name, place.position)
        draft.put(group.changed(group=place.group, name=place.name))
        draft.select = (group.id,)
        others = len(draft.users(piece.id)) - 1
        draft.note = note + (f"; {counted(others, 'other thing', 'other things')} show it whole" if others else "")

    def _labels(self, mesh: PolyMesh) -> tuple[int, Ints]:
        """How many parts there are, and the part (F) of each face, numbered as their first faces come."""
        if self.by in ("connected parts", "what repeats"):
            label: Ints = topology(mesh).parts[1]
        else:
            label = mesh.material if self.by == "materials" else mesh.facet
        _, first, number = np.unique(label, return_index=True, return_inverse=True)
        rank = np.empty(len(first), np.int32)
        rank[np.argsort(first)] = np.arange(len(first), dtype=np.int32)
        return len(first), rank[number.ravel()]

    def _repeating(
        self, draft: Draft, place: Placement, piece: Piece, parts: list[PolyMesh]
    ) -> tuple[list[Placement], str]:
        size = np.asarray(place.size)
        found, nearly, off = copies(parts, self.tolerance / 1000)
        turned = any(c.motion is not None and np.abs(c.motion.turn - np.eye(3)).max() > 1e-12 for c in found)
        if turned and (size != size[0]).any():
            raise SelectionError(f"{place.name} stands in uneven sizes; bake its size first, then part it.")
        pieces: dict[int, Piece] = {}
        made = []
        for number, (copy, part) in enumerate(zip(found, parts, strict=True)):
            if copy.motion is None:
                pieces[number] = part_piece(draft, piece, part, IDENTITY)
            own = pieces[copy.of]
            shown = twin_of(draft, own) if copy.motion is not None and copy.motion.turned_over else own
            made.append(_stand(draft, place, shown, *_as_moved(place, piece, own, copy)))
        note = f"{counted(len(parts), 'part', 'parts')} of {counted(len(pieces), 'piece', 'pieces')}"
        if nearly:
            most = millimetres(off)
            note += f"; {counted(nearly, 'piece', 'pieces')} nearly as another one, off by up to {most}"
        return made, note


def _world(place: Placement, piece: Piece, point: Floats) -> Vector:
    """Where a point (3,) of a piece's mesh is, as the piece stands."""
    return vector(to_world(point[None], place.position, place.turn, place.size, piece.pivot, piece.axes)[0])


def _as_stands(place: Placement, source: Piece, part: Piece) -> tuple[Vector, Quaternion]:
    return _world(place, source, np.asarray(part.pivot)), place.turn


def _as_moved(place: Placement, source: Piece, own: Piece, copy: Copy) -> tuple[Vector, Quaternion]:
    """Where a copy of a piece stands, and how it is turned, so that it is where its part was."""
    base: Rotation = rotation(place.turn) * rotation(source.axes).inv()
    pivot = np.asarray(own.pivot)
    if copy.motion is None:
        return _world(place, source, pivot), quaternion(base)
    turn = copy.motion.turn.T @ _OVER if copy.motion.turned_over else copy.motion.turn.T
    at = pivot @ copy.motion.turn + copy.motion.shift
    return _world(place, source, at), quaternion(base * Rotation.from_matrix(turn))


def _stand(draft: Draft, of: Placement, piece: Piece, position: Vector, turn: Quaternion) -> Placement:
    out = Placement(
        id=draft.new_id("placement"),
        level=draft.level_id,
        name=draft.unique_name(piece.name, "placement"),
        group=of.group,
        piece=piece.id,
        position=position,
        turn=turn,
        size=of.size,
    )
    draft.put(out)
    return out
