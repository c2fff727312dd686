"""What all tools share that edit the mesh of a piece."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, ClassVar, Final, Self

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import WORDS, ElementType
from able_brick.core.edit.sound import check_sound
from able_brick.core.errors import GeometryError, InputError, StaleElementsError, UnsoundError
from able_brick.core.finish.halves import both_after, half_after
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.place.items import item_from_world
from able_brick.core.place.pose import rotation
from able_brick.core.text import counted, grouped
from able_brick.level.elements import Elements
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import AShown, Piece
from able_brick.level.snapshot import ARow
from able_brick.level.surface import FaceAt, item_at
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.tool import Need, Stage, Tool

#: How often a refused operation is tried with less, to say how much would go, and on how many faces at most.
_TRIES: Final = 9
_MOST_TRIED: Final = 30_000


def elements_field() -> Any:
    """What is picked of the piece that is open."""
    return field(Elements(), "Elements", "What is picked", widget="none")


class ElementTool(Tool):
    """A tool that makes another mesh of a piece's by what is picked of it; all that shows the piece follows."""

    stages: ClassVar[tuple[Stage, ...]] = ("shape",)
    need = Need(kinds=("piece", "placement", "array", "course"), least=1, most=1)
    takes: ClassVar[tuple[ElementType, ...]] = ("face",)
    #: Whether it may open what was closed.
    opens: ClassVar[bool] = False
    #: Whether an unsound result is noted instead of refused.
    tells_unsound: ClassVar[bool] = False
    #: The fields that say how much is done, each with the value at which nothing is.
    amounts: ClassVar[tuple[tuple[str, float], ...]] = ()

    elements: Elements = elements_field()

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        """The mesh as it is to be."""
        raise NotImplementedError

    def edit_shown(
        self, draft: Draft, rows: list[ARow], piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices
    ) -> Edited:
        """The same, for what depends on the row that is open, or on others of the level."""
        return self.edit(piece, mesh, kind, ids)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        piece = pieces_of(draft, rows[:1])[0]
        kind = self.elements.kind
        asked = " or ".join(WORDS[k][1] for k in self.takes)
        if self.takes and not self.elements.ids:
            one = WORDS[self.takes[0]][0]
            raise InputError(f"No {one} is picked yet: click one of the piece that is open.", field="elements")
        if self.takes and kind not in self.takes:
            raise InputError(f"{self.title} works on {asked}; {WORDS[kind][1]} are picked.", field="elements")
        if self.elements.mesh != piece.source:
            raise StaleElementsError(
                f"{piece.name} has changed since the {WORDS[kind][1]} were picked; pick them again."
            )
        mesh = draft.source(piece)
        ids = self.elements.numbers(mesh)
        finish = piece.live_finish

        def attempt(tool: Self) -> tuple[Edited, str, Indices]:
            made = tool.edit_shown(draft, rows, piece, mesh, kind, ids)
            was, now = mesh, made
            if finish is not None and finish.mirror is not None:
                over = finish.mirror.reflection()
                now = made = half_after(mesh, made, over, finish.weld, opens=self.opens)
                was, now = both_after(mesh, made, over, finish.weld) or (mesh, made)
            try:
                words, where = check_sound(was, now)
                return made, words, np.unique(where % max(made.mesh.face_count, 1))
            except UnsoundError as error:
                if not self.tells_unsound:
                    raise
                return made, str(error).removesuffix(".").replace("would ", ""), np.zeros(0, np.int32)

        try:
            out, unsound, where = attempt(self)
        except UnsoundError as error:
            largest = self._largest(attempt, mesh) if self.takes_what_fits or not draft.preview else None
            if largest is None or not self.takes_what_fits:
                raise self._refused(error, largest) from None
            out, unsound, where = attempt(largest)
            out = replace(out, note=f"{largest.amount_words()} fits")
        changed = draft.with_source(piece, out.mesh)
        draft.put(changed)
        key, facts = changed.source, changed.facts
        draft.elements = Elements.of(key, out.picked.tolist(), out.kind)
        if out.ended is not None and len(out.ended):
            where = np.union1d(where, out.ended)
        if len(where):
            draft.ended = Elements.of(key, where.tolist())
        more = facts.triangles - piece.facts.triangles
        change = f", {'+' if more > 0 else '−'}{grouped(abs(more))} tris" if more else ""
        freed = "shaded by its form from now on" if mesh.normal is not None and out.mesh.normal is None else ""
        notes = "".join(f"; {note}" for note in (out.note, unsound, freed) if note)
        what = f"{counted(len(ids), *WORDS[kind])} of " if self.takes else ""
        draft.note = f"{what}{piece.name}{change}{notes}"

    def _scaled(self, share: float) -> Self:
        """The same with so much of it done, 0…1."""

        def part(value: Any, neutral: float) -> Any:
            if isinstance(value, tuple):
                return tuple(neutral + share * (v - neutral) for v in value)
            return neutral + share * (value - neutral)

        return self.model_copy(update={name: part(getattr(self, name), neutral) for name, neutral in self.amounts})

    @property
    def takes_what_fits(self) -> bool:
        """Whether as much is done as goes, where all of it does not."""
        return False

    def _largest(self, attempt: Callable[[Self], object], mesh: PolyMesh) -> Self | None:
        """The same with as much of it as is sound, by halving; None where it has no amount, or next to nothing goes."""
        asked = [name for name, neutral in self.amounts if getattr(self, name) not in (neutral, (neutral,) * 3)]
        if not asked or mesh.face_count > _MOST_TRIED:
            return None
        low, high = 0.0, 1.0
        for _ in range(_TRIES):
            middle = (low + high) / 2
            try:
                attempt(self._scaled(middle))
                low = middle
            except GeometryError:
                high = middle
        return self._scaled(low) if low > 0.0 else None

    def amount_words(self) -> str:
        """How much of it is done, in words: its first amount that is not nothing."""
        for name, neutral in self.amounts:
            value = getattr(self, name)
            if value not in (neutral, (neutral,) * 3):
                extra = type(self).model_fields[name].json_schema_extra
                unit = f" {extra['unit']}" if isinstance(extra, dict) and "unit" in extra else ""
                words = ", ".join(f"{v:.4g}" for v in value) if isinstance(value, tuple) else f"{value:.4g}"
                return f"{words}{unit}"
        return ""

    def _refused(self, error: UnsoundError, largest: Self | None) -> UnsoundError:
        """The refusal, with how much would go."""
        if largest is None:
            advised = any(mark in str(error) for mark in ("; ", ". "))
            return UnsoundError(f"{error}{'' if advised else ' Do less of it, or pick other ones.'}", **error.data)
        name = next(n for n, neutral in self.amounts if getattr(largest, n) not in (neutral, (neutral,) * 3))
        words = f"{error} Up to {largest.amount_words()} goes."
        return UnsoundError(words, **error.data, allowed=getattr(largest, name))


