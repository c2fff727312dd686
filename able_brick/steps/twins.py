"""Mirrored twins of pieces: made once, named, and kept up with what they mirror."""

from __future__ import annotations

from collections.abc import Iterable

from able_brick.core.place.mirror import axes_over, mirrored, symmetries
from able_brick.core.place.pose import IDENTITY
from able_brick.level.rows import Piece
from able_brick.steps.draft import Draft


def own_mirror(draft: Draft, pieces: Iterable[Piece]) -> int | None:
    """The first axis of their pivots along which all pieces are their own mirror images, the pivot in the middle; None
    where there is none."""
    every = list(pieces)
    return next((k for k in (0, 2, 1) if all(is_own_mirror(draft, p, k) for p in every)), None)


def is_own_mirror(draft: Draft, piece: Piece, axis: int) -> bool:
    """Whether a piece is its own mirror image along an axis of its pivot, the pivot in the middle."""
    if piece.axes != IDENTITY:
        return False
    low, high = piece.box_about_pivot()
    grain = 1e-9 * max(1.0, float(max(abs(low).max(), abs(high).max())))
    return abs(low[axis] + high[axis]) <= grain and symmetries(draft.mesh(piece))[axis]


def twin_of(draft: Draft, piece: Piece) -> Piece:
    """The mirrored twin of a piece, made where there is none yet; of a twin the piece itself."""
    if piece.twin is not None:
        original = draft.found_piece(piece.twin)
        if original is not None:
            return original
    for row in draft.all_pieces():
        if row.twin == piece.id:
            return row
    twin = Piece(
        id=draft.new_id("piece"), name=draft.unique_name(f"{piece.name} mirrored", "piece"), **_over(draft, piece)
    )
    twin = twin.changed(twin=piece.id)
    draft.put(twin)
    return twin


def _over(draft: Draft, piece: Piece) -> dict[str, object]:
    """What a twin has of a piece, turned over."""
    x, y, z = piece.pivot
    axes = axes_over(piece.axes)
    turned = turned_round(draft, piece.changed(axes=axes), 0)
    return {
        "mesh": turned.mesh,
        "facts": turned.facts,
        "finish": turned.finish,
        "pivot": (-x + 0.0, y, z),
        "axes": axes,
        "materials": piece.materials,
        "tags": piece.tags,
    }


def turned_round(draft: Draft, piece: Piece, axis: int) -> Piece:
    """A piece with its mesh mirrored along an axis, and what makes it."""
    finish = piece.live_finish
    if finish is not None:
        return draft.finished(piece, mirrored(draft.source(piece), axis), finish.over(axis))
    key, facts = draft.keep_mesh(mirrored(draft.mesh(piece), axis), piece.axes)
    return piece.changed(mesh=key, facts=facts)


def twins_of(draft: Draft, piece: Piece) -> list[Piece]:
    """The pieces that are mirror images of a piece, or that it is one of."""
    pairs = [row for row in draft.all_pieces() if row.twin == piece.id]
    if piece.twin is not None and (original := draft.found_piece(piece.twin)) is not None:
        pairs.append(original)
    return pairs


def keep_twins(draft: Draft) -> None:
    """Have twins follow what a step has changed of the pieces that they mirror, and the other way round."""
    changed = draft.changed_pieces()
    for piece in changed:
        for other in twins_of(draft, piece):
            if any(other.id == c.id for c in changed):
                continue
            over = _over(draft, piece)
            if any(getattr(other, k) != v for k, v in over.items()):
                draft.watch(other)
                draft.put(other.changed(**over, dimensions=None, slim=None))
