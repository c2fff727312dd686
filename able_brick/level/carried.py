"""What a file tells of the level that it was written from: the rows that its nodes would lose, and these read again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from pydantic import TypeAdapter, ValidationError

from able_brick.core.files.scene import KeptLevel, Scene
from able_brick.core.formats import FormatError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.text import clean_name
from able_brick.level.carried_meshes import MOST_CORNERS, mesh_as_rows
from able_brick.level.formats import row_format, upgraded_row
from able_brick.level.rows import AnyThing, AThing, Group, Piece, Standing
from able_brick.level.rows.ladder import Ladder
from able_brick.level.snapshot import Snapshot

FORMAT: Final = 1
_THING: Final[TypeAdapter[AThing]] = TypeAdapter(AnyThing)
_MOST: Final = 200_000


@dataclass(frozen=True)
class Carried:
    """Pieces by the ids that they had, and the things of the level that stand in the file as their rows say, with the
    ids that they had, those that others need before these. `sources` are what is said to be the meshes that are edited
    of pieces that are shown otherwise, by hash, which nobody has looked at yet."""

    pieces: dict[str, Piece] = field(default_factory=dict)
    things: tuple[AThing, ...] = ()
    sources: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Claim:
    """What of a scene is known from its level: the rows; and the numbers of the parts that only these show, as they are
    bent or mirrored."""

    carried: Carried = field(default_factory=Carried)
    shown: frozenset[int] = frozenset()

    @property
    def things(self) -> frozenset[str]:
        """The ids that the things had."""
        return frozenset(t.id for t in self.carried.things)


def claim_of(scene: Scene) -> Claim:
    """What of a scene stands as the level says that it was written from; nothing where it was written elsewhere."""
    if scene.kept is None:
        return Claim()
    carried = claimed(scene.kept, {p.piece for p in scene.parts if p.piece})
    if carried is None:
        return Claim()
    present = {t.id for t in carried.things}
    standing = {i.part for i in scene.instances}
    free = {i.part for i in scene.instances if i.thing not in present}
    shown = {k for k in standing - free if scene.parts[k].piece not in carried.pieces}
    return Claim(carried, frozenset(shown))


def carried_rows(
    snapshot: Snapshot, level: str, pieces: Iterable[str], load: Callable[[str], PolyMesh], *, rungs: bool
) -> dict[str, object]:
    """The rows of a level and of its pieces, as JSON, and the meshes of these that are edited where others are shown;
    without ladders where the `rungs` of pieces are not written."""
    shelf = []
    sources: dict[str, object] = {}
    room = MOST_CORNERS
    for key in pieces:
        piece = snapshot.pieces[key]
        if piece.live_finish is not None and piece.source not in sources:
            mesh = load(piece.source)
            room -= len(mesh.corners)
            rows = mesh_as_rows(mesh) if room >= 0 else None
            if rows is not None:
                sources[piece.source] = rows
        ladder = piece.ladder if rungs and fits(piece.ladder, piece) else None
        shelf.append(piece.changed(ladder=ladder).model_dump(mode="json"))
    things = [t.model_dump(mode="json") for t in snapshot.of(level).values()]
    kinds = {"piece", "level", *(t.kind for t in snapshot.of(level).values())}
    return {
        "format": FORMAT,
        "formats": {kind: row_format(kind) for kind in sorted(kinds)},
        "level": snapshot.level(level).model_dump(mode="json"),
        "pieces": shelf,
        **({"sources": sources} if sources else {}),
        "things": things,
    }


def fits(ladder: Ladder | None, piece: Piece) -> bool:
    """Whether there are rungs, and they are those of the mesh that the piece has now."""
    return ladder is not None and ladder.source == piece.mesh and bool(ladder.rungs)


def claimed(kept: KeptLevel, there: set[str]) -> Carried | None:
    """The pieces among those that are `there`, and the things that are as they were. None where rows are no rows."""
    rows = kept.rows
    try:
        if rows.get("format") != FORMAT:
            return None
        formats = _formats(rows)
        pieces = {p.id: p for p in _rows(rows, "pieces", formats, Piece.model_validate) if p.id in there}
        things = _rows(rows, "things", formats, _THING.validate_python)
    except (ValidationError, FormatError, TypeError, ValueError, KeyError, AttributeError):
        return None
    if len({t.id for t in things}) != len(things):
        return None
    waiting = [row for t in things if (row := _as_it_stands(t, kept)) is not None]
    present = {("piece", p) for p in pieces}
    order: list[AThing] = []
    # what others need comes first; what needs what is not there never comes
    while waiting:
        ready = [t for t in waiting if present.issuperset(t.needs())]
        if not ready:
            break
        order += ready
        present |= {(t.kind, t.id) for t in ready}
        waiting = [t for t in waiting if (t.kind, t.id) not in present]
    sources = rows.get("sources")
    return Carried(pieces, tuple(order), sources if isinstance(sources, dict) else {})


def _formats(rows: Mapping[str, Any]) -> dict[str, int]:
    found = rows.get("formats", {})
    return {str(k): int(v) for k, v in found.items()}


def _rows(rows: Mapping[str, Any], key: str, formats: Mapping[str, int], read: Callable[[Any], Any]) -> list[Any]:
    found = rows.get(key)
    if not isinstance(found, list) or len(found) > _MOST:
        raise ValueError
    return [read(upgraded_row(row, formats)) for row in found]


def _as_it_stands(thing: AThing, kept: KeptLevel) -> AThing | None:
    """The row of a thing, with the name that it has in the file; None where that shows something else."""
    if thing.id not in kept.written:
        there = thing.group is None or thing.group in kept.standing or thing.group not in kept.written
        return thing if there else thing.changed(group=None)
    if thing.id not in kept.standing:
        return None
    within, name, extras = kept.standing[thing.id]
    if within != (thing.group or ""):
        return None
    if isinstance(thing, (Standing, Group)) and (thing.extras or "") != extras:
        thing = thing.changed(extras=extras or None)
    return thing if not name or name == clean_name(thing.name) else thing.changed(name=name)


def under_new_ids(thing: AThing, level: str, ids: Mapping[str, str]) -> AThing:
    """A thing in another level, where it and what it needs have other ids."""
    row = thing.changed(id=ids[thing.id], level=level, **thing.copied(ids))
    # by names that no id has, as a new id may be an old one of another piece
    for piece in thing.pieces:
        row = row.with_piece(piece, f"new {ids[piece]}")
    for piece in thing.pieces:
        row = row.with_piece(f"new {ids[piece]}", ids[piece])
    if isinstance(row, Group) and row.strewn is not None:
        strewn = row.strewn
        whole = strewn.thing in ids and all(p in ids for p in strewn.pieces)
        new = {"thing": ids.get(strewn.thing), "pieces": tuple(ids.get(p, p) for p in strewn.pieces)}
        row = row.changed(strewn=strewn.model_copy(update=new) if whole else None)
    return row
