"""From rows to what stands in the level: poses of every item, counts against the budget, findings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from able_brick.core.errors import GeometryError
from able_brick.core.text import grouped
from able_brick.level.findings import Finding, course_findings
from able_brick.level.repeats import repeated
from able_brick.level.rows import AThing, Course, Group, Instances, Path, Placement
from able_brick.level.rows.instances import Load, counts_of
from able_brick.level.snapshot import ARow, InLevel, Snapshot
from able_brick.level.things import Things, repeating

#: Nothing may stand farther from the origin than this, metres.
FARTHEST: Final = 1e7
_MOST_FINDINGS: Final = 50


def items_of(snapshot: Snapshot, thing: AThing) -> Instances | None:
    """Every item of a thing; None for what draws no piece, and where its piece or path is missing.

    Raises GeometryError for runs that cannot be.
    """
    context = snapshot.context(thing.level)
    shown = thing.shown(context)
    return shown if shown is None or thing.group is None else repeated(shown, thing, context)


def shown_items(snapshot: Snapshot, thing: AThing) -> Instances | None:
    """The same; also None for a run that cannot be, which is reported as a finding instead."""
    try:
        return items_of(snapshot, thing)
    except GeometryError:
        return None


def check_reach(thing: AThing, shown: Instances) -> None:
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


def summary(snapshot: Snapshot, level: str, load: Load, more: Mapping[str, int] | None = None) -> Summary:
    """Counts of everything that stands in the level, by piece, most triangles first; and the findings. So many `more`
    of pieces are shown than there are placements."""
    things = snapshot.of(level)
    pieces = snapshot.pieces
    budget = snapshot.levels[level].budget
    cached, for_budget, made = things.counted.get("summary", (None, None, None))
    if cached is pieces and for_budget == budget and not more:
        found: Summary = made
        return found
    # what stands singly counts by its index; what is shown more than once by its items
    singles = {p: len(users) + (more or {}).get(p, 0) for p, users in things.uses.items() if p in pieces}
    for thing in (*things.runs_and_paths, *things.repeated):
        for p in thing.pieces:
            if p in singles:
                singles[p] -= 1
    items = dict(singles)
    cost = {p: (n * pieces[p].facts.triangles, n * pieces[p].facts.hardware_vertices) for p, n in items.items()}
    forms: set[tuple[str, str]] = set()
    findings = _missing(snapshot, things)
    context = snapshot.context(level)
    for thing in (*things.runs_and_paths, *things.repeated):
        for p, n, triangles, vertices, deformer in (
            summary := _summary_of(snapshot, context, things, thing, load)
        ).parts:
            items[p] = items.get(p, 0) + n
            old = cost.get(p, (0, 0))
            cost[p] = (old[0] + n * triangles, old[1] + n * vertices)
            forms.add((p, deformer))
        findings += summary.findings
    forms |= {(p, "") for p, n in singles.items() if n}
    uses = [PieceUse(p, n, cost[p][0]) for p, n in items.items() if n]
    uses.sort(key=lambda u: (-u.triangles, u.piece))
    triangles = sum(u.triangles for u in uses)
    if triangles > budget:
        findings.append(
            Finding(
                "over_budget",
                level,
                f"{grouped(triangles - budget)} triangles over the budget; slim {snapshot.pieces[uses[0].piece].name}.",
            )
        )
    made = Summary(
        triangles=triangles,
        hardware_vertices=sum(v for _, v in cost.values()),
        draw_calls=sum(max(1, len(pieces[p].materials)) for p, _ in forms),
        placements=sum(u.items for u in uses),
        uses=tuple(uses),
        findings=tuple(findings),
    )
    if not more:
        things.counted["summary"] = (pieces, budget, made)
    return made


@dataclass(frozen=True)
class _RunSummary:
    """What a run adds to a summary: piece, items, triangles and vertices of each of them, and form of each batch; its
    findings; and the rows by id that this was computed from."""

    parts: tuple[tuple[str, int, int, int, str], ...]
    findings: tuple[Finding, ...]
    rows: tuple[tuple[str, ARow | None], ...] = ()


def _summary_of(snapshot: Snapshot, context: InLevel, things: Things, thing: AThing, load: Load) -> _RunSummary:
    """What a run adds; not computed anew as long as all rows that it comes from are the same."""
    pieces = snapshot.pieces
    # what a group repeats comes from all that is in it, too much to look at each time
    kept = not isinstance(thing, Placement) and not (thing.group and any(map(repeating, things.over(thing))))
    found: _RunSummary | None = things.memo.get(thing.id) if kept else None
    if found is not None and all((pieces.get(k) or things.get(k)) is row for k, row in found.rows):
        return found
    findings: list[Finding] = []
    parts = []
    try:
        shown = items_of(snapshot, thing)
        if isinstance(thing, Course) and shown is not None:
            findings += course_findings(thing, thing.laid(context), context)
    except GeometryError as error:
        shown = None
        findings.append(Finding("impossible", thing.id, f"{thing.name} cannot be laid: {error} Adjust or delete it."))
    batches = () if shown is None else shown.batches
    for batch, counts in zip(batches, counts_of(batches, load), strict=True):
        piece, deformer, n = batch.drawable.piece, batch.drawable.deformer, len(batch.numbers)
        key = "" if deformer is None else deformer.drawn_with if n == 1 else deformer.key
        parts.append((piece.id, n, *counts, key))
    rows = tuple((k, pieces.get(k) or things.get(k)) for k in things.depends(thing)) if kept else ()
    summary = _RunSummary(tuple(parts), tuple(findings), rows)
    if kept:
        if len(things.memo) > 2 * len(things.runs_and_paths) + 100:
            things.memo.clear()
        things.memo[thing.id] = summary
    return summary


def _missing(snapshot: Snapshot, things: Things) -> list[Finding]:
    """What points at rows that are not there: files of earlier versions may hold such."""
    out: list[Finding] = []
    for piece in things.uses:
        if piece not in snapshot.pieces:
            out += [
                Finding("missing_piece", t.id, f"{t.name} shows a piece that is not on the shelf any more. Delete it.")
                for t in things.users(piece)
            ]
    for path in things.paths_used:
        if not isinstance(things.get(path), Path):
            out += [
                Finding("missing_path", t.id, f"{t.name} runs along a path that is not there any more. Delete it.")
                for t in things.courses(path)
            ]
    for group in things.groups_used:
        if isinstance(things.get(group), Group) and group not in things.in_circle:
            continue
        out += [
            Finding(
                "missing_group",
                t.id,
                f"{t.name} is in a group that is not there any more; it counts as in none. Take it out of all groups.",
            )
            for t in things.inside(group)
            if things.parent(t) is None
        ]
    return out[:_MOST_FINDINGS]
