"""What a tab needs to know after a change: rows, poses of derived items, the summary, what can be undone."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from pydantic import BaseModel

from able_brick.core.errors import GeometryError
from able_brick.level.evaluate import Summary, shown_poses, summary
from able_brick.level.rows import AnyRow, Course, LineArray, Path, Piece
from able_brick.level.snapshot import Edit, Snapshot, level_of


class StepView(BaseModel):
    """A step of the journal; `adjustable` where its settings can be changed and the step made again."""

    tool: str
    title: str
    params: dict[str, Any]
    selection: list[str]
    note: str
    adjustable: bool


class HistoryView(BaseModel):
    """The step that undo would take back (also the last step), and the one that redo would make again."""

    last: StepView | None
    redo: StepView | None


class PathView(BaseModel):
    """A path as it is drawn, point by point; metres. No smallest radius where it is straight."""

    line: list[list[float]]
    length: float
    smallest_radius: float | None


class Delta(BaseModel):
    """Everything that differs after a change. `items` holds rows of ten: position, turn xyzw, size."""

    level: str
    revision: int
    changed: list[AnyRow]
    removed: list[str]
    items: dict[str, list[list[float]]]
    paths: dict[str, PathView]
    summary: Summary
    history: HistoryView
    select: list[str] | None
    note: str


class LevelView(Delta):
    """A whole level, as a change from nothing."""


def derived_items(snapshot: Snapshot, level: str, touched: set[str] | None) -> dict[str, list[list[float]]]:
    """Poses of arrays and courses: all of them, or those that depend on a touched row."""
    out: dict[str, list[list[float]]] = {}
    for thing in snapshot.of(level).runs_and_paths:
        if not isinstance(thing, (LineArray, Course)):
            continue
        depends = {thing.id, thing.piece} | ({thing.path} if isinstance(thing, Course) else set())
        if touched is None or depends & touched:
            poses = shown_poses(snapshot, thing)
            out[thing.id] = [] if poses is None else poses.rows().tolist()
    return out


def path_views(snapshot: Snapshot, level: str, touched: set[str] | None) -> dict[str, PathView]:
    """Paths as they are drawn: all of them, or the touched ones."""
    out: dict[str, PathView] = {}
    for thing in snapshot.of(level).runs_and_paths:
        if isinstance(thing, Path) and (touched is None or thing.id in touched):
            try:
                curve = thing.curve()
            except GeometryError:  # points on one spot, in a file of an earlier version: drawn from point to point
                out[thing.id] = PathView(line=[list(p.position) for p in thing.points], length=0, smallest_radius=None)
                continue
            radius = curve.smallest_radius
            out[thing.id] = PathView(
                line=curve.drawn().tolist(),
                length=curve.length,
                smallest_radius=radius if radius < 1e6 else None,
            )
    return out


def level_delta(
    snapshot: Snapshot,
    level: str,
    edits: Iterable[Edit],
    *,
    revision: int,
    history: HistoryView,
    select: tuple[str, ...] | None,
    note: str,
) -> Delta:
    """The change that edits made, as seen in one level; `snapshot` is the project after them."""
    mine = [e for e in edits if (row := e.after or e.before) is not None and level_of(row) in (None, level)]
    touched = {e.id for e in mine}
    return Delta(
        level=level,
        revision=revision,
        changed=[e.after for e in mine if e.after is not None],
        removed=[e.id for e in mine if e.after is None],
        items=derived_items(snapshot, level, touched),
        paths=path_views(snapshot, level, touched),
        summary=summary(snapshot, level),
        history=history,
        select=None if select is None else list(select),
        note=note,
    )


def level_view(snapshot: Snapshot, level: str, *, revision: int, history: HistoryView) -> LevelView:
    """The whole level with all pieces of the kit."""
    pieces: list[Piece] = list(snapshot.pieces.values())
    return LevelView(
        level=level,
        revision=revision,
        changed=[snapshot.level(level), *pieces, *snapshot.of(level).values()],
        removed=[],
        items=derived_items(snapshot, level, None),
        paths=path_views(snapshot, level, None),
        summary=summary(snapshot, level),
        history=history,
        select=None,
        note="",
    )
