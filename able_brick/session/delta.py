"""What a tab needs to know after a change: rows, poses of derived items, the summary, what can be undone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Annotated, Any, Final

import numpy as np
from pydantic import BaseModel, ConfigDict, PlainSerializer, PrivateAttr

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, Ints
from able_brick.core.place.pose import Vector, vector
from able_brick.level.drawn import drawn
from able_brick.level.elements import Elements
from able_brick.level.evaluate import Summary, shown_items, summary
from able_brick.level.rows import AnyRow, Group, Path, Piece, Placement
from able_brick.level.rows.instances import Load
from able_brick.level.snapshot import ARow, Edit, Snapshot, level_of
from able_brick.level.texts import Texts, text_of
from able_brick.session.columns import columns_of


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
    """A path as it is drawn, point by point; metres. No smallest radius, and no place of it, where it is straight.
    `leans` are how what is laid along it leans at each of its points, degrees."""

    line: list[list[float]]
    length: float
    smallest_radius: float | None
    tightest: list[float] | None = None
    leans: list[float] = []


def _listed(array: Any) -> Any:
    return array.tolist()


class RunView(BaseModel):
    """A mesh as it is drawn for items of a thing: `rows` of ten say where: position, turn xyzw, size.

    `mesh` is its key, None for the piece's own. `numbers` are the items, one for each row; where there are `faces`,
    one mesh holds several items, so many faces of each: those of the first row, and `count` further on those of each
    further. `low` and `high` are the corners of the box round it, where that is not the piece's. `triangles` and
    `hardware_vertices` are those of all items, as an export writes them.
    """

    model_config = ConfigDict(arbitrary_types_allowed=True)

    piece: str
    mesh: str | None
    numbers: Annotated[Ints, PlainSerializer(_listed, list[int])]
    rows: Annotated[Floats, PlainSerializer(_listed, list[list[float]])]
    faces: Annotated[Ints, PlainSerializer(_listed, list[int])]
    count: int
    triangles: int
    hardware_vertices: int
    low: Vector | None = None
    high: Vector | None = None


#: Rows up to which a delta is sent as JSON to those who would have columns.
_FEW: Final = 200


class Delta(BaseModel):
    """Everything that differs after a change. `items` is what is drawn of arrays and courses; `elements` are to be
    picked next; at the faces `ended` what was done came to an end that may not have been meant. A step that changes
    nothing is `idle`: none was made, and the revision is what it was."""

    level: str
    revision: int
    changed: list[AnyRow]
    removed: list[str]
    items: dict[str, list[RunView]]
    paths: dict[str, PathView]
    summary: Summary
    history: HistoryView
    select: list[str] | None
    note: str
    elements: Elements | None = None
    ended: Elements | None = None
    idle: bool = False

    _texts: Texts | None = PrivateAttr(None)
    _text: str | None = PrivateAttr(None)
    _columns: bytes | None = PrivateAttr(None)

    def written_with(self, texts: Texts) -> None:
        """Have the rows as they were written elsewhere."""
        self._texts = texts

    def text(self) -> str:
        """It as JSON, written once; it is not changed any more then."""
        if self._text is None:
            rest = self.model_dump_json(exclude={"changed"})
            rows = ",".join(map(text_of if self._texts is None else self._texts.of, self.changed))
            self._text = f'{{"changed":[{rows}],{rest[1:]}'
        return self._text

    @property
    def large(self) -> bool:
        """Whether it is worth columns."""
        return len(self.changed) > _FEW or sum(len(r.rows) for runs in self.items.values() for r in runs) > _FEW

    def columns(self) -> bytes:
        """It with its many rows in columns, written once; it is not changed any more then."""
        if self._columns is None:
            self._columns = columns_of(self, self._texts)
        return self._columns


class LevelView(Delta):
    """A whole level, as a change from nothing."""


def derived_items(snapshot: Snapshot, level: str, touched: set[str] | None, load: Load) -> dict[str, list[RunView]]:
    """What is drawn of arrays, courses, and what a group repeats: all of them, or those that depend on a touched
    row."""
    out: dict[str, list[RunView]] = {}
    things = snapshot.of(level)
    every = (*things.runs_and_paths, *things.repeated) if touched is None else things.showing(touched)
    for thing in every:
        if not thing.pieces:
            continue
        shown = shown_items(snapshot, thing)
        count = 0 if shown is None else shown.count
        out[thing.id] = [
            RunView(
                piece=d.piece.id,
                mesh=d.mesh,
                numbers=d.numbers,
                rows=d.rows,
                faces=d.faces,
                count=count,
                triangles=d.counts[0],
                hardware_vertices=d.counts[1],
                low=None if d.box is None else vector(d.box[0]),
                high=None if d.box is None else vector(d.box[1]),
            )
            for d in (() if shown is None else drawn(shown, load))
        ]
    return out


def path_views(snapshot: Snapshot, level: str, touched: set[str] | None) -> dict[str, PathView]:
    """Paths as they are drawn: all of them, or the touched ones."""
    out: dict[str, PathView] = {}
    things = snapshot.of(level)
    every = things.runs_and_paths if touched is None else [things[t] for t in touched if t in things]
    for thing in every:
        if isinstance(thing, Path):
            try:
                curve = thing.curve()
            except GeometryError:  # points on one spot, in a file of an earlier version: drawn from point to point
                out[thing.id] = PathView(line=[list(p.position) for p in thing.points], length=0, smallest_radius=None)
                continue
            radius, tightest = curve.smallest_radius, curve.tightest
            out[thing.id] = PathView(
                line=curve.drawn().tolist(),
                length=curve.length,
                smallest_radius=radius if radius < 1e6 else None,
                tightest=None if tightest is None else tightest.tolist(),
                leans=thing.leans(),
            )
    return out


def _run_of(row: Placement, rows: Floats, piece: Piece | None) -> RunView:
    """A placement as it is shown at many poses (N,10)."""
    n = len(rows)
    facts = None if piece is None else piece.facts
    return RunView(
        piece=row.piece,
        mesh=None,
        numbers=np.arange(n, dtype=np.int32),
        rows=rows,
        faces=np.zeros(0, np.int32),
        count=n,
        triangles=0 if facts is None else n * facts.triangles,
        hardware_vertices=0 if facts is None else n * facts.hardware_vertices,
    )


def _single(row: ARow | None) -> bool:
    return row is None or (type(row) is Placement and row.group is None)


def level_delta(
    snapshot: Snapshot,
    level: str,
    edits: Iterable[Edit],
    *,
    revision: int,
    history: HistoryView,
    select: tuple[str, ...] | None,
    note: str,
    load: Load,
    preview_poses: Mapping[str, Floats] | None = None,
) -> Delta:
    """The change that edits made, as seen in one level; `snapshot` is the project after them. `preview_poses` are poses
    (N,10) at which placements are shown that stand for many."""
    here = (None, level)
    mine = [e for e in edits if (row := e.after or e.before) is not None and level_of(row) in here]
    # a group that something has left may be shown more than once, and stand otherwise without it
    left = {str(group) for e in mine if (group := getattr(e.before, "group", None)) is not None}
    # placements that are in no group have nothing to do with what is drawn of others
    touched = {e.id for e in mine if not _single(e.before) or not _single(e.after)} | left
    things = snapshot.of(level)
    items = derived_items(snapshot, level, touched, load)
    # what stood in a group may have been shown more than once, and stand by itself again
    once = left | {e.id for e in mine if type(e.before) is Group or getattr(e.before, "group", None) is not None}
    items |= {t.id: [] for t in things.released(once) if not things.repeats(t.id)}
    more: dict[str, int] = {}
    for key, rows in (preview_poses or {}).items():
        row = things[key]
        if isinstance(row, Placement):
            items[key] = [_run_of(row, rows, snapshot.pieces.get(row.piece))]
            more[row.piece] = more.get(row.piece, 0) + len(rows) - 1
    return Delta(
        level=level,
        revision=revision,
        changed=[e.after for e in mine if e.after is not None],
        removed=[e.id for e in mine if e.after is None],
        items=items,
        paths=path_views(snapshot, level, touched),
        summary=summary(snapshot, level, load, more),
        history=history,
        select=None if select is None else list(select),
        note=note,
    )


def level_view(snapshot: Snapshot, level: str, load: Load, *, revision: int, history: HistoryView) -> LevelView:
    """The whole level with all pieces of the kit."""
    pieces: list[Piece] = list(snapshot.pieces.values())
    return LevelView(
        level=level,
        revision=revision,
        changed=[snapshot.level(level), *pieces, *snapshot.of(level).values()],
        removed=[],
        items=derived_items(snapshot, level, None, load),
        paths=path_views(snapshot, level, None),
        summary=summary(snapshot, level, load),
        history=history,
        select=None,
        note="",
    )
