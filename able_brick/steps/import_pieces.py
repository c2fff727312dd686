"""Bring meshes of a file onto the shelf, and into the level where asked."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict
from pydantic import Field as PydanticField

from able_brick.core.errors import InputError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pivots import Along, box_anchor, compensated
from able_brick.core.place.pose import IDENTITY, ORIGIN
from able_brick.core.slim.deviation import deviation
from able_brick.core.text import counted
from able_brick.level.carried import under_new_ids
from able_brick.level.field import field
from able_brick.level.ordering import row_order
from able_brick.level.rows import (
    AnyThing,
    Facts,
    Group,
    Ladder,
    Piece,
    Placement,
    Quaternion,
    RungTarget,
    Surface,
    Vector,
)
from able_brick.level.rows.base import Extras
from able_brick.level.rows.ladder import MOST_RUNGS
from able_brick.level.snapshot import ARow
from able_brick.steps.checks import printable
from able_brick.steps.draft import Draft, facts, facts_of_small
from able_brick.steps.ladder import rung_of
from able_brick.steps.tool import Tool

#: More places than these are not taken from one file.
MOST_PLACED: Final = 200_000
#: Rows between two reports of progress.
_BREATH: Final = 1000


@dataclass(frozen=True)
class Imported:
    """One mesh that has been read and stored under its hash, with the places where it stood in the file: what each is
    called, its position, turn and size.

    The pivot is the mesh's origin, or with `base_pivot` the middle of the box's underside. `within` are the numbers of
    the groups that the places are in, `extras` what others tell of them; none where they are left out. `rungs` are
    meshes of the same form with fewer triangles; `own` is the piece as it was where the file was written from, with the
    id that it had there. What arrives as parameters is validated; who makes one answers for its numbers.
    """

    __pydantic_config__ = ConfigDict(extra="forbid", allow_inf_nan=False)

    name: str
    mesh: str
    materials: Annotated[tuple[Surface, ...], PydanticField(max_length=1000)]
    stands: Annotated[tuple[tuple[str, Vector, Quaternion, Vector], ...], PydanticField(max_length=MOST_PLACED)] = ()
    within: Annotated[tuple[int | None, ...], PydanticField(max_length=MOST_PLACED)] = ()
    extras: Annotated[tuple[Extras | None, ...], PydanticField(max_length=MOST_PLACED)] = ()
    base_pivot: bool = False
    rungs: Annotated[tuple[str, ...], PydanticField(max_length=MOST_RUNGS)] = ()
    own: Piece | None = None


class ImportedGroup(BaseModel):
    """A group of a file: its pivot in the world, and the number of the group that it is in, which comes before it. Or
    one of the things that come with the file."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: str
    parent: int | None = None
    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY
    thing: str = ""
    extras: Extras | None = None


