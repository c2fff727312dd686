"""Change single items of courses and arrays: another piece there, nothing, or as usual again."""

from __future__ import annotations

from typing import Literal

from able_brick.core.errors import SelectionError, UnknownIdError
from able_brick.core.text import counted
from able_brick.level.field import field
from able_brick.level.rows import Array, Course, Group, Other, OtherItem
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.images import beside
from able_brick.steps.tool import Need, Tool


class SwapItems(Tool):
    """Something else at single places of a course or an array."""

    tool: Literal["swap_items"] = "swap_items"
    title = "Swap items"
    about = "Another piece, or nothing, at single places: click the items"
    verb = "Lay"
    stages = ("build",)
    need = Need(kinds=("course", "array", "group"), least=1, most=1)
    icon = "replace"

    becomes: Literal["another piece", "nothing", "as usual"] = field(
        "another piece", "Becomes", "Another piece stands there, nothing does, or what is usual does again"
    )
    piece: str | None = field(
        None, "Piece", "The piece that stands there", widget="piece", when={"becomes": ["another piece"]}
    )
    items: tuple[int, ...] = field((), "Items", "Which items, counted from 0", widget="none", max_length=10_000)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        row = rows[0]
        if not self.items:
            raise SelectionError("No item is chosen yet: click those to be changed in the view.", field="items")
        by = None
        if self.becomes == "another piece":
            if self.piece is None:
                raise SelectionError("Choose the piece that stands there.", field="piece")
            by = draft.piece(self.piece)
        match row:
            case Course():
                draft.put(self._course(draft, row, None if by is None else by.id))
            case Array():
                self._check(row.total, row.name)
                if row.image is not None and by is not None:
                    row = beside(draft, row, by)
                kept = {o.item: o for o in row.others if o.item not in self.items}
                if self.becomes != "as usual":
                    kept |= {k: OtherItem(item=k, piece=None if by is None else by.id) for k in self.items}
                draft.put(row.changed(others=tuple(kept[k] for k in sorted(kept))))
            case Group():
                draft.put(self._group(row))
        which = ", ".join(str(k + 1) for k in self.items[:5]) + (" …" if len(self.items) > 5 else "")
        what = {"nothing": "left out", "as usual": "as usual again"}.get(self.becomes) or (by.name if by else "")
        draft.note = f"{counted(len(self.items), 'item', 'items')} ({which}): {what}"

    def _check(self, count: int, name: str) -> None:
        wrong = [k for k in self.items if not 0 <= k < count]
        if wrong:
            raise UnknownIdError(f"{name} has no item {wrong[0] + 1} (any more). Click another.", received=wrong[0])

    def _course(self, draft: Draft, row: Course, by: str | None) -> Course:
        laid = row.laid(draft.seen_with())
        self._check(len(laid.slots), row.name)
        places = {(int(r), int(k)) for r, k in laid.slots.places[list(self.items)].tolist()}
        kept = [o for o in row.others if (o.run, o.item) not in places]
        if self.becomes != "as usual":
            kept += [Other(run=r, item=k, piece=by) for r, k in sorted(places)]
        changed = row.changed(others=tuple(sorted(kept, key=lambda o: (o.run, o.item))))
        changed.laid(draft.seen_with(changed))
        return changed

    def _group(self, row: Group) -> Group:
        if row.repeat is None:
            raise SelectionError(f"{row.name} is not an array; it has no items.", received=row.id)
        if self.becomes == "another piece":
            raise SelectionError("The items of an array of groups can be left out, but not swapped.", field="becomes")
        self._check(row.repeat.total, row.name)
        if self.becomes == "nothing" and 0 in self.items:
            raise SelectionError("The first item is what is repeated; it cannot be left out.", received=0)
        left = set(row.left_out) | set(self.items) if self.becomes == "nothing" else set(row.left_out) - set(self.items)
        return row.changed(left_out=tuple(sorted(left)))
