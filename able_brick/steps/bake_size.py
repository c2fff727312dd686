"""Bake sizes into the mesh, so that 1 is 1 again."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError, InputError, SelectionError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import IDENTITY, ONE, ORIGIN, rotation, vector
from able_brick.core.place.sizes import sized
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Array, Course, Dimensions, MirrorPlane, Piece, Placement, Scaling, Vector
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, standing
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import everything


class BakeSize(Tool):
    """Put a size other than 1 into the mesh; nothing that is seen changes.

    A drawn shape keeps its dimensions live where it is the same shape in another size.
    """

    tool: Literal["bake_size"] = "bake_size"
    title = "Bake size"
    about = "Bakes a size other than 1 into the mesh; nothing looks different afterwards"
    verb = "Place"
    stages = ("kit", "build")
    need = Need(kinds=("placement", "array", "group"), least=1)
    icon = "ruler"

    result: Literal["new piece", "same piece"] = field(
        "new piece",
        "Result",
        "A piece of its own for what is selected, or the piece itself: its other uses are resized to look the same",
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        unclean = [t for t in standing(everything(draft, rows)) if t.size != ONE]
        if not unclean:
            raise InputError("Every size in the selection is 1 already; there is nothing to bake.", field="size")
        sizes: dict[tuple[str, Vector], list[Placement | Array]] = {}
        for thing in unclean:
            sizes.setdefault((thing.piece, thing.size), []).append(thing)
        for (piece_id, size), things in sizes.items():
            piece = draft.piece(piece_id)
            if self.result == "new piece":
                new = self._resized(draft, piece, size, own=True)
                draft.put(new)
                for thing in things:
                    draft.put(thing.changed(piece=new.id, size=ONE))
                continue
            if sum(p == piece_id for p, _ in sizes) > 1:
                raise SelectionError(
                    f"The selection has {piece.name} in several sizes; bake one size into it at a time.",
                    received=[t.id for t in unclean],
                )
            self._everywhere(draft, piece, size)
        draft.note = f"{counted(len(unclean), 'thing has', 'things have')} size 1 now"

    def _resized(self, draft: Draft, piece: Piece, size: Vector, *, own: bool) -> Piece:
        fresh = _still_drawn(draft, piece, size)
        if fresh is None:
            wanted = sized(draft.mesh(piece), size, piece.pivot, piece.axes)
            fresh = _still_finished(draft, piece, size, wanted)
        if fresh is None:
            key, facts = draft.keep_mesh(wanted, piece.axes)
            fresh = {"mesh": key, "facts": facts}
        if own:
            fresh |= {"id": draft.new_id("piece"), "twin": None, "name": draft.unique_name(piece.name, "piece")}
        return piece.changed(**fresh)

    def _everywhere(self, draft: Draft, piece: Piece, size: Vector) -> None:
        draft.watch(piece)
        draft.put(self._resized(draft, piece, size, own=False))
        for user in draft.users(piece.id):
            if isinstance(user, Course):
                raise SelectionError(
                    f"{user.name} lays {piece.name} without a size, so it would change. "
                    "Bake into a piece of its own instead.",
                    id=user.id,
                )
            rest = tuple(float(v) for v in np.divide(user.size, size))
            draft.put(user.changed(size=ONE if user.size == size else rest))


def _still_finished(draft: Draft, piece: Piece, size: Vector, wanted: PolyMesh) -> dict[str, object] | None:
    """What changes of a piece that is still finished live in another size; None where it is no more, as where its plane
    leans."""
    finish = piece.live_finish
    if finish is None:
        return None
    if finish.mirror is not None:
        matrix = Scaling(np.asarray(size), rotation(piece.axes), np.asarray(piece.pivot))
        normal = np.linalg.inv(matrix.matrix()).T @ np.asarray(finish.mirror.normal)
        plane = MirrorPlane(
            point=matrix.point(finish.mirror.point), normal=vector(normal / float(np.linalg.norm(normal)))
        )
        finish = finish.model_copy(update={"mirror": plane})
    try:
        made = draft.finished(piece, sized(draft.source(piece), size, piece.pivot, piece.axes), finish)
    except GeometryError:
        return None
    # a mirroring size goes round faces the other way, which numbers what they are divided into otherwise
    if not _same_places(draft.mesh(made), wanted):
        return None
    return {"mesh": made.mesh, "facts": made.facts, "finish": made.finish}


def _still_drawn(draft: Draft, piece: Piece, size: Vector) -> dict[str, object] | None:
    """What changes of a piece that is still drawn from its dimensions in another size; None where it is no more.

    The shape is measured from its base, so its pivot is carried along instead of the mesh. Textures would lie on its
    sides as on a new shape, not as they are seen.
    """
    old = piece.dimensions
    textured = any(m.texture for m in piece.materials)
    if (
        old is None
        or not piece.live
        or piece.axes != IDENTITY
        or textured
        or piece.slim
        or min(size) <= 0
        or piece.finish
    ):
        return None
    shape = old.shape.resized(size)
    if shape is None:
        return None
    try:
        mesh = shape.mesh()
    except GeometryError:
        return None
    wanted = sized(draft.mesh(piece), size, ORIGIN)
    if not _alike(mesh, wanted):
        return None
    key, facts = draft.keep_mesh(mesh)
    pivot = vector(np.multiply(piece.pivot, size))
    return {"mesh": key, "facts": facts, "pivot": pivot, "dimensions": Dimensions(shape=shape, mesh=key)}


def _alike(a: PolyMesh, b: PolyMesh) -> bool:
    """Whether two meshes have the same faces in the same places, but for rounding."""
    return (
        np.array_equal(a.face_starts, b.face_starts)
        and np.array_equal(a.corners, b.corners)
        and np.array_equal(a.sharp, b.sharp)
        and _same_places(a, b)
    )


def _same_places(a: PolyMesh, b: PolyMesh) -> bool:
    if a.positions.shape != b.positions.shape or a.face_count != b.face_count:
        return False
    far = float(np.abs(a.positions - b.positions).max(initial=0.0))
    return far <= 1e-10 * max(1.0, float(np.abs(b.positions).max(initial=0.0)))
