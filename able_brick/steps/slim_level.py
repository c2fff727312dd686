"""Rungs for all that stands in a level, by how near a player comes, within the level's budget."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from typing import Final, Literal

import numpy as np

from able_brick.core.cache import ByteCache
from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.mesh.polymesh import Bools, PolyMesh
from able_brick.core.slim.budget import BudgetShare, shared
from able_brick.core.slim.reduce import Reducing
from able_brick.core.text import counted, grouped
from able_brick.level.evaluate import shown_items
from able_brick.level.field import field
from able_brick.level.rows import Course, InstanceBatch, Piece, RungTarget, Seams, SlimOrigin
from able_brick.level.rows.instances import counts_of
from able_brick.level.sizing import largest_size, metric_of
from able_brick.level.snapshot import ARow, Snapshot
from able_brick.steps.draft import Draft, ProgressCallback
from able_brick.steps.ladder import put_ladder, rungs_of, seams_field
from able_brick.steps.nearness import Nearness, nearness_of, way_field
from able_brick.steps.seams import seam_vertices
from able_brick.steps.tool import Need, Tool

#: Rungs beyond the first are for so many times its distance.
_FARTHER: Final = (3.0, 9.0)
#: Times that a budget is shared again, where what is bent came to more than was computed with.
_MOST_TRIES: Final = 8
_TRACES: ByteCache[tuple[np.ndarray, np.ndarray]] = ByteCache(64 * 2**20, lambda t: t[0].nbytes + t[1].nbytes)


@dataclass(frozen=True, eq=False)
class _Plan:
    """What a piece would come to: how often it stands and how near, the triangles and target of its first rung,
    and whether any of its rungs has fewer triangles than it has."""

    piece: Piece
    near: Nearness
    triangles: int
    target: RungTarget
    gives: bool

    @property
    def words(self) -> str:
        fewer = f"{grouped(self.piece.facts.triangles)} → {grouped(self.triangles)}"
        return f"{self.piece.name} × {self.near.uses}, from {self.near.distance:.1f} m: {fewer}"


class SlimLevel(Tool):
    """Ladders for all pieces of the level."""

    tool: Literal["slim_level"] = "slim_level"
    title = "Slim for this level"
    about = (
        "Makes rungs for every piece that stands here, by how near a player comes to it, within a number of triangles"
    )
    verb = "Slim"
    key = "A"
    stages = ("slim",)
    need = Need()
    icon = "layers-2"
    previews = False
    long = True
    prefill = True

    budget: int = field(100_000, "Budget", "Triangles that the level may have", step=1000, ge=1, le=1_000_000_000)
    pixels: float = field(
        1.0, "Pixels", "No finer than shows by so many pixels where a player comes nearest", step=0.5, gt=0, le=100
    )
    way: str | None = way_field()
    keep_seams: bool = seams_field()
    result: Literal["ladders", "first rungs"] = field(
        "ladders", "Result", "Ladders beside the pieces as they are, or their first rungs in place of the pieces"
    )
    only_plan: bool = field(False, "Only plan", "Tell what it would come to, and change nothing", widget="none")

    @property
    def moves_nothing(self) -> bool:
        return self.result == "ladders"

    @property
    def plans(self) -> bool:
        return self.only_plan

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        pieces = [p for p in draft.snapshot.pieces.values() if p.facts.triangles and draft.things.users(p.id)]
        if not pieces:
            raise SelectionError("Nothing stands in this level yet; place a piece first.")
        near = nearness_of(draft, pieces, self.way)
        seams = Seams(found=self.keep_seams)
        total = len(pieces)
        kept = {p.id: seam_vertices(draft, p, draft.mesh(p), seams) for p in pieces}
        plans, before, after = self._planned(draft, pieces, near, kept)
        lines = [p.words for p in sorted(plans, key=lambda p: p.near.uses * (p.triangles - p.piece.facts.triangles))]
        over = "" if after <= self.budget else f", {grouped(after - self.budget)} over the budget: no form gives more"
        draft.note = "\n".join([f"{grouped(before)} → {grouped(after)} tris with the first rungs{over}", *lines])
        if self.only_plan:
            return
        for k, plan in enumerate(plans):
            if not plan.gives:
                continue
            farther = [RungTarget(kind="pixels", value=self.pixels, distance=f * plan.near.distance) for f in _FARTHER]
            held = plan.piece.ladder is not None and plan.piece.ladder.outline
            targets = (plan.target, *farther)
            put_ladder(draft, plan.piece, targets, seams, "", (total + k, 2 * total), outline=held)
            if self.result == "first rungs":
                _take_first(draft, plan.piece.id)
        what = "ladders" if self.result == "ladders" else "pieces slimmed, with ladders"
        given = sum(p.gives for p in plans)
        draft.note = f"{counted(given, 'piece', 'pieces')}: {what}; {grouped(before)} → {grouped(after)} tris{over}"

    def _planned(
        self, draft: Draft, pieces: list[Piece], near: dict[str, Nearness], kept: dict[str, Bools]
    ) -> tuple[list[_Plan], int, int]:
        """What each piece comes to, and the triangles of the level before and after."""
        total = len(pieces)
        by_eye: list[int] = []
        fewest: list[int] = []
        parts: list[BudgetShare] = []
        for k, piece in enumerate(pieces):

            def tell(share: float, words: str, k: int = k, name: str = piece.name) -> None:
                draft.tell((k + share) / (2 * total), f"{name}: {words}")

            mesh, found = draft.mesh(piece), near[piece.id]
            targets = [
                RungTarget(kind="pixels", value=self.pixels, distance=f * found.distance).meant()
                for f in (1.0, *_FARTHER)
            ]
            size = largest_size(draft.snapshot, piece)
            made = rungs_of(
                mesh,
                targets,
                kept[piece.id],
                lambda s, w, tell=tell: tell(0.7 * s, w),  # type: ignore[misc]
                metric_of(size, piece),
            )
            by_eye.append(made[0].slimmed.mesh.triangle_count)
            fewest.append(made[-1].slimmed.mesh.triangle_count)
            left, cost = _trace(mesh, kept[piece.id], lambda s, w, tell=tell: tell(0.7 + 0.3 * s, w))  # type: ignore[misc]
            weight = found.distance**-2 * float(np.prod(size)) ** (4 / 3)  # costs are areas times squared distances
            parts.append(BudgetShare(mesh.triangle_count, max(found.uses, 1), weight, left, cost))
        plans = [
            _Plan(p, near[p.id], c, self._target(near[p.id], c, c), min(f, c) < p.facts.triangles)
            for p, c, f in zip(pieces, by_eye, fewest, strict=True)
        ]
        standing = {p.id: _Standing(draft, p, near[p.id].uses, kept[p.id]) for p in pieces}
        before = sum(standing[p.id].of(draft.mesh(p)) for p in pieces)
        after = sum(standing[p.piece.id].planned(p) for p in plans)
        # what is bent is divided, and has more triangles than its piece: how many is known when that is made
        aim = float(self.budget)
        for _ in range(_MOST_TRIES):
            if after <= self.budget:
                break
            least = [int(p.left[-1]) if len(p.left) else p.triangles for p in parts]
            with suppress(GeometryError):  # else as few as can be, and the excess is reported
                least = shared(parts, max(1, int(aim)))
            counts = [min(a, b) for a, b in zip(by_eye, least, strict=True)]
            plans = [
                _Plan(p, near[p.id], c, self._target(near[p.id], c, e), min(f, c) < p.facts.triangles)
                for p, c, e, f in zip(pieces, counts, by_eye, fewest, strict=True)
            ]
            draft.tell(0.5, "Counting what stands")
            after, last = sum(standing[p.piece.id].planned(p) for p in plans), after
            if after == last:
                break
            aim = min(aim - 1, aim * self.budget / max(1, after)) if after > self.budget else aim
        return plans, before, after

    def _target(self, near: Nearness, count: int, by_eye: int) -> RungTarget:
        if count == by_eye:
            return RungTarget(kind="pixels", value=self.pixels, distance=near.distance)
        return RungTarget(kind="count", value=count)


@dataclass(frozen=True, eq=False)
class _Standing:
    """How many triangles all items of a piece have in the level."""

    draft: Draft
    piece: Piece
    uses: int
    kept: Bools

    def planned(self, plan: _Plan) -> int:
        """With the first rung of a plan."""
        if not self._bending:
            return self.uses * plan.triangles
        metric = metric_of(largest_size(self.draft.snapshot, self.piece), self.piece)
        mesh = self.draft.mesh(self.piece)
        (made,) = rungs_of(mesh, [plan.target.meant()], self.kept, self.draft.tell, metric)
        return self.of(made.slimmed.mesh)

    def of(self, mesh: PolyMesh) -> int:
        """With another mesh in place of the piece's."""
        if not self._bending:
            return self.uses * mesh.triangle_count
        trial = Draft(self.draft.snapshot, self.draft.level_id, self.draft.load)
        key, facts = trial.keep_mesh(mesh, self.piece.axes)
        trial.put(self.piece.changed(mesh=key, facts=facts))
        batches = self._batches(trial.seen())
        counts = counts_of(batches, trial.mesh_at)
        bent = sum(len(b.numbers) * t for b, (t, _) in zip(batches, counts, strict=True))
        return bent + self._single * mesh.triangle_count

    def _batches(self, snapshot: Snapshot) -> list[InstanceBatch]:
        """The items of the piece in courses that are bent."""
        shown = [shown_items(snapshot, course) for course in self._bending]
        return [b for s in shown if s is not None for b in s.batches if b.drawable.piece.id == self.piece.id]

    @cached_property
    def _single(self) -> int:
        """How many others there are: a course may have more or fewer items of another mesh."""
        return self.uses - sum(len(b.numbers) for b in self._batches(self.draft.snapshot))

    @cached_property
    def _bending(self) -> list[Course]:
        return [t for t in self.draft.things.users(self.piece.id) if isinstance(t, Course) and t.bend]


