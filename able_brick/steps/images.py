"""Mirror images that show the very piece that they mirror, for as long as it is its own mirror image."""

from __future__ import annotations

from collections.abc import Iterable

from able_brick.core.place.mirror import Reflection, half_turned
from able_brick.core.text import counted
from able_brick.level.rows import Array, OtherItem, Piece, Placement, Standing
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.twins import is_own_mirror, keep_twins, own_mirror, turned_round, twin_of, twins_of

_AXES = "xyz"


def image_of(draft: Draft, thing: Placement | Array, over: Reflection) -> Placement | Array:
    """What stands on the other side: it shows the mirrored twins of its pieces, or the pieces themselves where all are
    their own mirror images along one axis."""
    pieces = [draft.piece(p) for p in thing.pieces]
    back = None if thing.image is None else _AXES.index(thing.image)
    if back is not None and not all(is_own_mirror(draft, p, back) for p in pieces):
        back = None
    own = own_mirror(draft, pieces) if back is None else back
    axis = 0 if own is None else own
    image = None if own is None or back is not None else _AXES[own]
    made = _of_twins(draft, thing) if own is None else thing
    changes: dict[str, object] = {
        "position": over.point(thing.position),
        "turn": over.turn(thing.turn, axis),
        "image": image,
    }
    if isinstance(thing, Array):
        changes |= thing.turned_over(axis)
    return made.changed(**changes)


def _of_twins(draft: Draft, thing: Placement | Array) -> Placement | Array:
    def twin(piece: str) -> str:
        return twin_of(draft, draft.piece(piece)).id

    changes: dict[str, object] = {"piece": twin(thing.piece)}
    if isinstance(thing, Array):
        changes["others"] = tuple(
            o if o.piece is None else OtherItem(item=o.item, piece=twin(o.piece)) for o in thing.others
        )
    return thing.changed(**changes)


def parted(draft: Draft, thing: Placement | Array) -> Placement | Array:
    """An image as one that shows the twins of its pieces, mirrored along X, where it was mirrored along its own axis:
    half a turn lies between the two."""
    axis = _AXES.index(thing.image or "x")
    made = _of_twins(draft, thing).changed(image=None)
    if axis == 0:
        return made
    made = made.changed(turn=half_turned(made.turn, 3 - axis))
    for across in (axis, 0):
        if isinstance(made, Array):
            made = made.changed(**made.turned_over(across))
    return made


def beside(draft: Draft, row: Array, piece: Piece) -> Array:
    """A row that is an image, as one in which a piece may stand as it is: the row of a twin, where that piece is not
    its own mirror image."""
    if row.image is None or is_own_mirror(draft, piece, _AXES.index(row.image)):
        return row
    made = parted(draft, row)
    return made if isinstance(made, Array) else row


def part_images(draft: Draft, piece: Piece, after: Piece) -> int:
    """Have the images that show a piece show its twin, where the piece is not its own mirror image `after` a change;
    how many there are."""
    count = 0
    whole: dict[str, bool] = {}
    for user in draft.users(piece.id):
        if getattr(user, "image", None) is None:
            continue
        row = draft.now(user)
        if not isinstance(row, Standing) or row.image is None or piece.id not in row.pieces:
            continue
        if row.image not in whole:
            whole[row.image] = is_own_mirror(draft, after, _AXES.index(row.image))
        if not whole[row.image]:
            draft.put(parted(draft, row))
            count += 1
    return count


def keep_mirrors(draft: Draft, rows: Iterable[ARow]) -> None:
    """Have twins follow what a step has changed of the pieces that they mirror, and images become those of twins where
    their piece is no longer its own mirror image."""
    through = next(iter(rows), None)
    notes = []
    edited = None
    for piece in draft.changed_pieces():
        turned = _edited_through(draft, piece, through)
        if turned is not None:
            draft.put(turned)
            edited = piece.source
        count = sum(part_images(draft, p, turned or piece) for p in (piece, *twins_of(draft, piece)))
        if count:
            one = counted(count, "mirror image shows", "mirror images show")
            notes.append(f"{one} {twin_of(draft, piece).name} from now on")
    for row in _with_others(draft, rows):
        draft.put(parted(draft, row))
    keep_twins(draft)
    if edited is not None and through is not None:
        _go_along(draft, edited, draft.now(through))
    if notes:
        draft.note = "; ".join([draft.note, *notes] if draft.note else notes)


def _edited_through(draft: Draft, piece: Piece, through: ARow | None) -> Piece | None:
    """A piece of which elements were edited at one of its images, as those see it that are none."""
    if not isinstance(through, Standing) or through.image is None or through.piece != piece.id:
        return None
    if draft.elements is None or draft.elements.mesh != piece.source:
        return None
    axis = _AXES.index(through.image)
    if is_own_mirror(draft, piece, axis):
        return None
    pivot = tuple(-v + 0.0 if k == axis else v for k, v in enumerate(piece.pivot))
    return turned_round(draft, piece, axis).changed(pivot=pivot)


def _with_others(draft: Draft, rows: Iterable[ARow]) -> list[Placement | Array]:
    """Selected images that have come to show pieces that are not their own mirror images."""
    out: list[Placement | Array] = []
    for row in rows:
        now = draft.now(row)
        if not isinstance(row, Standing) or not isinstance(now, Standing) or now.image is None:
            continue
        axis = _AXES.index(now.image)
        if now.pieces != row.pieces and not all(is_own_mirror(draft, draft.piece(p), axis) for p in now.pieces):
            out.append(now)
    return out


def _go_along(draft: Draft, edited: str, row: ARow | None) -> None:
    """What is picked of the edited mesh is picked of the twin that the row shows: its elements are numbered alike."""
    if not isinstance(row, Standing):
        return
    mesh = draft.piece(row.piece).source
    if draft.elements is not None and draft.elements.mesh == edited:
        draft.elements = draft.elements.model_copy(update={"mesh": mesh})
    if draft.ended is not None and draft.ended.mesh == edited:
        draft.ended = draft.ended.model_copy(update={"mesh": mesh})