class ImportPieces(Tool):
    """New pieces from a file; the meshes are stored before the step is taken."""

    tool: Literal["import_pieces"] = "import_pieces"
    title = "Bring in"
    about = "Puts the meshes of a file onto the shelf"
    verb = "Make"
    stages = ("kit",)
    hidden = True
    unkept = frozenset({"pieces", "groups", "things"})
    adjustable = False
    icon = "import"

    file: str = field("", "File", "Name of the file", max_length=300)
    pieces: tuple[Imported, ...] = PydanticField(
        (), title="Pieces", description="What was in the file", max_length=100_000
    )
    groups: tuple[ImportedGroup, ...] = field((), "Groups", "The groups of the file", max_length=100_000)
    things: tuple[AnyThing, ...] = field(
        (), "Things", "Things of a level that the file was written from, as they were", max_length=MOST_PLACED
    )
    place: bool = field(False, "Place", "Put the pieces where they stood in the file")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        if not self.pieces and not (self.place and self.things):
            raise InputError("Nothing to bring in.", field="pieces")
        meshes = {p.mesh: draft.load(p.mesh) for p in self.pieces}
        facts_of = facts_of_small(meshes)
        facts_of |= {key: facts(mesh) for key, mesh in meshes.items() if key not in facts_of}
        total = sum(1 + (len(p.stands) if self.place else 0) for p in self.pieces)
        pieces = self._on_shelf(draft, meshes, facts_of, total)
        ids = {one.own.id: p.id for one, p in zip(self.pieces, pieces, strict=True) if one.own is not None}
        things = self._with_things(draft, ids)
        # what they have has been validated with the parameters, but for places with another pivot
        placed = Placement(id="placement", level=draft.level_id, name="piece", piece="piece")
        place = placed.maker()
        groups = {k: things[g.thing] for k, g in enumerate(self.groups) if g.thing in things}
        done = len(pieces)
        for one, piece in zip(self.pieces, pieces, strict=True):
            for values in self._placed(draft, one, piece, groups) if self.place else ():
                draft.put(placed.changed(**values) if one.base_pivot else place(values))
                done += 1
                if done % _BREATH == 0:
                    draft.tell(0.5 + 0.3 * done / total, "Placing them")
        draft.select = tuple(p.id for p in pieces)
        also = f" and {counted(len(things), 'thing', 'things')} of its level" if things else ""
        draft.note = f"{counted(len(pieces), 'piece', 'pieces')}{also} from {self.file}"

    def _on_shelf(
        self, draft: Draft, meshes: dict[str, PolyMesh], facts_of: dict[str, Facts], total: int
    ) -> list[Piece]:
        if not self.pieces:
            return []
        shelve = Piece(id="piece", name="piece", mesh="", facts=next(iter(facts_of.values()))).maker()
        made = []
        ids: dict[str, str] = {}
        for k, one in enumerate(self.pieces):
            if k % _BREATH == 0:
                draft.tell(0.5 + 0.3 * k / total, "Putting pieces onto the shelf")
            mesh = meshes[one.mesh]
            pivot = box_anchor(mesh, Along.MIDDLE, Along.LOW, Along.MIDDLE) if one.base_pivot else ORIGIN
            row = shelve(
                {
                    "id": draft.new_id("piece"),
                    "name": draft.unique_name(one.name, "piece"),
                    "mesh": one.mesh,
                    "materials": one.materials,
                    "pivot": pivot,
                    "facts": facts_of[one.mesh],
                }
            )
            if one.own is not None:
                row = one.own.changed(
                    id=row.id, name=row.name, mesh=row.mesh, materials=row.materials, facts=facts(mesh, one.own.axes)
                )
                ids[one.own.id] = row.id
            if one.rungs:
                row = row.changed(ladder=self._ladder(draft, row, mesh, one.rungs))
            draft.put(row)
            made.append(row)
        return [self._among(draft, row, one.own, ids) for row, one in zip(made, self.pieces, strict=True)]

    def _among(self, draft: Draft, row: Piece, own: Piece | None, ids: dict[str, str]) -> Piece:
        """A piece with those that it is given the ids that they have now."""
        if own is None or (own.twin is None and own.slim is None):
            return row
        slim = None
        if own.slim is not None and own.slim.piece in ids:
            source = next(p.own for p in self.pieces if p.own is not None and p.own.id == own.slim.piece)
            slim = own.slim.model_copy(update={"piece": ids[own.slim.piece], "mesh": source.mesh})
        row = row.changed(twin=ids.get(own.twin or ""), slim=slim)
        draft.put(row)
        return row

    def _ladder(self, draft: Draft, piece: Piece, mesh: PolyMesh, rungs: tuple[str, ...]) -> Ladder:
        """Meshes of a file as the rungs of a piece, measured."""
        found = []
        for k, key in enumerate(rungs, 1):
            draft.tell(0.5, f"Measuring rung {k} of {piece.name}")
            slim = draft.load(key)
            target = RungTarget(kind="count", value=max(1, slim.triangle_count))
            found.append(rung_of(target, key, slim, deviation(mesh, slim), f"{piece.name} {k}"))
        return Ladder(source=piece.mesh, rungs=tuple(sorted(found, key=lambda r: -r.triangles)))

    def _with_things(self, draft: Draft, pieces: dict[str, str]) -> dict[str, str]:
        """Put the things of the level that the file was written from; their ids by those that they had."""
        here = sorted(self.things, key=lambda t: row_order(t.id))
        ids = {t.id: draft.new_id(t.kind) for t in here}
        every = {**pieces, **ids}
        for thing in self.things:
            lost = [key for _, key in thing.needs() if key not in every]
            if lost:
                raise InputError(
                    f"{thing.name} needs {lost[0]}, which does not come with it; bring in both.", field="things"
                )
            row = under_new_ids(thing, draft.level_id, every)
            draft.put(row.changed(name=draft.unique_name(printable(row.name, row.kind), row.kind)))
        return ids

    def _placed(self, draft: Draft, one: Imported, piece: Piece, groups: dict[int, str]) -> Iterator[dict[str, object]]:
        """What each placement of a piece has, validated with the parameters already."""
        for k, (name, position, turn, size) in enumerate(one.stands):
            within = one.within[k] if k < len(one.within) else None
            yield {
                "id": draft.new_id("placement"),
                "name": name,
                "piece": piece.id,
                "group": None if within is None else self._group(draft, within, groups),
                "position": compensated(position, turn, size, ORIGIN, piece.pivot) if one.base_pivot else position,
                "turn": turn,
                "size": size,
                "extras": one.extras[k] if k < len(one.extras) else None,
            }

    def _group(self, draft: Draft, number: int, made: dict[int, str]) -> str:
        """The id of a group of the file, which is made when something is put into it, with those that it is in."""
        way: list[int] = []
        at: int | None = number
        while at is not None and at not in made:
            if not 0 <= at < len(self.groups) or (way and at >= way[-1]):
                raise InputError(f"There is no group {at} in the file before those that are in it.", field="groups")
            way.append(at)
            at = self.groups[at].parent
        for k in reversed(way):
            group = self.groups[k]
            row = Group(
                id=draft.new_id("group"),
                level=draft.level_id,
                name=draft.unique_name(group.name, "group"),
                group=None if group.parent is None else made[group.parent],
                position=group.position,
                turn=group.turn,
                extras=group.extras,
            )
            draft.put(row)
            made[k] = row.id
        return made[number]
