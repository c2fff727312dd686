"""Rows as JSON, each written once for the file, the journal and the tabs."""

from __future__ import annotations

from collections.abc import Iterable

from able_brick.level.snapshot import ARow


class Texts:
    """The JSON of rows during one change."""

    def __init__(self) -> None:
        # the rows are held too, so that none of them loses its number
        self._of: dict[int, tuple[ARow, str]] = {}

    def of(self, row: ARow) -> str:
        """A row as JSON."""
        found = self._of.get(id(row))
        if found is None:
            found = self._of[id(row)] = (row, row.model_dump_json())
        return found[1]

    def all(self, rows: Iterable[ARow]) -> str:
        """Rows as a JSON list."""
        return f"[{','.join(map(self.of, rows))}]"
