"""Bring meshes of a file onto the shelf, and into the level where asked."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict
from pydantic import Field as PydanticField

from able_brick.core.errors import InputError
from able_brick.core.place.pivots import Along, box_anchor, compensated
from able_brick.core.place.pose import IDENTITY, ORIGIN
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Group, Piece, Placement, Quaternion, Surface, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, facts, facts_of_small
from able_brick.steps.tool import Tool

#: More places than these are not taken from one file.
MOST_PLACED: Final = 200_000
#: Rows after which it is told how far it is.
_BREATH: Final = 1000


@dataclass(frozen=True)
class Imported:
    """One mesh that has been read and stored under its hash, with the places where it stood in the file: what each is
    called, its position, turn and size.

    The pivot is the mesh's origin, or with `base_pivot` the middle of the box's underside. `within` are the numbers of
    the groups that the places are in; none where it is left out. What arrives as parameters is validated; who makes
    one answers for its numbers.
    """

    __pydantic_config__ = ConfigDict(extra="forbid", allow_inf_nan=False)

    name: str
    mesh: str
    materials: Annotated[tuple[Surface, ...], PydanticField(max_length=1000)]
    stands: Annotated[tuple[tuple[str, Vector, Quaternion, Vector], ...], PydanticField(max_length=MOST_PLACED)] = ()
    within: Annotated[tuple[int | None, ...], PydanticField(max_length=MOST_PLACED)] = ()
    base_pivot: bool = False


class ImportedGroup(BaseModel):
    """A group of a file: its pivot in the world, and the number of the group that it is in, which comes before it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: str
    parent: int | None = None
    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY


class ImportPieces(Tool):
    """New pieces from a file; the meshes are stored before the step is taken."""

    tool: Literal["import_pieces"] = "import_pieces"
    title = "Bring in"
    about = "Puts the meshes of a file onto the shelf"
    verb = "Make"
    stages = ("kit",)
    hidden = True
    unkept = frozenset({"pieces", "groups"})
    adjustable = False
    icon = "import"

    file: str = field("", "File", "Name of the file", max_length=300)
    pieces: tuple[Imported, ...] = PydanticField(
        (), title="Pieces", description="What was in the file", max_length=100_000
    )
    groups: tuple[ImportedGroup, ...] = field((), "Groups", "The groups of the file", max_length=100_000)
    place: bool = field(False, "Place", "Put the pieces where they stood in the file")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        if not self.pieces:
            raise InputError("Nothing to bring in.", field="pieces")
        made: list[str] = []
        groups: dict[int, str] = {}
        meshes = {p.mesh: draft.load(p.mesh) for p in self.pieces}
        known = facts_of_small(meshes)
        known |= {key: facts(mesh) for key, mesh in meshes.items() if key not in known}
        placed = Placement(id="placement", level=draft.level_id, name="piece", piece="piece")
        on_shelf = Piece(id="piece", name="piece", mesh="", facts=next(iter(known.values())))
        # what they have has been validated with the parameters, but for places with another pivot
        place, shelve = placed.maker(), on_shelf.maker()
        total = sum(1 + (len(p.stands) if self.place else 0) for p in self.pieces)
        done = 0
        for one in self.pieces:
            done += 1
            if done % _BREATH == 0:
                draft.tell(0.5 + 0.3 * done / total, "Putting pieces onto the shelf")
            mesh = meshes[one.mesh]
            pivot = box_anchor(mesh, Along.MIDDLE, Along.LOW, Along.MIDDLE) if one.base_pivot else ORIGIN
            piece = shelve(
                {
                    "id": draft.new_id("piece"),
                    "name": draft.unique_name(one.name, "piece"),
                    "mesh": one.mesh,
                    "materials": one.materials,
                    "pivot": pivot,
                    "facts": known[one.mesh],
                }
            )
            draft.put(piece)
            made.append(piece.id)
            for values in self._placed(draft, one, piece, groups) if self.place else ():
                draft.put(placed.changed(**values) if one.base_pivot else place(values))
                done += 1
                if done % _BREATH == 0:
                    draft.tell(0.5 + 0.3 * done / total, "Placing them")
        draft.select = tuple(made)
        draft.note = f"{counted(len(made), 'piece', 'pieces')} from {self.file}"

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
            )
            draft.put(row)
            made[k] = row.id
        return made[number]
