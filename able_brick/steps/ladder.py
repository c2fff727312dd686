"""Rungs of pieces: made, made again, and taken."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any, Literal

from able_brick.core.cache import ByteCache
from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.mesh_cache import mesh_bytes
from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh
from able_brick.core.place.pose import Vector
from able_brick.core.slim.deviation import Deviation, deviation
from able_brick.core.slim.ladder import Made, Target, ladder
from able_brick.core.slim.slimmed import Slimmed
from able_brick.core.slim.viewing import good_from
from able_brick.core.text import counted, grouped
from able_brick.level.field import field
from able_brick.level.rows import Kind, Ladder, Piece, Rung, RungTarget, Seams, SlimOrigin
from able_brick.level.rows.ladder import MOST_RUNGS, Side
from able_brick.level.sizing import largest_size, metric_of, sized
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, ProgressCallback, pieces_of
from able_brick.steps.seams import seam_vertices
from able_brick.steps.tool import Need, Tool

KINDS: tuple[Kind, ...] = ("piece", "placement", "array", "course")
_MADE: ByteCache[list[Made]] = ByteCache(96 * 2**20, lambda made: sum(mesh_bytes(m.slimmed.mesh) for m in made))
USUAL = tuple(RungTarget(kind="share", value=v) for v in (50.0, 25.0, 12.5))


def seams_field() -> Any:
    """Whether seams are found by themselves."""
    return field(True, "Keep seams", "Vertices where neighbours meet, and open borders, stay exactly where they are")


def sides_field() -> Any:
    """Sides of the box to be kept as well."""
    return field((), "Sides", "Vertices on these sides of the box stay as well", widget="sides", max_length=6)


def outline_field() -> Any:
    """Whether outlines count first."""
    return field(
        False, "Silhouette first", "What shows against the background counts before the form that lies inside it"
    )


class _Rungs(Tool):
    verb = "Slim"
    stages = ("slim",)
    need = Need(kinds=KINDS, least=1)
    icon = "align-end-horizontal"
    previews = False
    long = True

    @property
    def moves_nothing(self) -> bool:
        return True


class MakeLadder(_Rungs):
    """Rungs of the selected pieces, all from the piece itself."""

    tool: Literal["make_ladder"] = "make_ladder"
    title = "Make ladder"
    key = "Y"
    about = "Makes rungs with fewer triangles each, all from the piece as it is; they stay with the piece"

    rungs: tuple[RungTarget, ...] = field(
        USUAL, "Rungs", "What each rung is for", widget="rungs", min_length=1, max_length=MOST_RUNGS
    )
    keep_seams: bool = seams_field()
    sides: tuple[Side, ...] = sides_field()
    outline: bool = outline_field()
    recipe: str = field(
        "", "Recipe", "A name under which these settings are kept, to be used on any piece", max_length=80
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        pieces = pieces_of(draft, rows)
        seams = Seams(found=self.keep_seams, sides=self.sides)
        notes = [
            put_ladder(draft, p, self.rungs, seams, self.recipe, (k, len(pieces)), outline=self.outline)
            for k, p in enumerate(pieces)
        ]
        draft.note = "; ".join(notes[:3]) + (f"; and {len(notes) - 3} more" if len(notes) > 3 else "")


class RemakeLadder(_Rungs):
    """The ladders of pieces that have changed since, made again."""

    tool: Literal["remake_ladder"] = "remake_ladder"
    title = "Remake ladder"
    about = "Makes the rungs again with their own settings, from the piece as it is now"
    icon = "refresh-cw"
    instant = True
    adjustable = False

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        with_one = [(p, p.ladder) for p in pieces_of(draft, rows) if p.ladder is not None]
        if not with_one:
            raise SelectionError("Nothing that is selected has a ladder; make one first.")
        for k, (piece, old) in enumerate(with_one):
            targets = tuple(r.target for r in old.rungs if not r.brought)
            draft.note = put_ladder(
                draft, piece, targets, old.seams, old.recipe, (k, len(with_one)), outline=old.outline
            )


def rungs_of(
    mesh: PolyMesh,
    targets: list[Target],
    kept: Bools,
    tell: ProgressCallback,
    metric: Floats | None = None,
    *,
    outline: bool = False,
) -> list[Made]:
    """The rungs, made once: a step that is made again on other rows need not wait for them again."""
    own = kept.tobytes() + (b"" if metric is None else metric.tobytes())
    key = (mesh.content_hash, tuple(targets), outline, hashlib.blake2b(own, digest_size=16).digest())
    return _MADE.get(key, lambda: ladder(mesh, targets, locked=kept, progress=tell, metric=metric, outline=outline))


def origin_of(piece: Piece, mesh: PolyMesh, away: Deviation, size: Vector) -> SlimOrigin:
    """Where a mesh that was slimmed from a piece's comes from."""
    return SlimOrigin(
        piece=piece.id,
        mesh=piece.mesh,
        triangles=mesh.triangle_count,
        rms=away.rms,
        largest=away.largest,
        proven=True,
        size=size,
    )


