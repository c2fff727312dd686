"""From rows to what stands in the level: poses of every item, counts against the budget, findings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from able_brick.core.errors import GeometryError
from able_brick.core.text import grouped
from able_brick.level.findings import Finding, course_findings
from able_brick.level.repeats import repeated
from able_brick.level.rows import Course, Path, Shown
from able_brick.level.rows.shown import Load
from able_brick.level.snapshot import AThing, Snapshot, Things

#: Nothing may stand farther from the origin than this, metres.
FARTHEST: Final = 1e7
_MOST_TOLD: Final = 50


def items_of(snapshot: Snapshot, thing: AThing) -> Shown | None:
    """Every item of a thing; None for what draws no piece, and where its piece or path is missing.

    Raises GeometryError for runs that cannot be.
    """
    around = snapshot.around(thing.level)
    shown = thing.shown(around)
    return shown if shown is None or thing.group is None else repeated(shown, thing, around)


def shown_items(snapshot: Snapshot, thing: AThing) -> Shown | None:
    """The same; also None for a run that cannot be, which is told as a finding instead."""
    try:
        return items_of(snapshot, thing)
    except GeometryError:
        return None


def check_reach(thing: AThing, shown: Shown) -> None:
    """GeometryError where an item stands beyond what numbers are kept for."""
    far = shown.farthest
    if not far <= FARTHEST:
        raise GeometryError(
            f"{thing.name} would reach {far / 1000:.3g} km from the origin; nothing stands beyond 10 000 km. "
            "Ask for fewer items or less distance.",
            id=thing.id,
            received=far,
            allowed=FARTHEST,
        )


@dataclass(frozen=True)
class PieceUse:
    """How often a piece stands in the level, and what it costs."""

    piece: str
    items: int
    triangles: int


@dataclass(frozen=True)
class Summary:
    """The level against its budget."""

    triangles: int
    hardware_vertices: int
    draw_calls: int
    placements: int
    uses: tuple[PieceUse, ...]
    findings: tuple[Finding, ...]


def summary(snapshot: Snapshot, level: str, load: Load) -> Summary:
    """Counts of everything that stands in the level, by piece, most triangles first; and the findings."""
    things = snapshot.of(level)
    pieces = snapshot.pieces
    # what stands singly counts by its index; what is shown more than once by its items
    singles = {p: len(users) for p, users in things.uses.items() if p in pieces}
    for thing in (*things.runs_and_paths, *things.repeated):
        for p in thing.pieces:
            if p in singles:
                singles[p] -= 1
    items = dict(singles)
    cost = {p: (n * pieces[p].facts.triangles, n * pieces[p].facts.hardware_vertices) for p, n in items.items()}
    forms: set[tuple[str, str]] = set()
    findings = _missing(snapshot, things)
    around = snapshot.around(level)
    for thing in (*things.runs_and_paths, *things.repeated):
        try:
            found = items_of(snapshot, thing)
            if isinstance(thing, Course) and found is not None:
                findings += course_findings(thing, thing.laid(around), around)
        except GeometryError as error:
            found = None
            findings.append(
                Finding("impossible", thing.id, f"{thing.name} cannot be laid: {error} Adjust or delete it.")
            )
        for batch in () if found is None else found.batches:
            piece = batch.look.piece
            triangles, vertices = batch.look.counts(load)
            n = len(batch.numbers)
            items[piece.id] = items.get(piece.id, 0) + n
            old = cost.get(piece.id, (0, 0))
            cost[piece.id] = (old[0] + n * triangles, old[1] + n * vertices)
            if batch.look.form is not None:
                forms.add((piece.id, batch.look.form.drawn_with if n == 1 else batch.look.form.key))
            else:
                forms.add((piece.id, ""))
    forms |= {(p, "") for p, n in singles.items() if n}
    uses = [PieceUse(p, n, cost[p][0]) for p, n in items.items() if n]
    uses.sort(key=lambda u: (-u.triangles, u.piece))
    triangles = sum(u.triangles for u in uses)
    budget = snapshot.levels[level].budget
    if triangles > budget:
        findings.append(
            Finding(
                "over_budget",
                level,
                f"{grouped(triangles - budget)} triangles over the budget; slim {snapshot.pieces[uses[0].piece].name}.",
            )
        )
    return Summary(
        triangles=triangles,
        hardware_vertices=sum(v for _, v in cost.values()),
        draw_calls=sum(max(1, len(pieces[p].materials)) for p, _ in forms),
        placements=sum(u.items for u in uses),
        uses=tuple(uses),
        findings=tuple(findings),
    )


def _missing(snapshot: Snapshot, things: Things) -> list[Finding]:
    """What points at rows that are not there: files of earlier versions may hold such."""
    out: list[Finding] = []
    for piece, users in things.uses.items():
        if piece not in snapshot.pieces:
            out += [
                Finding("missing_piece", t.id, f"{t.name} shows a piece that is not on the shelf any more. Delete it.")
                for t in users
            ]
    for path, along in things.paths_used.items():
        if not isinstance(things.get(path), Path):
            out += [
                Finding("missing_path", t.id, f"{t.name} runs along a path that is not there any more. Delete it.")
                for t in along
            ]
    for inside in things.groups_used.values():
        out += [
            Finding(
                "missing_group",
                t.id,
                f"{t.name} is in a group that is not there any more; it counts as in none. Take it out of all groups.",
            )
            for t in inside
            if things.parent(t) is None
        ]
    return out[:_MOST_TOLD]
