"""Rows as JSON, each written once for the file, the journal and the tabs."""

from __future__ import annotations

from able_brick.level.snapshot import ARow


def text_of(row: ARow) -> str:
    """A row as JSON."""
    return row.__pydantic_serializer__.to_json(row).decode()


class Texts:
    """The JSON of rows during one change."""

    def __init__(self) -> None:
        # the rows are held too, so that none of them loses its number
        self._of: dict[int, tuple[ARow, str]] = {}

    def of(self, row: ARow) -> str:
        """A row as JSON."""
        found = self._of.get(id(row))
        if found is None:
            found = self._of[id(row)] = (row, text_of(row))
        return found[1]