def _trace(mesh: PolyMesh, kept: Bools, tell: ProgressCallback) -> tuple[np.ndarray, np.ndarray]:
    """What it costs a mesh to come down, computed once."""

    def made() -> tuple[np.ndarray, np.ndarray]:
        run = Reducing(mesh, locked=kept)
        run.to(4, progress=lambda share: tell(share, "finding what it can give"))
        return run.trace()

    return _TRACES.get((mesh.content_hash, kept.tobytes()), made)


def _take_first(draft: Draft, key: str) -> None:
    """The first rung in place of a piece; the others stay as its rungs."""
    piece = draft.piece(key)
    if piece.ladder is None:
        return
    first, *rest = piece.ladder.rungs
    if first.triangles == piece.facts.triangles:
        return
    mesh, facts = draft.keep_mesh(draft.mesh(piece.changed(mesh=first.mesh)), piece.axes)
    origin = SlimOrigin(
        piece=piece.id,
        mesh=piece.ladder.source,
        triangles=piece.facts.triangles,
        rms=first.rms,
        largest=first.largest,
        proven=first.proven,
        size=piece.ladder.size,
    )
    ladder = piece.ladder.model_copy(update={"source": mesh, "rungs": tuple(rest)})
    draft.put(piece.changed(mesh=mesh, facts=facts, slim=origin, ladder=ladder))
