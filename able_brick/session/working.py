"""Whether what long work was done on is still there as it was."""

from __future__ import annotations

from able_brick.core.errors import HistoryError
from able_brick.level.rows import LevelRow, Piece
from able_brick.level.snapshot import ARow, Snapshot, level_of
from able_brick.steps.draft import Change


def check_untouched(base: Snapshot, now: Snapshot, level: str, selection: tuple[str, ...], change: Change) -> None:
    """HistoryError where a row that the work was done on, or that it changes, is another one now than it was then."""
    now.level(level)
    rows: dict[str, ARow | None] = {s: base.find(level, s) for s in selection}
    for row in list(rows.values()):
        for piece in getattr(row, "pieces", ()):
            rows[piece] = base.pieces.get(piece)
    rows |= {e.id: e.before for e in change.edits if e.before is not None}
    for key, row in rows.items():
        if row is None:
            continue
        found = now.levels.get(key) if isinstance(row, LevelRow) else now.find(level_of(row) or level, key)
        if isinstance(row, Piece) and isinstance(found, Piece) and found.mesh == row.mesh and found.axes == row.axes:
            continue  # a new name or tag changes nothing of the work
        if found != row:
            what = "is not there any more" if found is None else "was changed"
            text = f"{row.name} {what} while it was worked on; nothing was done to it. Start again."
            raise HistoryError(text, id=key)