def in_mesh(piece: Piece, direction: Floats | tuple[float, float, float]) -> Floats:
    """A direction (3,) in the axes of a piece's pivot, in those of its mesh."""
    out: Floats = rotation(piece.axes).apply(np.asarray(direction, np.float64))
    return out


def point_in_mesh(piece: Piece, point: Floats | tuple[float, float, float]) -> Floats:
    """A place (3,) seen from a piece's pivot, in the coordinates of its mesh."""
    out: Floats = np.asarray(piece.pivot) + in_mesh(piece, point)
    return out


def axis_in_mesh(piece: Piece, axis: str) -> Floats:
    """The direction (3,) of an axis of a piece's pivot, "x", "y" or "z", in the coordinates of its mesh."""
    return in_mesh(piece, np.eye(3)["xyz".index(axis)])


def points_in_mesh(
    draft: Draft, row: ARow, piece: Piece, at: FeatureAt, points: Sequence[Floats], name: str = "start"
) -> Floats:
    """Places (n,3) of the world in the coordinates of a piece's mesh: of the item of the piece that a feature is of,
    else of the first item of the row that is open. Raises InputError where the piece is open from the shelf and the
    feature is none of it."""
    thing = draft.things.get(at.thing)
    own = isinstance(thing, AShown) and piece.id in thing.pieces
    if not own and isinstance(row, Piece):
        raise InputError("Click the first point on the piece that is open.", field=name)
    where = at.thing if own else row.id
    look, _, pose = item_at(
        draft.snapshot, draft.level_id, draft.load, FaceAt(thing=where, item=at.item if own else 0, face=0)
    )
    out: Floats = item_from_world(np.asarray(points, np.float64), pose, look.pivot, look.axes)
    return out


def way_in_mesh(draft: Draft, row: ARow, piece: Piece, start: FeatureAt | None, end: FeatureAt | None) -> Floats:
    """The way (3,) from one feature in the view to another in the coordinates of a piece's mesh, as `points_in_mesh`
    has them. Raises InputError where one is not picked yet, and for no way."""
    if start is None or end is None:
        raise InputError(
            "Two points are wanted: click a vertex, edge or face for each.", field="end" if start else "start"
        )
    spots = [spot_of(draft.snapshot, draft.level_id, draft.load, f).point for f in (start, end)]
    one, two = points_in_mesh(draft, row, piece, start, spots)
    if not np.linalg.norm(two - one) > 0:
        raise InputError("The two points lie on each other; pick another one.", field="end")
    out: Floats = two - one
    return out
