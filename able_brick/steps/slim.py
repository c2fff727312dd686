"""Reduce the triangles of a piece."""

from __future__ import annotations

from typing import Literal

from able_brick.core.slim.ladder import Target
from able_brick.core.text import at_most, grouped, millimetres
from able_brick.level.field import field
from able_brick.level.rows import AShown, Piece, Seams
from able_brick.level.sizing import largest_size, metric_of, sized
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft, pieces_of
from able_brick.steps.ladder import origin_of, outline_field, parts_gone, rungs_of, seams_field
from able_brick.steps.seams import seam_vertices
from able_brick.steps.tool import Need, Tool


class Slim(Tool):
    """Reduce the selected pieces to a share or a number of their triangles."""

    tool: Literal["slim"] = "slim"
    title = "Slim"
    about = "Reduces triangles; borders, materials, seams and sharp edges are kept"
    verb = "Slim"
    key = "S"
    stages = ("slim",)
    need = Need(kinds=("piece", "placement", "array", "course"), least=1)
    icon = "feather"
    previews = False
    long = True

    target: Literal["share", "count", "deviation", "pixels"] = field(
        "share", "Target", "A share or a number of the triangles, a largest deviation, or pixels at a distance"
    )
    share: float = field(
        25.0, "Share", "Triangles that are left", unit="%", step=5, gt=0, le=100, when={"target": ["share"]}
    )
    triangles: int = field(
        10_000,
        "Triangles",
        "At most this many are left",
        step=500,
        ge=1,
        le=50_000_000,
        when={"target": ["count"]},
    )
    deviation: float = field(
        5.0,
        "Deviation",
        "Nowhere farther from the piece than this, in the largest size that it stands in",
        unit="mm",
        step=1,
        gt=0,
        le=1e7,
        when={"target": ["deviation"]},
    )
    pixels: float = field(
        1.0,
        "Pixels",
        "It shows by no more than this, anywhere in a 16:9 picture",
        unit="px",
        step=0.5,
        gt=0,
        le=1000,
        when={"target": ["pixels"]},
    )
    distance: float = field(
        10.0, "Distance", "Seen from there", unit="m", step=1, gt=0, le=1e6, when={"target": ["pixels"]}
    )
    keep_seams: bool = seams_field()
    outline: bool = outline_field()
    result: Literal["new piece", "same piece"] = field(
        "new piece", "Result", "A new piece for the selected placements, or the piece itself, everywhere"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        notes: list[str] = []
        chosen: list[str] = []
        for piece in pieces_of(draft, rows):
            new = self._slimmed(draft, piece, notes)
            chosen.append(new.id)
            draft.put(new)
            if new.id != piece.id:
                for row in rows:
                    if isinstance(row, AShown) and piece.id in row.pieces:
                        draft.put(row.with_piece(piece.id, new.id))
        if all(isinstance(r, Piece) for r in rows):
            draft.select = tuple(chosen)
        draft.note = "; ".join(notes)

    def _meant(self) -> Target:
        values = {
            "share": self.share / 100,
            "count": float(self.triangles),
            "deviation": self.deviation / 1000,
            "pixels": self.pixels,
        }
        return Target(self.target, values[self.target], self.distance)

    def _slimmed(self, draft: Draft, piece: Piece, notes: list[str]) -> Piece:
        mesh = draft.mesh(piece)
        kept = seam_vertices(draft, piece, mesh, Seams(found=self.keep_seams))
        size = largest_size(draft.snapshot, piece)
        (made,) = rungs_of(mesh, [self._meant()], kept, draft.tell, metric_of(size, piece), outline=self.outline)
        out, away = made.slimmed, made.deviation
        key, facts = draft.keep_mesh(out.mesh, piece.axes)
        origin = origin_of(piece, mesh, away, size)
        short = "" if out.reached else ", all that its borders and seams allow"
        short += parts_gone([out])
        notes.append(
            f"{grouped(mesh.triangle_count)} → {grouped(facts.triangles)} tris{short}; "
            f"deviation {millimetres(away.rms)} RMS, {at_most(away.largest)} largest{sized(size)}"
        )
        fresh: dict[str, object] = {"mesh": key, "facts": facts, "slim": origin}
        if self.result == "new piece":
            share = 100 * facts.triangles / max(mesh.triangle_count, 1)
            fresh |= {
                "id": draft.new_id("piece"),
                "twin": None,
                "ladder": None,
                "name": draft.unique_name(f"{piece.name} {share:.0f} %", "piece"),
            }
        return piece.changed(**fresh)