def put_ladder(
    draft: Draft,
    piece: Piece,
    targets: tuple[RungTarget, ...],
    seams: Seams,
    recipe: str,
    place: tuple[int, int],
    *,
    outline: bool,
) -> str:
    """Give a piece a ladder; what there is to tell. `place` is which of how many pieces it is."""
    at, total = place

    def tell(share: float, words: str) -> None:
        draft.tell((at + share) / total, words if total == 1 else f"{piece.name}: {words}")

    tell(0.0, "Finding seams")
    mesh = draft.mesh(piece)
    if not mesh.triangle_count:
        raise GeometryError(f"{piece.name} has no faces to slim.")
    kept = seam_vertices(draft, piece, mesh, seams)
    size = largest_size(draft.snapshot, piece)
    metric = metric_of(size, piece)
    made = rungs_of(mesh, [t.meant() for t in targets], kept, tell, metric, outline=outline)
    # what was brought in is no work of this, and stays
    old_rungs = () if piece.ladder is None else piece.ladder.rungs
    brought = any(r.brought for r in old_rungs)
    rungs = []
    for target, one in zip(targets, made, strict=True):
        out = one.slimmed.mesh
        key, _ = draft.keep_mesh(out, piece.axes)
        rungs.append(rung_of(target, key, out, one.deviation, reached=one.slimmed.reached))
    rungs += [measured_again(draft, mesh, r, metric) for r in old_rungs if r.brought]
    rungs.sort(key=lambda r: -r.triangles if brought else 0)
    made_of = Ladder(
        source=piece.mesh,
        rungs=tuple(rungs),
        seams=seams,
        kept=int(kept.sum()),
        recipe=recipe,
        size=size,
        outline=outline,
    )
    draft.put(piece.changed(ladder=made_of))
    counts = " · ".join(grouped(r.triangles) for r in rungs)
    held = f", {counted(made_of.kept, 'vertex', 'vertices')} kept" if made_of.kept else ""
    gone = parts_gone([one.slimmed for one in made])
    return f"{piece.name}: {grouped(mesh.triangle_count)} → {counts} tris{held}{gone}{sized(size)}"


def parts_gone(slimmed: Sequence[Slimmed]) -> str:
    """How many small parts rungs are without, where they are without some."""
    most = max((s.gone for s in slimmed), default=0)
    if not most:
        return ""
    up_to = "up to " if len(slimmed) > 1 else ""
    return f", {up_to}{counted(most, 'small part', 'small parts')} let go"


def measured_again(draft: Draft, mesh: PolyMesh, rung: Rung, metric: Floats | None) -> Rung:
    """A rung as far as it is from the piece now."""
    own = draft.load(rung.mesh)
    away = deviation(mesh, own, metric=metric)
    return rung_of(rung.target, rung.mesh, own, away, rung.brought, reached=rung.reached)


def rung_of(
    target: RungTarget, key: str, mesh: PolyMesh, away: Deviation, brought: str = "", *, reached: bool = True
) -> Rung:
    return Rung(
        target=target,
        mesh=key,
        triangles=mesh.triangle_count,
        hardware_vertices=len(hardware_vertices(mesh)),
        largest=away.largest,
        rms=away.rms,
        good_from=good_from(away.largest),
        reached=reached,
        brought=brought,
        proven=True,
        met=away.met,
    )
