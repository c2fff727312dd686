"""The versions of rows by their kind, and of recipes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from able_brick.core.formats import FIRST, Chain, unchanged

#: Chains of the kinds of rows that have changed since their first version; the others are as they were.
ROWS: Final[dict[str, Chain]] = {
    # 2: levels may know how copies go on
    "level": Chain((unchanged,)),
    # 2: what stands may be a mirror image of its piece
    # 3: it knows what other tools stored with it
    "placement": Chain((unchanged, unchanged)),
    "array": Chain((unchanged, unchanged)),
    # 2: it knows what other tools stored with it
    "group": Chain((unchanged,)),
    # 2: rungs, and where a piece was slimmed from, tell whether their deviation is proven, and for which size
    # 3: surfaces tell how their alpha counts, whether they have two sides, and how their picture is moved
    # 4: facts tell whether a piece is shaded by normals of a file, ladders whether the outline was held first
    # 5: the mesh may be made of another one, which is edited
    "piece": Chain((unchanged, unchanged, unchanged, unchanged)),
    # 2: points may leave to those beside them how they lean
    "path": Chain((unchanged,)),
}
#: What has changed of recipes, in projects, files and requests. 2: they may hold the outline first
RECIPES: Final = Chain((unchanged,))


def row_chain(kind: str) -> Chain:
    """The upgrades of a kind of row."""
    return ROWS.get(kind, FIRST)


def recipe_chain() -> Chain:
    """The upgrades of recipes."""
    return RECIPES


def row_format(kind: str) -> int:
    """The version in which rows of a kind are written."""
    chain = ROWS.get(kind)
    return 1 if chain is None else chain.version


def upgraded_row(row: Any, formats: Mapping[str, int]) -> Any:
    """A row as JSON, which may be null, as one of the version now; `formats` are those it was written in, by kind. What
    is no row stays as it is, to be refused by whoever reads it. Raises FormatError."""
    if not isinstance(row, dict):
        return row
    kind = row.get("kind")
    return row_chain(kind).upgraded(row, formats.get(kind, 1)) if isinstance(kind, str) else row
