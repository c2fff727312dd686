"""One number of triangles shared by several pieces."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import SelectionError
from able_brick.core.slim.budget import BudgetShare, shared
from able_brick.core.slim.deviation import deviation
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Reducing
from able_brick.core.text import at_most, grouped
from able_brick.level.field import field
from able_brick.level.rows import Kind, Piece, Seams
from able_brick.level.sizing import largest_size, metric_of
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.ladder import origin_of, seams_field
from able_brick.steps.nearness import nearness_of
from able_brick.steps.seams import seam_vertices
from able_brick.steps.tool import Need, Tool

_KINDS: tuple[Kind, ...] = ("piece", "placement", "array", "course")


class ShareBudget(Tool):
    """Slim several pieces to one number of triangles: small and smooth ones give more."""

    tool: Literal["share_budget"] = "share_budget"
    title = "Share a budget"
    about = (
        "Slims all selected pieces to one number of triangles, as often as they stand in the level: what costs "
        "least is taken first, so that small and smooth pieces give more"
    )
    verb = "Slim"
    key = "B"
    stages = ("slim",)
    need = Need(kinds=_KINDS, least=1)
    icon = "chart-pie"
    previews = False
    long = True

    target: Literal["share", "count"] = field("share", "Target", "A share of all their triangles, or a number of them")
    share: float = field(
        50.0, "Share", "Triangles that are left of all", unit="%", step=5, gt=0, le=100, when={"target": ["share"]}
    )
    triangles: int = field(
        100_000,
        "Triangles",
        "At most this many are left, all items counted",
        step=1000,
        ge=1,
        le=1_000_000_000,
        when={"target": ["count"]},
    )
    keep_seams: bool = seams_field()
    weigh: Literal["alike", "by nearness"] = field(
        "alike", "Weigh", "All pieces alike, or what a player comes nearest to keeps more"
    )
    way: str | None = field(
        None,
        "Player's way",
        "The path that a player walks along; none for anywhere on the ground",
        widget="path",
        when={"weigh": ["by nearness"]},
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        pieces = pieces_of(draft, rows)
        near = nearness_of(draft, pieces, self.way if self.weigh == "by nearness" else None)
        uses = {p.id: max(1, near[p.id].uses) for p in pieces}
        sizes = {p.id: largest_size(draft.snapshot, p) for p in pieces}
        total = sum(uses[p.id] * p.facts.triangles for p in pieces)
        budget = self.triangles if self.target == "count" else round(total * self.share / 100)
        if not total:
            raise SelectionError("Nothing that is selected has faces to slim.")
        kept, parts = {}, []
        for k, piece in enumerate(pieces):
            draft.tell(0.6 * k / len(pieces), f"{piece.name}: finding what it can give")
            mesh = draft.mesh(piece)
            kept[piece.id] = seam_vertices(draft, piece, mesh, Seams(found=self.keep_seams))
            run = Reducing(mesh, locked=kept[piece.id])
            run.to(
                4,
                progress=lambda share, k=k, piece=piece: draft.tell(  # type: ignore[misc]
                    0.6 * (k + share) / len(pieces), f"{piece.name}: finding what it can give"
                ),
            )
            weight = near[piece.id].distance ** -2 if self.weigh == "by nearness" else 1.0
            weight *= float(np.prod(sizes[piece.id])) ** (4 / 3)  # costs are areas times squared distances
            parts.append(BudgetShare(mesh.triangle_count, uses[piece.id], weight, *run.trace()))
        notes = []
        left = 0
        for k, (piece, count) in enumerate(zip(pieces, shared(parts, budget), strict=True)):
            draft.tell(0.6 + 0.4 * k / len(pieces), f"{piece.name}: slimming")
            mesh = draft.mesh(piece)
            out = reduce_to(mesh, count, locked=kept[piece.id]).mesh
            left += uses[piece.id] * out.triangle_count
            if out is mesh:
                continue
            away = deviation(mesh, out, metric=metric_of(sizes[piece.id], piece))
            key, facts = draft.keep_mesh(out, piece.axes)
            origin = origin_of(piece, mesh, away, sizes[piece.id])
            draft.put(piece.changed(mesh=key, facts=facts, slim=origin))
            notes.append(
                f"{piece.name} {grouped(mesh.triangle_count)} → {grouped(facts.triangles)}, "
                f"{at_most(away.largest)} largest"
            )
        summary = "; ".join(notes[:6]) + (f"; and {len(notes) - 6} more" if len(notes) > 6 else "")
        draft.note = f"{grouped(total)} → {grouped(left)} tris in all. {summary}"
        if all(isinstance(r, Piece) for r in rows):
            draft.select = tuple(p.id for p in pieces)
